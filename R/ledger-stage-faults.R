# Rows that only the rows around them tell to be wrong: copies, and orders in two states. The
# database finds those that may be; which they are is said by the code that says it in memory.

# The unit of a row: its order, or without an id its day.
unit_keys <- "person, order_id, CASE WHEN order_id = '' THEN day END"

# Rows that stand in the workspace under a name (`place`), as they were read, for the rules about
# them.
some_rows_read <- function(db, name) {
  found <- ask_workspace(
    db, "SELECT r.*, f.person, f.order_id, f.day FROM ", db$named(name), " s JOIN ",
    db$named("rows"), " r ON r.place = s.place JOIN ", db$named("facts"),
    " f ON f.place = s.place ORDER BY r.place", sort = "place"
  )
  order <- order_codes(code_column(found$order_id), nrow(found))
  list(
    place = found$place,
    read = list(
      table = stats::setNames(
        lapply(found[, unname(db$place), with = FALSE], code_column), names(db$place)
      ),
      files = "the table",
      rows = nrow(found),
      n = nrow(found)
    ),
    rows = list(customer = as.integer(found$person), order = order$code, day = found$day),
    order_ids = order$texts
  )
}

# Copies: rows that are to be set aside, and those that are only suspect (definition 3). What is
# judged over all counts the units with several lines and those without an id; of a part of the rows
# `judged` has the `sums` of the others, or (not `own`) of all.
stage_duplicates <- function(db, has_line_id, policy, judged = NULL) {
  every <- paste0("r.c", seq_along(db$place), collapse = ", ")
  make_table(
    db, "copies", "SELECT place FROM (SELECT r.place, ROW_NUMBER() OVER (PARTITION BY ", every,
    " ORDER BY r.place) AS nth FROM ", db$named("rows"), " r) t WHERE nth > 1"
  )
  again <- ask_workspace(
    db, "SELECT place FROM ", db$named("copies"), " ORDER BY place", sort = "place"
  )$place
  seen <- if (length(again) > 0L || !is.null(judged)) units_seen(db)
  found <- judge_staged(db, again, has_line_id, policy, seen, judged)
  found$judged <- c(seen, twice = length(found$twice))
  found
}

judge_staged <- function(db, again, has_line_id, policy, seen, judged) {
  none <- list(duplicate = numeric(), suspect = numeric())
  if (length(again) == 0L) return(none)
  if (policy == "none") return(list(duplicate = numeric(), suspect = again))
  all_are <- list(duplicate = again, suspect = numeric())
  if (has_line_id || policy == "all equal lines") return(all_are)
  others <- judged$sums[names(seen)]
  all <- if (is.null(judged$sums)) seen else if (judged$own) seen + others else others
  if (all[["no_id_units"]] == 0 && all[["several"]] == 0) return(all_are)
  make_table(
    db, "touched", "SELECT f.place FROM ", db$named("facts"), " f JOIN (SELECT DISTINCT ",
    unit_keys, " AS own_day FROM ", db$named("facts"), " WHERE place IN (SELECT place FROM ",
    db$named("copies"), ")) u ON u.person = f.person AND u.order_id = f.order_id AND ",
    sprintf(db$dialect$same, "u.own_day", "CASE WHEN f.order_id = '' THEN f.day END")
  )
  some <- some_rows_read(db, "touched")
  minor <- order_units(some$rows, max(some$rows$order))
  found <- whole_orders_again(
    some$read, minor, which(some$place %in% again),
    different = all[["several"]], times = if (!is.null(judged$sums)) 1L
  )
  list(
    duplicate = some$place[found$duplicate],
    suspect = some$place[found$suspect],
    exported_twice = found$exported_twice,
    twice = found$twice
  )
}

# How many orders (or days of customers, without an id) have several different lines, and how many
# have no id.
units_seen <- function(db) {
  # lines that differ, of each unit
  units <- paste0(
    "(SELECT person, order_id, COUNT(*) AS lines FROM ", db$named("facts"),
    " f LEFT JOIN ", db$named("copies"), " c ON c.place = f.place WHERE c.place IS NULL GROUP BY ",
    unit_keys, ") u"
  )
  seen <- ask_workspace(
    db, "SELECT COALESCE(SUM(CASE WHEN lines > 1 THEN 1 ELSE 0 END), 0) AS several, ",
    "COALESCE(SUM(CASE WHEN order_id = '' THEN 1 ELSE 0 END), 0) AS no_id FROM ", units,
    by = character()
  )
  c(several = as.double(seen$several), no_id_units = as.double(seen$no_id))
}

# Orders in two states: those with a line id that stands twice, and those that a rule about states
# picks in part.
stage_conflicts <- function(db, map, meaning, duplicate) {
  rules <- Filter(Negate(is.null), list(meaning$test, meaning$cancelled))
  line <- if (has_role(map, "line")) raw_cell(db, map[["line"]])
  nothing <- list(duplicate = duplicate, replaced = numeric(), orders = 0L)
  if (length(rules) == 0L && is.null(line)) return(nothing)
  picked <- "f7 + f8"
  make_table(
    db, "in_doubt", "SELECT f.place FROM ", db$named("facts"), " f JOIN (",
    "SELECT person, order_id FROM ", db$named("facts"),
    " WHERE order_id <> '' AND f2 = 0 GROUP BY person, order_id HAVING MIN(", picked,
    ") < MAX(", picked, ")",
    if (!is.null(line)) {
      paste0(
        " UNION SELECT person, order_id FROM ", db$named("facts"), " g JOIN ", db$named("rows"),
        " r ON r.place = g.place WHERE order_id <> '' GROUP BY person, order_id, ", line,
        " HAVING COUNT(*) > 1"
      )
    },
    ") u ON u.person = f.person AND u.order_id = f.order_id"
  )
  some <- some_rows_read(db, "in_doubt")
  if (length(some$place) == 0L) return(nothing)
  people <- some$rows$customer
  some$rows$customer <- match(people, unique(people))
  customer <- factor(db$people[people], unique(db$people[people]))
  found <- settle_conflicts(
    some$read, some$rows, customer, some$order_ids, map, meaning,
    which(some$place %in% duplicate), rules, db$call
  )
  list(
    duplicate = sort(c(setdiff(duplicate, some$place), some$place[found$duplicate])),
    replaced = some$place[found$replaced],
    orders = found$orders
  )
}

# `judged` in the workspace: the facts with the first reason why each row is set aside, 0 for none.
stage_reasons <- function(db, duplicate) {
  send_table(db, "set_aside", list(of_place = as.double(duplicate)))
  number <- seq_along(set_aside_reasons)
  make_table(
    db, "judged", "SELECT f.*, CASE WHEN d.of_place IS NOT NULL THEN 1 ",
    paste0("WHEN f", number[-1L], " = 1 THEN ", number[-1L], collapse = " "),
    " ELSE 0 END AS reason, CASE WHEN d.of_place IS NOT NULL THEN 1 ELSE 0 END AS f1 FROM ",
    db$named("facts"), " f LEFT JOIN ", db$named("set_aside"), " d ON d.of_place = f.place"
  )
}

# The record of intake (see `summarise_intake()`), of the one table that was read.
staged_intake <- function(db, file, replaced, joins) {
  counts <- ask_workspace(
    db, "SELECT reason, currency, COUNT(*) AS n, COALESCE(SUM(units), 0) AS units, ",
    "SUM(CASE WHEN units IS NULL THEN 1 ELSE 0 END) AS unknown, MIN(place) AS example FROM ",
    db$named("judged"), " GROUP BY reason, currency", by = c("reason", "currency"),
    low = "example"
  )
  counts <- data.table(
    file = file,
    reason = factor(c("kept", set_aside_reasons)[counts$reason + 1L], c("kept", set_aside_reasons)),
    currency = counts$currency,
    rows = as.integer(counts$n),
    units = counts$units,
    unknown = ifelse(counts$reason == 0, 0L, as.integer(counts$unknown)),
    example = as.integer(counts$example)
  )
  data.table::setorderv(counts, c("file", "reason", "currency"))
  only_nobody <- paste0(
    "reason = 2 AND ", paste0("f", c(1L, 3:length(set_aside_reasons)), collapse = " + "), " = 0"
  )
  money <- ask_workspace(
    db, "SELECT day, SUM(CASE WHEN reason = 0 THEN units ELSE 0 END) AS identified, ",
    "SUM(units) AS total FROM ", db$named("judged"), " WHERE reason = 0 OR (", only_nobody,
    ") GROUP BY day ORDER BY day", by = "day"
  )
  list(
    counts = counts,
    aside = staged_aside(db, file, replaced),
    rows = as.integer(db$n),
    identified = data.table::setkeyv(data.table(
      day = as.integer(money$day), identified = money$identified, all = money$total
    ), "day"),
    joins = staged_joins(db, joins)
  )
}

staged_aside <- function(db, file, replaced) {
  flag <- paste0("f", seq_along(set_aside_reasons))
  place <- c(db$place, db$joined)
  rows <- ask_workspace(
    db, "SELECT r.*, reason, ", paste(flag, collapse = ", "), " FROM ", db$named("judged"),
    " j JOIN ", db$named("rows"), " r ON r.place = j.place WHERE reason > 0 ORDER BY r.place",
    sort = "place"
  )
  faults <- rep("", nrow(rows))
  for (k in seq_along(flag)) {
    hit <- which(rows[[flag[[k]]]] == 1)
    faults[hit] <- paste0(faults[hit], ifelse(faults[hit] == "", "", "; "), set_aside_reasons[[k]])
  }
  rows <- db$nameless(rows)
  again <- rows$place %in% replaced
  faults[again] <- sub("^duplicate", "duplicate (of an order in another state)", faults[again])
  as.data.frame(c(
    stats::setNames(as.list(rows[, unname(place), with = FALSE]), names(place)),
    list(
      file = rep(file, nrow(rows)),
      row = as.integer(rows$place),
      reason = set_aside_reasons[rows$reason],
      faults = faults
    )
  ), optional = TRUE, stringsAsFactors = FALSE)
}
