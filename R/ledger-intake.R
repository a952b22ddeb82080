# Every input row ends in the ledger or in the set-aside table, with a reason.

# In order of precedence: a row is set aside once, under the first.
set_aside_reasons <- c(
  "duplicate", "no customer", "no date", "unreadable date", "unreadable amount", "blank amount",
  "test order", "cancelled order", "after as of", "foreign currency", "excluded id",
  "ignored return", "voucher", "shipping", "fee", "deposit", "tip", "gift card"
)

# Takes in the order rows as they were read. `rows` holds, per input row: customer and order (codes
# into `people` and `order_ids`; order 0 is none), day, seconds (none if all are at midnight),
# sales. `faults` holds the rows that each reason applies to. Of rows that are a part of all,
# `whole` says how copies are judged among all (see `judge_copies()`).
take_in_orders <- function(
  read, map, meaning, alias_of, joins, rates, call = rlang::caller_env(), whole = NULL
) {
  joined <- add_joins(read$table, joins, read$files[[1L]], call)
  nobody <- without_erased(joined$cells, map, meaning)
  cells <- nobody$cells
  rules <- Filter(Negate(is.null), list(meaning$test, meaning$cancelled))
  check_columns_exist(
    c(unname(unclass(map)), vapply(row_rules(meaning), `[[`, "", "column")), names(cells),
    read$files[[1L]], call
  )
  check_no_multiplying(sales_columns(map), joined$key_of, cells, call)
  check_one_currency(cells, map, meaning, call)
  signal_progress("reading amounts and dates")
  dates <- read_day_cells(role_cells(cells, map, "date"), map[["date"]], meaning, call)
  amount <- read_amounts(cells, read$n, map, meaning, dates$day, rates, call)
  written <- trim_cells(role_cells(cells, map, "customer"))
  customer <- if (length(alias_of) > 0L) {
    recode(written, resolve_aliases(levels(written), alias_of))
  } else {
    written
  }
  ids <- order_codes(
    if (has_role(map, "order")) trim_cells(role_cells(cells, map, "order")), read$n
  )
  rows <- list(
    customer = cpp_codes(customer),
    order = ids$code,
    day = dates$day,
    seconds = dates$seconds,
    sales = amount$units
  )
  rows$.kind <- kind_codes(meaning, cells, read$n)
  signal_progress("looking for repeated rows")
  repeated <- find_duplicates(read, rows, has_role(map, "line"), meaning$duplicates, whole)
  settled <- settle_conflicts(
    read, rows, customer, ids$texts, map, meaning, repeated$duplicate, rules, call
  )
  c(
    list(
      cells = cells,
      rows = rows,
      n = read$n,
      people = levels(customer),
      order_ids = ids$texts,
      no_id = ids$none,
      faults = row_faults(
        cells, meaning, settled, dates, amount, written, customer, rows$.kind, nobody$deleted
      ),
      read = read[intersect(c("files", "rows", "remarks", "n", "at"), names(read))],
      joins = joined$found,
      nameless = nobody$rows
    ),
    amount[c("currency", "row_currency", "decimals", "rounded", "rest", "converted")],
    list(
      suspects = repeated$suspect,
      exported_twice = repeated$exported_twice,
      judged = repeated$judged,
      conflicts = settled$orders,
      replaced = settled$replaced,
      written = list(dates = dates$order, mark = amount$mark),
      names = unclass(map)[intersect(c("customer", "order"), names(map))]
    )
  )
}

# The rows that are set aside, by the first reason that holds.
row_faults <- function(
  cells, meaning, settled, dates, amount, written, customer, kind, deleted
) {
  goods <- if (is.null(kind)) TRUE else kind == 0L
  faults <- c(list(
    duplicate = settled$duplicate,
    "no customer" = setdiff(blank_rows(customer), deleted),
    "no date" = dates$blank,
    "unreadable date" = dates$unreadable,
    "unreadable amount" = amount$unreadable,
    "blank amount" = amount$blank,
    "test order" = rule_rows(meaning$test, cells),
    "cancelled order" = rule_rows(meaning$cancelled, cells),
    "after as of" = rows_after(dates$day, meaning$as_of),
    "foreign currency" = amount$foreign,
    "excluded id" = sort(c(
      excluded_rows(written, customer, meaning$excluded_ids), deleted
    )),
    "ignored return" = if (meaning$returns == "ignore") {
      which(amount$units < 0 & goods)
    } else {
      integer()
    }
  ), kind_faults(meaning, kind))
  stopifnot(identical(names(faults), set_aside_reasons))
  faults
}

rows_after <- function(day, as_of) {
  if (is.null(as_of)) integer() else which(day > as.integer(as_of))
}

# Ids are excluded as they are written and as they are told apart.
excluded_rows <- function(written, customer, ids) {
  if (length(ids) == 0L) return(integer())
  sort(unique(c(
    rows_where(written, levels(written) %in% ids), rows_where(customer, levels(customer) %in% ids)
  )))
}

# Codes of order ids: 0 where there is none.
order_codes <- function(cells, n) {
  if (is.null(cells)) return(list(code = integer(n), texts = character(), none = seq_len(n)))
  none <- blank_rows(cells)
  code <- cpp_codes(cells)
  if (length(none) > 0L) code[none] <- 0L
  list(code = code, texts = levels(cells), none = none)
}

rule_rows <- function(rule, cells) {
  if (is.null(rule)) return(integer())
  rows_where(cells[[rule$column]], trim_text(levels(cells[[rule$column]])) %in% rule$values)
}

# The rows with any fault, ascending, and the first fault of each.
first_faults <- function(faults) {
  place <- unlist(faults, use.names = FALSE)
  kind <- rep.int(seq_along(faults), lengths(faults))
  first <- order(place, kind, method = "radix")
  first <- first[!duplicated(place[first])]
  list(rows = place[first], reason = set_aside_reasons[kind[first]])
}

# Rows equal over all columns as read (definition 3). A copy is a duplicate where lines have ids,
# where the file holds one row per order, or where a whole order stands again; other equal lines are
# suspects (two equal items at a till are two items). `judged` is what a part knows of that.
find_duplicates <- function(read, rows, has_line_id, policy, whole = NULL) {
  again <- if (any(vapply(read$table, all_distinct, NA))) {
    integer()
  } else {
    cpp_repeated_rows(read$table)
  }
  found <- \(duplicate, suspect, ...) list(duplicate = duplicate, suspect = suspect, ...)
  if (policy == "none") return(found(integer(), again))
  if (has_line_id || policy == "all equal lines") return(found(again, integer()))
  if (length(again) == 0L && is.null(read$at)) return(found(again, again))
  units <- order_units(rows, max(0L, rows$order))
  judged <- judge_copies(rows, units, again)
  if (length(again) == 0L || (whole %||% judged)$one_each) {
    return(found(again, integer(), judged = judged))
  }
  repeated <- whole_orders_again(read, units, again, times = whole$times)
  judged$twice <- repeated$twice
  c(repeated[names(repeated) != "twice"], list(judged = judged))
}

but_for <- function(x, places) if (length(places) > 0L) x[-places] else x

# What the copies of a part are judged by, when all parts are known: how many there are, whether
# each order has one row but for them, how many orders have several, and (where it was looked at)
# how often those stand that stand again.
judge_copies <- function(rows, units, again) {
  unit <- but_for(units$unit, again)
  list(
    again = length(again),
    one_each = all(rows$order > 0L) && !anyDuplicated(unit),
    several = sum(tabulate(unit, units$n) > 1L)
  )
}

# An order of at least two different lines that stands again as a whole, and, in a file that was
# exported twice, also one of equal lines only. `different` is how many orders have different lines,
# `times` how often all was exported, where that is known.
whole_orders_again <- function(read, units, again, different = NULL, times = NULL) {
  several <- tabulate(units$unit[-again], units$n) > 1L # orders with different lines
  hit <- logical(units$n)
  hit[units$unit[again]] <- TRUE
  touched <- which(hit[units$unit])
  unit <- units$unit[touched]
  line <- number_rows(c(list(unit), lapply(read$table, \(cells) cpp_codes(cells)[touched])))
  copies <- tabulate(line)[line]
  found <- times_of_orders(unit, copies, several, file_of(read, touched), length(read$files))
  twice <- found$times[several[found$unit]]
  different <- different %||% sum(several)
  exported <- times %||% export_times(twice, different)
  often <- rep(1L, length(unit))
  place <- match(unit, found$unit)
  often[!is.na(place)] <- found$times[place[!is.na(place)]]
  often[!several[unit] & often == 1L & copies %% exported == 0L] <- exported
  copy <- data.table::rowidv(line)
  extra <- copy > copies / often
  list(
    duplicate = touched[extra],
    suspect = touched[!extra & copy > 1L],
    exported_twice = if (exported > 1L) c(orders = length(twice), of = different),
    twice = twice
  )
}

# The orders that stand more than once, and how often: each of their lines as often, or, of equal
# lines only, in several files with as many in each.
times_of_orders <- function(unit, copies, several, file, n_files) {
  once <- unique(unit[copies == 1L])
  look <- which(!unit %in% once & (several[unit] | n_files > 1L))
  if (length(look) == 0L) return(list(unit = integer(), times = integer()))
  found <- data.table(unit = unit[look], copies = copies[look], file = file[look])[,
    .(times = if (several[.BY$unit]) {
      Reduce(greatest_divisor, unique(copies))
    } else {
      alike_in_files(file)
    }),
    by = unit
  ]
  found[found$times > 1L]
}

# An order of equal lines only that stands in several files with as many in each was exported so
# often.
alike_in_files <- function(file) {
  counts <- tabulate(match(file, unique(file)))
  if (length(counts) > 1L && all(counts == counts[[1L]])) length(counts) else 1L
}

# How often the whole file was exported: as often as most orders with different lines stand, if nine
# in ten stand again.
export_times <- function(times, orders) {
  if (orders == 0L || length(times) < 0.9 * orders) return(1L)
  counts <- table(times)
  as.integer(names(counts)[[which.max(counts)]])
}

# The unit each row belongs to: its customer and order, or, without an order id, its day.
order_units <- function(rows, n_orders) {
  sorting <- rows$order
  none <- which(sorting == 0L)
  if (length(none) > 0L) sorting[none] <- -1000000L - rows$day[none]
  cpp_number_pairs(rows$customer, sorting, if (length(none) > 0L) 0L else n_orders)
}

greatest_divisor <- function(a, b) if (b == 0L) a else greatest_divisor(b, a %% b)
