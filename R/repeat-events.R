# Times that are not like others: sales, holidays that move, openings, changes of prices.

event_kinds <- c("sale", "holiday", "opening", "closing", "price change", "other")

#' Events of the shop, marked on the clocks
#'
#' An event with the same name may come again: every time is a row. A holiday that moves is such an
#' event, and its times are what is held against each other, wherever they lie in their year.
#'
#' @param ledger `[nubrek_ledger]`
#' @param events `[data.frame]` With `event` (its name), `from`, `until` (days; missing: the day
#'   `from` alone), `kind`: sale, holiday, opening, closing, price change or other.
#' @return `with_events()`: the ledger, which knows them: figures by the calendar mark them, and
#'   [sales_by()] says where a holiday lies in the one time and not in the other.
#' @section Errors: `nubrek_error_argument`: a column is missing, a day cannot be read, an event
#'   ends before it begins, or a kind is not known.
#' @examples
#' ledger <- with_events(example_ledger(), data.frame(
#'   event = c("May fair", "Summer sale"),
#'   from = c("2024-05-01", "2024-07-01"),
#'   until = c("2024-05-04", "2024-07-20"),
#'   kind = c("holiday", "sale")
#' ))
#' event_sales(ledger)
#' event_cohorts(ledger, within = 90)
#' @export
with_events <- function(ledger, events) {
  check_ledger(ledger)
  ledger$events <- read_events(events)
  ledger
}

read_events <- function(events, call = rlang::caller_env()) {
  throw_unless(checkmate::check_data_frame(events, min.rows = 1L), "events", call)
  check_columns_exist(c("event", "from"), names(events), "the events", call)
  from <- event_days(events$from, "from", call)
  until <- event_days(events$until %||% rep(NA, nrow(events)), "until", call)
  until[is.na(until)] <- from[is.na(until)]
  kind <- as.character(events$kind %||% rep("other", nrow(events)))
  told <- \(odd, words) if (any(odd)) {
    abort_nubrek(c(words, "x" = "Row {which(odd)[[1L]]} of the events."), "argument", call = call)
  }
  told(is.na(from), "An event has no day on which it begins.")
  told(until < from, "An event ends before it begins.")
  odd <- setdiff(kind, event_kinds)
  if (length(odd) > 0L) {
    abort_nubrek(c(
      "There is no kind of event {.val {odd[[1L]]}}.",
      "x" = "There are {.val {event_kinds}}.",
      nearest_hint(odd[[1L]], event_kinds)
    ), "argument", call = call)
  }
  events <- data.frame(event = as.character(events$event), from, until, kind)
  events[order(events$from, events$event), ]
}

event_days <- function(x, name, call) {
  days <- if (inherits(x, "Date")) x else as.Date(as.character(x), "%Y-%m-%d", optional = TRUE)
  odd <- which(is.na(days) & !is.na(x))
  if (length(odd) > 0L) {
    abort_nubrek(c(
      "A day of the events cannot be read: {.val {as.character(x)[[odd[[1L]]]]}}.",
      "x" = "Row {odd[[1L]]}, column {.field {name}}.",
      "i" = "Days are written like 2024-03-05."
    ), "argument", call = call)
  }
  days
}

known_events <- function(ledger, call = rlang::caller_env()) {
  if (is.null(ledger$events)) {
    abort_nubrek(c(
      "The ledger knows no events.",
      "i" = "Tell them: {.fn with_events}, or {.field events} of a study."
    ), "argument", call = call)
  }
  begun <- ledger$events[ledger$events$from <= ledger$as_of, ]
  if (nrow(begun) == 0L) {
    abort_nubrek("No event has begun by {format(ledger$as_of)}.", "no_purchases", call = call)
  }
  begun
}

#' @param around `[integer(1)]` Days before and after each event that are taken with it, such as 7
#'   for the week before a holiday.
#' @return `event_sales()`: a `nubrek_event_sales`, one row per time: `event`, `kind`, `from`,
#'   `until` (as far as the data go), `days`; `customers`, `new_customers` (first purchase in it),
#'   `purchases`, `sales`; `usual`, what such days sell without the event, with `usual_lower`,
#'   `usual_upper`, between which they sell in 95 % of cases; `to_usual`, sales by usual;
#'   `other_years`, in how many other years the same days were seen; `last_sales`, of the time
#'   before of the same event, and `change_percent` against it, by day where the lengths differ.
#' @details `usual` is learned from the days of no event in the four weeks before and the four after
#'   and, where the data reach, from the same days of up to two other years (364 or 728 days away,
#'   so that days of the week agree): December against Decembers. The logs of the means of the days
#'   are a Gaussian process (Rasmussen and Williams 2006): a level of each year, the day of the
#'   week, the time of year, stretches of some days that sell more or less than others; single days
#'   vary by a multiple of their mean. How large each is, is averaged over by what the days say of
#'   it. Where no other year shows the days, the time of year may be anything likely: the interval
#'   is wide, and a remark says so.
#' @rdname with_events
#' @export
event_sales <- function(ledger, around = 0L) {
  check_ledger(ledger)
  check_whole(around, lower = 0L)
  events <- known_events(ledger)
  events$from <- events$from - around
  events$until <- pmin(events$until + around, ledger$as_of)
  check_purchases(ledger)
  first <- first_purchase_day(ledger)
  busy <- days_between(events$from, events$until)
  rows <- lapply(seq_len(nrow(events)), \(i) {
    one_event(ledger, as.integer(events$from[[i]]), as.integer(events$until[[i]]), busy, first)
  })
  rows <- rbindlist(rows)
  before <- vapply(seq_len(nrow(events)), \(i) {
    c(rev(which(events$event[seq_len(i - 1L)] == events$event[[i]])), NA)[[1L]]
  }, 1L)
  days <- as.integer(events$until - events$from) + 1L
  by_day <- \(i) rows$sales[i] / days[i]
  new_result(
    list(
      event = events$event,
      kind = events$kind,
      from = events$from,
      until = events$until,
      days = days,
      customers = rows$customers,
      new_customers = rows$won,
      purchases = rows$purchases,
      sales = rows$sales,
      usual = rows$usual,
      usual_lower = rows$usual_lower,
      usual_upper = rows$usual_upper,
      to_usual = ifelse(rows$usual > 0, rows$sales / rows$usual, NA_real_),
      other_years = rows$other_years,
      last_sales = rows$sales[before],
      change_percent = by_day(seq_along(days)) / by_day(before) - 1
    ),
    "event_sales",
    ledger,
    rbind(carried(ledger), unseen_season_remark(events$event, rows)),
    basis = list(around = around, kinds = c(to_usual = "decimal", new_customers = "count"))
  )
}

# The numbers of one time, and what is usual for its days.
one_event <- function(ledger, from, until, busy, first) {
  rows <- as.data.table(ledger_rows(
    ledger, "orders", c("customer", "day", bought_columns(ledger)),
    from = from - usual_beside, until = until + usual_beside
  ))
  inside <- rows[day >= from & day <= until]
  bought <- purchases_of(ledger, inside)
  beside <- setdiff(c((from - 28L):(from - 1L), until + seq_len(28L)), busy)
  beside <- beside[beside >= as.integer(ledger$history_start) & beside <= as.integer(ledger$as_of)]
  usual <- usual_sales(days_beside(ledger, from, until, busy, rows), from, until)
  list(
    customers = data.table::uniqueN(bought$customer),
    won = sum(first >= from & first <= until, na.rm = TRUE),
    purchases = nrow(bought),
    sales = major(ledger, sum(inside$sales)),
    usual = major(ledger, round(usual$usual)),
    usual_lower = major(ledger, round(usual$lower)),
    usual_upper = major(ledger, round(usual$upper)),
    other_years = usual$years
  )
}

unseen_season_remark <- function(event, rows) {
  unseen <- unique(event[rows$other_years == 0L & !is.na(rows$usual)])
  if (length(unseen) == 0L) return(NULL)
  remark_table("season unseen", say(
    "No other year shows what %s would sell without it, so its usual sales are less certain.",
    paste0("\u201c", unseen, "\u201d", collapse = ", ")
  ))
}

# The days around an event and the same of other years, without those of any event: what each sold.
# `rows`: the orders around the event itself.
days_beside <- function(ledger, from, until, busy, rows) {
  first <- as.integer(ledger$history_start)
  last <- as.integer(ledger$as_of)
  each <- lapply(c(0L, usual_shifts(from, until, first, last)), \(shift) {
    day <- (from - usual_beside):(until + usual_beside) + shift
    if (shift != 0L) {
      rows <- as.data.table(ledger_rows(
        ledger, "orders", c("day", "sales"), from = min(day), until = max(day)
      ))
    }
    day <- day[day >= first & day <= last & !day %in% busy]
    daily <- rows[, .(sold = sum(sales)), keyby = day]
    sold <- daily$sold[match(day, daily$day)]
    data.frame(day, shift = rep(shift, length(day)), sold = ifelse(is.na(sold), 0, sold))
  })
  do.call(rbind, each)
}

# Orders that are purchases, or days whose orders together are one.
purchases_of <- function(ledger, orders) {
  if (ledger$meaning$purchase_unit == "day") {
    orders <- orders_together(orders, c("customer", "day"))
  }
  orders[is_purchase(ledger, orders)]
}

#' @param within `[integer(1)]` Days in which a second purchase counts as come back. Default 180.
#' @return `event_cohorts()`: a `nubrek_event_cohorts`, two rows per event: `event`; `won`, `inside`
#'   (the first purchase fell into it, of a holiday into the latest) or `beside` (in the four weeks
#'   before or after, outside all events; of a holiday `years before`, in the same holiday of
#'   earlier years); `customers`; `share` back within the days (Kaplan and Meier) with `lower`,
#'   `upper`;
#'   `visits_per_year` of those who came back; `mean_first`, `mean_later`, net sales of the first
#'   and of later purchases; `p`, of the log-rank comparison of the two.
#' @rdname with_events
#' @export
event_cohorts <- function(ledger, within = 180L) {
  check_ledger(ledger)
  check_whole(within, lower = 1L)
  events <- known_events(ledger)
  check_purchases(ledger)
  w <- reduce_waits(ledger, 2L)
  rows <- lapply(unique(events$event), \(name) {
    cbind(event = name, won_in(
      ledger, w, won_where(events, name, w$first), within, won_words(events, name)
    ))
  })
  rows <- rbindlist(rows)
  new_result(
    as.list(rows), "event_cohorts", ledger,
    rbind(carried(ledger, c("as of", "history start")), known_earlier_remark(sum(w$known))),
    basis = list(within = within, kinds = c(p = "p"))
  )
}

days_between <- function(from, until) {
  unique(unlist(Map(\(a, b) as.integer(a):as.integer(b), from, until)))
}

# Those won in an event and those they are held against. Days beside a holiday are no holiday: it is
# held against itself, of the years before.
won_words <- function(events, name) {
  c("inside", if (is_holiday(events, name)) "years before" else "beside")
}

is_holiday <- function(events, name) all(events$kind[events$event == name] == "holiday")

# Whether each first day falls into an event (1), or beside it and outside of all (2).
won_where <- function(events, name, first) {
  mine <- events[events$event == name, ]
  if (is_holiday(events, name)) {
    begun <- mine$from <= max(first, -Inf, na.rm = TRUE)
    last <- begun & mine$from == max(mine$from[begun], -Inf)
    now <- first %in% days_between(mine$from[last], mine$until[last])
    then <- first %in% days_between(mine$from[!last], mine$until[!last])
    return(data.table::fcase(now, 1L, then, 2L))
  }
  beside <- setdiff(
    days_between(mine$from - 28L, mine$until + 28L), days_between(events$from, events$until)
  )
  inside <- first %in% days_between(mine$from, mine$until)
  data.table::fcase(inside, 1L, first %in% beside, 2L)
}

# What became of those won inside (1) and beside (2).
won_in <- function(ledger, w, group, within, words) {
  use <- which(!is.na(group))
  time <- time_waited(w, ledger)
  people <- data.table(customer = w$code[use], group = group[use], first = w$first[use])
  orders <- as.data.table(ledger_rows(
    ledger, "orders", c("customer", "day", bought_columns(ledger)), sort(people$customer)
  ))
  bought <- purchases_of(ledger, orders)[people, on = "customer", nomatch = NULL]
  # several purchases on the first day are all of it
  money <- bought[, .(
    n_first = sum(day == first), first_sales = sum(sales[day == first]),
    n_later = sum(day > first), later_sales = sum(sales[day > first]),
    gaps = .N - 1L, span = max(day, -Inf) - min(day, Inf)
  ), keyby = .(customer, group)]
  sums <- money[, .(
    visits_per_year = sum(gaps[span > 0]) * 365.25 / sum(span),
    mean_first = sum(first_sales) / sum(n_first), mean_later = sum(later_sales) / sum(n_later)
  ), keyby = group][.(1:2), on = "group"]
  curve <- \(g) {
    here <- use[group[use] == g]
    if (length(here) == 0L) return(list(share = NA_real_, lower = NA_real_, upper = NA_real_))
    at_days(time[here], !is.na(w$nth)[here], within)
  }
  test <- log_rank(risk_table(group[use], time[use], !is.na(w$nth)[use]))
  data.table(
    won = words,
    customers = tabulate(group[use], 2L),
    rbindlist(lapply(1:2, curve)),
    visits_per_year = ifelse(is.finite(sums$visits_per_year), sums$visits_per_year, NA_real_),
    mean_first = major(ledger, sums$mean_first),
    mean_later = ifelse(sums$mean_later > -Inf, major(ledger, sums$mean_later), NA_real_),
    p = if (is.null(test)) NA_real_ else test$p
  )
}

# A holiday that lies in the one time and not in the other: comparing them compares it too.
holiday_remark <- function(ledger, span, before) {
  if (is.null(before) || is.null(ledger$events)) return(NULL)
  holidays <- ledger$events[ledger$events$kind == "holiday", ]
  inside <- \(span) unique(
    holidays$event[holidays$from <= span$until & holidays$until >= span$from]
  )
  now <- setdiff(inside(span), inside(before))
  then <- setdiff(inside(before), inside(span))
  if (length(now) + length(then) == 0L) return(NULL)
  remark_table("holiday", paste(c(
    if (length(now) > 0L) {
      say("%s lies in the later time alone.", paste(now, collapse = ", "))
    },
    if (length(then) > 0L) {
      say("%s lies in the earlier time alone.", paste(then, collapse = ", "))
    },
    say("`event_sales()` holds holidays against themselves.")
  ), collapse = " "))
}
