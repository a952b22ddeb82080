# An order in two states: a line id with two contents, a line cancelled and not, or other lines in a
# later file.

settle_conflicts <- function(
  read, rows, customer, order_ids, map, meaning, duplicate, rules, call
) {
  line <- if (has_role(map, "line")) read$table[[map[["line"]]]]
  nothing <- list(duplicate = duplicate, replaced = integer(), orders = 0L)
  # one file, no rule of state, no line id twice: there can be no second state
  if (length(read$files) == 1L && length(rules) == 0L && (is.null(line) || all_distinct(line))) {
    return(nothing)
  }
  usable <- rows$order > 0L
  usable[c(duplicate, blank_rows(customer))] <- FALSE
  position <- conflict_rows(which(usable), read, rows, line)
  clash <- rbind(
    position[0L, .(place, order, customer, key = integer())],
    line_clashes(position, line),
    state_clashes(position, read$table, rules),
    if (meaning$conflicts != "parts of one order") file_clashes(position, read, rows, line)
  )
  if (nrow(clash) == 0L) return(nothing)
  broken <- unique(clash[, .(order, customer)])
  # all parts count; each row goes by its own state
  if (meaning$conflicts == "parts of one order") {
    return(list(duplicate = duplicate, replaced = integer(), orders = nrow(broken)))
  }
  if (meaning$conflicts == "error") {
    first <- position[broken[1L], on = c("order", "customer")]$place
    abort_nubrek(c(
      "{nrow(broken)} order{?s} stand{?s/} in two states.",
      "x" = paste0(
        "Order {.val {order_ids[broken$order[[1]]]}} of customer ",
        "{.val {levels(customer)[broken$customer[[1]]]}}: rows ",
        "{row_in_file(read, utils::head(first, 4))}."
      ),
      "i" = paste0(
        "Say which one holds: {.code conflicts = \"newer replaces\"}, {.code \"first stays\"} or ",
        "{.code \"parts of one order\"}."
      )
    ), "conflict", orders = order_ids[broken$order], call = call)
  }
  keep_one_state(clash, broken, read, rows, meaning$conflicts == "newer replaces", duplicate, line)
}

# The rows at these places with what conflicts are judged by, all as codes.
conflict_rows <- function(place, read, rows, line) {
  position <- data.table(
    place, order = rows$order[place], customer = rows$customer[place], file = file_of(read, place)
  )
  if (!is.null(line)) position[, line := as.integer(line)[place]]
  position[]
}

line_clashes <- function(at, line) {
  if (is.null(line) || all_distinct(line)) return(NULL)
  filled <- said_lines(at$line, line)
  lines <- at[filled]
  twice <- duplicated(lines, by = c("order", "customer", "line")) |
    duplicated(lines, by = c("order", "customer", "line"), fromLast = TRUE)
  lines[twice, .(place, order, customer, key = line)]
}

# Whether each of these codes of a line id says anything.
said_lines <- function(code, line) !is.na(code) & !is_blank(levels(line))[code]

# Rows of one order that are the same but for the column of a rule, which picks one of them and not
# the other.
state_clashes <- function(at, text, rules) {
  # a joined column is no part of the rows as read
  rules <- Filter(\(rule) rule$column %in% names(text), rules)
  states <- vapply(rules, `[[`, "", "column")
  if (length(states) == 0L || nrow(at) == 0L) return(NULL)
  picked <- at$place %in% unlist(lapply(rules, rule_rows, cells = text))
  if (!any(picked)) return(NULL)
  minor <- cpp_number_pairs(at$customer, at$order, 0L)
  times <- \(which) tabulate(minor$unit[which], minor$n) > 0L
  mixed <- which((times(picked) & times(!picked))[minor$unit])
  if (length(mixed) == 0L) return(NULL)
  # with a line id among them: two equal items are two lines, not one in two states
  content <- setdiff(names(text), states)
  place <- at$place[mixed]
  key <- number_rows(
    c(list(minor$unit[mixed]), lapply(text[content], \(cells) cpp_codes(cells)[place]))
  )
  seen <- \(which) tabulate(key[which], max(key)) > 0L
  both <- (seen(picked[mixed]) & seen(!picked[mixed]))[key]
  data.table::setDT(list(
    place = place[both], order = at$order[mixed][both], customer = at$customer[mixed][both],
    key = key[both]
  ))
}

# Orders whose lines stand in several files, unless line ids show that no line was exported twice.
file_clashes <- function(at, read, rows, line) {
  if (length(read$files) == 1L) return(NULL)
  files <- unique(at[, .(order, customer, file)])[, .(files = .N), by = .(order, customer)][
    files > 1L
  ]
  if (nrow(files) == 0L) return(NULL)
  if (!is.null(line)) {
    all_rows <- conflict_rows(which(rows$order > 0L), read, rows, line)[
      files, on = c("order", "customer"), nomatch = NULL
    ]
    filled <- said_lines(all_rows$line, line)
    again <- unique(all_rows[filled, .(order, customer, file, line)])[,
      .N, by = .(order, customer, line)
    ][N > 1L]
    files <- files[again, on = c("order", "customer"), nomatch = NULL, mult = "first"]
  }
  at[
    unique(files[, .(order, customer)]),
    on = c("order", "customer"),
    .(place, order, customer, key = NA_integer_)
  ]
}

# Of the files an order stands in, one holds; within it, of the rows of one line, one holds.
keep_one_state <- function(clash, broken, read, rows, newer, duplicate, line) {
  all_rows <- conflict_rows(which(rows$order > 0L), read, rows, NULL)[
    broken, on = c("order", "customer")
  ]
  all_rows[, wins := file == (if (newer) max(file) else min(file)), by = .(order, customer)]
  replaced <- all_rows$place[!all_rows$wins]
  # a row that was a copy of one in the file that lost is needed again
  again <- sort(all_rows$place[all_rows$wins])
  needed <- if (is.null(line)) {
    again
  } else {
    again[!duplicated(as.data.table(lapply(read$table, \(cells) as.integer(cells)[again])))]
  }
  duplicate <- c(setdiff(duplicate, needed), if (!is.null(line)) setdiff(again, needed))
  states <- clash[!place %in% replaced & !is.na(key)]
  if (nrow(states) > 0L) {
    states[,
      keeps := place == (if (newer) max(place) else min(place)), by = .(order, customer, key)
    ]
    replaced <- c(replaced, states$place[!states$keeps])
  }
  list(duplicate = sort(unique(c(duplicate, replaced))), replaced = replaced, orders = nrow(broken))
}
