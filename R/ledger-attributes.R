# What is known of each customer beside the measures: the customer table, the first purchase, and
# bands of both.

# Attributes by customer code, all or these: from the customer table, the latest of the lines,
# `first_...` from the largest line of the first purchase, what can be derived, and the user's
# bands.
known_attributes <- function(ledger, wanted = NULL) {
  makers <- attribute_makers(ledger)
  if (!is.null(wanted)) makers <- makers[intersect(wanted, names(makers))]
  lapply(makers, \(make) make())
}

attribute_names <- function(ledger) names(attribute_makers(ledger))

# What makes each attribute when it is asked for.
attribute_makers <- function(ledger) {
  makers <- plain_makers(ledger)
  for (name in names(ledger$bands)) {
    makers[[name]] <- band_maker(ledger, name, makers)
  }
  makers
}

# Columns of the lines that may differ from order to order; one that the customer table has too is
# the customer's.
varying_attributes <- function(ledger) {
  setdiff(line_columns(ledger), c("return_of", "line_kind", names(ledger$attributes)))
}

# Attributes of the latest order, which is dated as late as can be.
latest_attributes <- function(ledger) {
  intersect(paste0("latest_", varying_attributes(ledger)), attribute_names(ledger))
}

# Attributes as they are shown without being asked for: not where whole customers stand by the
# channel or the goods of their latest order alone.
shown_attributes <- function(ledger) {
  setdiff(attribute_names(ledger), paste0("latest_", c("product", "category", "channel")))
}

# The attributes that are meant: one that differs from order to order is that of the latest.
meant_attributes <- function(ledger, names, known = attribute_names(ledger)) {
  if (!is.character(names)) return(names)
  latest <- paste0("latest_", names)
  ifelse(names %in% known | !latest %in% known, names, latest)
}

band_maker <- function(ledger, name, makers) {
  force(name)
  force(makers)
  \() band_values(ledger, name, makers)
}

plain_makers <- function(ledger) {
  lines <- line_names(ledger)
  first <- once_in_memory(ledger, first_purchase_line)
  latest <- once_in_memory(ledger, last_line)
  makers <- lapply(as.list(ledger$attributes), \(x) \() x)
  shown <- setdiff(lines, c(
    "number", "sales", "return_of", "line_kind", ".quantity", ".cost", ".discount"
  ))
  for (name in shown) {
    makers[[paste0("first_", name)]] <- line_maker(ledger, name, first, "first")
  }
  for (name in setdiff(shown, names(ledger$attributes))) {
    makers[[paste0("latest_", name)]] <- line_maker(ledger, name, latest, "latest")
  }
  if (".discount" %in% lines) {
    makers$first_discount_share <- \() reduce_first_discount(ledger, first)
  }
  makers$cohort <- \() label_of_day(first_purchase_day(ledger), ledger_clock(ledger))
  if (!is.null(ledger$meaning$registered)) {
    makers$days_to_first <- \() {
      first_purchase_day(ledger) - attribute_day(ledger, ledger$meaning$registered)
    }
  }
  makers
}

line_maker <- function(ledger, name, place, which) {
  force(name)
  force(which)
  \() goods_texts(ledger, name, which, place)
}

# Of an order without goods, no product is known.
goods_texts <- function(ledger, name, which, place) {
  texts <- reduce_line_texts(ledger, name, which, place)
  if (!is.null(ledger$meaning$kinds)) texts[texts %in% kind_labels()] <- NA
  texts
}

# The text of a line column for each customer, where `place` finds it in a part: that of the line
# `which` is the largest of the "first" purchase or of the "first order", or the "latest" of all.
reduce_line_texts <- function(ledger, name, which, place) UseMethod("reduce_line_texts")

#' @export
reduce_line_texts.nubrek_ledger <- function(ledger, name, which, place) {
  by_customer(ledger, \(part, codes) as.character(part$lines[[name]][place(part)]))
}

# The share of discount in the first purchase of each customer, one of whose lines `place` finds.
reduce_first_discount <- function(ledger, place) UseMethod("reduce_first_discount")

#' @export
reduce_first_discount.nubrek_ledger <- function(ledger, place) {
  by_customer(ledger, \(part, codes) first_discount_share(part, place(part)))
}

# What is found in a part, found once where the one part is the ledger itself.
once_in_memory <- function(ledger, find) {
  known <- NULL
  \(part) {
    if (!inherits(ledger, "nubrek_memory")) return(find(part))
    known <<- known %||% find(part)
  }
}

# For each customer the row in `lines` of the largest line of goods of the first purchase (earliest
# of equals; of any kind where it has no goods), or NA.
first_purchase_line <- function(ledger, bought = is_purchase(ledger, ledger$orders)) {
  sales <- ledger$lines$sales
  other <- !goods_lines(ledger$lines)
  if (any(other)) sales[other] <- sales[other] - 2 * sum(abs(sales))
  cpp_first_lines(ledger$orders, bought, sales, n_customers(ledger))
}

first_order_line <- function(ledger) {
  first_purchase_line(ledger, rep(TRUE, length(ledger$orders$day)))
}

# Lines stand in the order of their orders, and these by customer and time: the last one is the
# latest.
last_line <- function(ledger) {
  customer <- ledger$orders$customer
  last <- which(c(diff(customer) != 0L, TRUE))
  place <- rep(NA_integer_, n_customers(ledger))
  place[customer[last]] <- cumsum(ledger$orders$n_lines)[last]
  place
}

# Discount by what the first order would have cost without it.
first_discount_share <- function(ledger, at) {
  orders <- ledger$lines$number[at]
  of_orders <- \(x) cpp_group_sums(as.double(x), ledger$lines$number, 0L, length(
    ledger$orders$sales
  ))$sums[orders]
  off <- of_orders(ledger$lines$.discount)
  share_off(off, of_orders(ledger$lines$sales) + off)
}

share_off <- function(off, full) ifelse(!is.na(full) & full > 0, off / full, NA_real_)

#' Cut a number or a date into groups for breakdowns
#'
#' @param from `[character(1)]` The attribute to cut (see [customers()]).
#' @param breaks `[numeric]` Ascending limits; reaching a limit reaches the group from there on. Not
#'   used for dates.
#' @param as `[character(1)]` `"number"` (default); `"age"`, years of age at the as-of day, from a
#'   birth year or day; or a clock (`"month"`, `"quarter"`, `"year"`, ...) for dates.
#' @return A `nubrek_band`, for the argument `bands` of [open_ledger()].
#' @examples
#' band("birth_year", c(30, 45, 60), as = "age")
#' band("registered", as = "quarter")
#' @export
band <- function(from, breaks = NULL, as = "number") {
  check_text(from)
  check_choice(as, c("number", "age", names(clocks)))
  if (!as %in% names(clocks)) {
    ok <- checkmate::test_numeric(breaks, any.missing = FALSE, finite = TRUE, min.len = 1L) &&
      !is.unsorted(breaks, strictly = TRUE)
    if (!ok) {
      abort_nubrek(c(
        "{.arg breaks} must be ascending numbers.", "i" = "For example {.code c(30, 45, 60)}."
      ), "argument")
    }
  }
  structure(list(from = from, breaks = breaks, as = as), class = "nubrek_band")
}

# Groups of a band by customer code, sortable as text; what is not known or not a number is missing.
band_values <- function(ledger, name, makers = plain_makers(ledger), call = rlang::caller_env()) {
  rule <- ledger$bands[[name]]
  rule$from <- own_name(rule$from, names(makers))
  check_columns_exist(rule$from, names(makers), "the customer attributes", call)
  x <- makers[[rule$from]]()
  if (rule$as %in% names(clocks)) {
    day <- attribute_days(ledger, as.character(x), rule$from, call)
    return(label_of_day(day, ledger_clock(ledger, rule$as)))
  }
  number <- if (rule$as == "age") {
    age_at(ledger, as.character(x), rule$from, call)
  } else {
    suppressWarnings(as.numeric(x))
  }
  words <- band_labels(rule$breaks)
  words[findInterval(number, rule$breaks) + 1L]
}

# The groups of a band from low to high, cohorts from early to late; nothing for attributes without
# an order.
natural_order <- function(ledger, name) {
  rule <- ledger$bands[[name]]
  if (is.null(rule)) return(if (name == "cohort") sort(unique(plain_makers(ledger)$cohort())))
  if (rule$as %in% names(clocks)) {
    sort(unique(band_values(ledger, name)))
  } else {
    band_labels(rule$breaks)
  }
}

band_labels <- function(breaks) {
  text <- format(breaks, trim = TRUE, drop0trailing = TRUE, scientific = FALSE)
  whole <- all(breaks == round(breaks))
  between <- if (whole) {
    paste(text[-length(text)], "to", format(breaks[-1L] - 1, trim = TRUE, scientific = FALSE))
  } else {
    paste(text[-length(text)], "to under", text[-1L])
  }
  c(paste("under", text[[1L]]), if (length(breaks) > 1L) between, paste(
    text[[length(text)]], "and over"
  ))
}

# Years of age at the as-of day; from a year alone, the age reached in that year.
age_at <- function(ledger, text, name, call = rlang::caller_env()) {
  as_of <- as.POSIXlt(ledger$as_of)
  year_only <- grepl(year_pattern, trim_text(text))
  result <- rep(NA_real_, length(text))
  result[year_only] <- as_of$year + 1900 - as.numeric(text[year_only])
  day <- attribute_days(ledger, ifelse(year_only, "", text), name, call)
  born <- as.POSIXlt(as.Date(day, origin = "1970-01-01"))
  had <- as_of$mon > born$mon | (as_of$mon == born$mon & as_of$mday >= born$mday)
  ifelse(is.na(day), result, as_of$year - born$year - !had)
}

# Texts of an attribute as days, by the reader of the orders' days: in the order that the meanings
# say, else the one that these texts allow, else that of the orders.
attribute_days <- function(ledger, text, name, call = rlang::caller_env()) {
  text <- ifelse(is.na(text), "", text)
  meaning <- ledger$meaning
  if (meaning$dates == "detect") {
    seen <- cpp_date_orders(text)
    open <- seen$first_both > 0 && seen$only_day == 0 && seen$only_month == 0
    of_orders <- ledger$day_order
    if (open && isTRUE(of_orders %in% c("day-first", "month-first"))) meaning$dates <- of_orders
  }
  read_days(text, name, meaning, call = call)$day
}

# Attributes of customers that look like days and are not all read as such.
day_remarks <- function(ledger) {
  told <- unlist(lapply(names(ledger$attributes), \(name) {
    text <- unique(ledger$attributes[[name]])
    text <- text[!is_blank(text) & !grepl(year_pattern, trim_text(text))]
    some <- utils::head(text, 1000L)
    if (length(some) == 0L || mean(grepl(day_pattern, some)) < 0.5) return(NULL)
    day <- tryCatch(attribute_days(ledger, text, name), nubrek_error_dates = \(e) NULL)
    if (is.null(day)) {
      return(say(paste0(
        "%s looks like days that can be read in two ways; the meaning dates decides how."
      ), name))
    }
    lost <- text[is.na(day)]
    if (length(lost) == 0L) return(NULL)
    n <- sum(ledger$attributes[[name]] %in% lost)
    say(
      "%s holds days; of %s it is unknown, because the day cannot be read, such as %s.", name,
      n_of(n, "customer"), dQuote(lost[[1L]], FALSE)
    )
  }))
  if (length(told) > 0L) remark_table("days", told)
}

year_pattern <- "^[12][0-9]{3}$"
day_pattern <- "^ *[0-9]{1,4}[-./][0-9]{1,2}[-./][0-9]{1,4}"

# Not known is a group of its own.
with_missing <- function(x) {
  x <- as.character(x)
  x[is.na(x)] <- "(missing)"
  x
}

# The groups of a breakdown, "(missing)" being one of its own.
group_of <- function(ledger, by, call = rlang::caller_env()) {
  known <- attribute_names(ledger)
  lacking <- setdiff(by, known)
  if (length(lacking) > 0L) {
    abort_nubrek(c(
      "There is no customer attribute {.field {lacking[[1]]}}.",
      "x" = "There are {.field {known}}.",
      nearest_hint(lacking[[1L]], known)
    ), "attribute", call = call)
  }
  groups <- lapply(known_attributes(ledger, by)[by], with_missing)
  as.data.table(groups)
}

# An attribute named like a column of the result is called `<name>_group` there, and only there.
group_names <- function(by, columns) ifelse(by %in% columns, paste0(by, "_group"), by)

# The groups of the attributes as a factor by customer, and their labels: bands and cohorts in their
# own order, "(missing)" last. `columns` are those of the result.
side_by_side <- function(ledger, by, columns = NULL, call = rlang::caller_env()) {
  values <- group_of(ledger, by, call)
  # the place of each customer's word, then that of all words together
  key <- NULL
  for (name in by) {
    column <- values[[name]]
    words <- as.character(if (is.factor(column)) levels(column) else unique(column))
    known <- natural_order(ledger, name) %||% sort(setdiff(words, "(missing)"), method = "radix")
    places <- match(words, c(known, "(missing)"))
    place <- if (is.factor(column)) places[column] else places[match(column, words)]
    key <- if (is.null(key)) place else key * (length(known) + 2) + place
  }
  keys <- sort(unique(key))
  list(
    code = structure(
      match(key, keys), levels = as.character(seq_along(keys)), class = "factor"
    ),
    labels = stats::setNames(as.list(values[match(keys, key)]), group_names(by, columns))
  )
}

# Cells whose missing ones are a group of their own.
named_missing <- function(cells) {
  if (!cpp_any_missing(cells)) return(cells)
  codes <- cpp_codes(cells)
  codes[is.na(codes)] <- length(levels(cells)) + 1L
  structure(codes, levels = c(levels(cells), "(missing)"), class = "factor")
}
