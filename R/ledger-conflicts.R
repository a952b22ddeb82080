# An order in two states: a line id with two contents, a line cancelled and not, or other lines in a later file.

settle_conflicts <- function(read, order, customer, map, meaning, duplicate, rules, call) {
  has_line <- has_role(map, "line") && map[["line"]] %in% names(read$table)
  nothing <- list(duplicate = duplicate, replaced = logical(length(order)), orders = 0L)
  # one file, no rule of state, no line id twice: there can be no second state
  if (length(read$files) == 1L && length(rules) == 0L && (!has_line || !anyDuplicated(read$table[[map[["line"]]]]))) return(nothing)
  live <- which(!duplicate & order != "" & !is_blank(customer))
  at <- data.table(place = live, order = order[live], customer = customer[live], file = read$file[live])
  if (has_line) at[, line := read$table[[map[["line"]]]][live]]
  clash <- rbind(at[0L, .(place, order, customer, key = character())], line_clashes(at, has_line), state_clashes(at, read$table, rules, map),
                 if (meaning$conflicts != "parts of one order") file_clashes(at, read, order, customer, map, has_line))
  if (nrow(clash) == 0L) return(nothing)
  broken <- unique(clash[, .(order, customer)])
  if (meaning$conflicts %in% c("error", "parts of one order")) {
    rows <- at[broken[1L], on = c("order", "customer")]$place
    abort_nubrek(c("{nrow(broken)} order{?s} stand{?s/} in two states.", "x" = "Order {.val {broken$order[[1]]}} of customer {.val {broken$customer[[1]]}}: rows {read$row[utils::head(rows, 4)]}.",
                   "i" = "Say which one holds: {.code conflicts = \"newer replaces\"}, {.code \"first stays\"} or {.code \"parts of one order\"}."), "conflict", orders = broken$order, call = call)
  }
  keep_one_state(clash, broken, read, order, customer, meaning$conflicts == "newer replaces", duplicate, has_line)
}

line_clashes <- function(at, has_line) {
  if (!has_line || !anyDuplicated(at$line)) return(NULL)
  lines <- at[!is_blank(line)]
  twice <- duplicated(lines, by = c("order", "customer", "line")) | duplicated(lines, by = c("order", "customer", "line"), fromLast = TRUE)
  lines[twice, .(place, order, customer, key = line)]
}

# Rows of one order that are the same but for the column of a rule, which picks one of them and not the other.
state_clashes <- function(at, text, rules, map) {
  rules <- Filter(\(rule) rule$column %in% names(text), rules)          # a joined column is no part of the rows as read
  states <- vapply(rules, `[[`, "", "column")
  if (length(states) == 0L || nrow(at) == 0L) return(NULL)
  at <- data.table::copy(at)[, picked := Reduce(`|`, lapply(rules, rule_hits, text = text))[place]]
  if (!any(at$picked)) return(NULL)
  some <- unique(at[picked == TRUE, .(order, customer)])
  mixed <- unique(at[some, on = c("order", "customer")][picked == FALSE, .(order, customer)])
  at <- at[mixed, on = c("order", "customer"), nomatch = NULL]
  if (nrow(at) == 0L) return(NULL)
  content <- setdiff(names(text), c(states, if (has_role(map, "line")) map[["line"]]))
  at[, key := do.call(paste, c(as.list(text[place, content, with = FALSE]), sep = "\r"))]
  at[, both := any(picked) && !all(picked), by = .(order, customer, key)]
  at[both == TRUE, .(place, order, customer, key)]
}

# Orders whose lines stand in several files, unless line ids show that no line was exported twice.
file_clashes <- function(at, read, order, customer, map, has_line) {
  if (length(read$files) == 1L) return(NULL)
  files <- unique(at[, .(order, customer, file)])[, .(files = .N), by = .(order, customer)][files > 1L]
  if (nrow(files) == 0L) return(NULL)
  if (has_line) {
    rows <- data.table(order, customer, file = read$file, line = read$table[[map[["line"]]]])[files, on = c("order", "customer")]
    again <- unique(rows[!is_blank(line)])[, .N, by = .(order, customer, line)][N > 1L]
    files <- files[again, on = c("order", "customer"), nomatch = NULL, mult = "first"]
  }
  at[unique(files[, .(order, customer)]), on = c("order", "customer"), .(place, order, customer, key = NA_character_)]
}

# Of the files an order stands in, one holds; within it, of the rows of one line, one holds.
keep_one_state <- function(clash, broken, read, order, customer, newer, duplicate, has_line) {
  all_rows <- data.table(place = seq_along(order), order, customer, file = read$file)[broken, on = c("order", "customer")]
  all_rows[, wins := file == (if (newer) max(file) else min(file)), by = .(order, customer)]
  replaced <- logical(length(order))
  replaced[all_rows$place[!all_rows$wins]] <- TRUE
  # a row that was a copy of one in the file that lost is needed again
  again <- all_rows$place[all_rows$wins]
  duplicate[again] <- if (has_line) duplicated(read$table[again]) else FALSE
  within <- clash[!replaced[place] & !is.na(key)]
  within[, keeps := place == (if (newer) max(place) else min(place)), by = .(order, customer, key)]
  replaced[within$place[!within$keeps]] <- TRUE
  list(duplicate = duplicate | replaced, replaced = replaced, orders = nrow(broken))
}
