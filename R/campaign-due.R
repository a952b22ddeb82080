# Whose second purchase is due today.

#' Whose second purchase is due, and what to offer
#'
#' Of all who come back, the middle half do so between two days after the first purchase. Who bought
#' once and stands between them is inside the window; who stands behind it has passed it.
#'
#' @param ledger `[nubrek_ledger]`
#' @param by `[character(1)]` A customer or first-order attribute: a window for each group. Groups
#'   of which fewer than 30 came back get the window of everybody.
#' @param window `[double(2)]` Where the window begins and ends, as shares of those who ever come
#'   back (by the waiting curve, up to the longest time seen). Default the middle half.
#' @param passed `[integer(1)]` Days behind the window up to which customers are listed. Default 30.
#' @param ahead `[integer(1)]` Days for which the chance to come back is told. Default 30.
#' @param contact_by,quiet,most As in [draw_control()]: only who agreed to be contacted, who was not
#'   in the last `quiet` days, and fewer than `most` times in the last 91.
#' @param steps `[nubrek_steps]` From [product_steps()]: brings what to offer.
#' @return A `nubrek_due`, one row per customer on the list, those inside the window first, the most
#'   likely on top: `customer`; the group; `first`, day of the first purchase; `days` since;
#'   `window_from`, `window_until`; `state`, `inside` or `passed`; `chance_to_come` back within
#'   `ahead` days for those who have not come so far (by the waiting curve of the group; missing
#'   where it does not reach so far). With `steps` also `bought`, the first goods; `offer`, what
#'   most of those who began with them bought next, of the steps that are above what everybody buys
#'   (`adjusted_p` below 0.05), else what most bought second; `offer_share`.
#' @section Errors: `nubrek_error_no_purchases`: nobody has come back yet, so nobody knows when.
#' @examples
#' purchase_due(example_ledger(), window = c(0.1, 0.9))
#' @export
purchase_due <- function(
  ledger, by = NULL, window = c(0.25, 0.75), passed = 30L, ahead = 30L, contact_by = NULL,
  quiet = NULL, most = NULL, steps = NULL
) {
  check_ledger(ledger)
  check_text(by, null = TRUE)
  by <- meant_attributes(ledger, by)
  throw_unless(checkmate::check_numeric(
    window, lower = 0, upper = 1, len = 2L, any.missing = FALSE, sorted = TRUE
  ), "window", rlang::current_env())
  check_whole(passed, lower = 0L)
  check_whole(ahead, lower = 1L)
  check_purchases(ledger)
  w <- reduce_waits(ledger, 2L)
  group <- if (is.null(by)) rep("all", length(w$code)) else group_of(ledger, by)[[1L]][w$code]
  time <- time_waited(w, ledger)
  windows <- due_windows(group, time, !is.na(w$nth), window, ahead)
  at <- match(group, windows$table$group)
  waiting <- is.na(w$nth)
  from <- windows$table$from[at]
  until <- windows$table$until[at]
  keep <- which(waiting & time >= from & time <= until + passed)
  ids <- ledger_ids(ledger, w$code[keep])
  rules <- contact_rules(
    ledger, ids, ledger$as_of + 1L, contact_by, quiet, most, "", "not on the list", must = FALSE
  )
  keep <- keep[rules$allowed]
  chance <- windows$chance(group[keep], time[keep])
  inside <- time[keep] <= until[keep]
  offers <- if (!is.null(steps)) offers_of(ledger, steps, w$code[keep])
  rows <- c(
    list(customer = ids[rules$allowed]),
    if (!is.null(by)) stats::setNames(list(group[keep]), group_names(by, due_columns)),
    list(
      first = as.Date(w$first[keep], origin = "1970-01-01"),
      days = time[keep],
      window_from = as.Date(w$first[keep] + from[keep], origin = "1970-01-01"),
      window_until = as.Date(w$first[keep] + until[keep], origin = "1970-01-01"),
      state = ifelse(inside, "inside", "passed"),
      chance_to_come = chance
    ),
    offers
  )
  sorting <- order(!inside, -chance, w$code[keep])
  new_result(
    lapply(rows, `[`, sorting),
    "due",
    ledger,
    rbind(
      carried(ledger, c("as of", "history start")), known_earlier_remark(sum(w$known)),
      rules$remarks, windows$remark
    ),
    basis = list(
      by = by, windows = windows$table, passed = passed, ahead = ahead,
      waiting = data.frame(group = group[waiting], days = time[waiting]),
      kinds = c(first = "date")
    )
  )
}

due_columns <- c(
  "customer", "first", "days", "window_from", "window_until", "state", "chance_to_come", "bought",
  "offer", "offer_share"
)

# The window of each group (`from`, `until`, days), and the chance to come within the next days.
due_windows <- function(group, time, event, window, ahead, call = rlang::caller_env()) {
  curve_of <- \(here) {
    curve <- one_curve(time[here], event[here])
    c(curve[c("days", "share")], longest = max(time[here]), back = sum(event[here]))
  }
  if (!any(event)) {
    abort_nubrek(c(
      "Nobody has made a second purchase yet, so nobody knows when it is due."
    ), "no_purchases", call = call)
  }
  all <- curve_of(rep(TRUE, length(time)))
  names <- sort(unique(group), method = "radix")
  curves <- lapply(stats::setNames(nm = names), \(name) curve_of(group == name))
  few <- vapply(curves, \(curve) curve$back < few_customers, NA) & length(names) > 1L
  curves[few] <- list(all)
  edge <- \(curve, share) curve$days[[which(curve$share >= share * max(curve$share) - 1e-12)[[1L]]]]
  read <- \(curve, day) c(0, curve$share)[findInterval(day, curve$days) + 1L]
  list(
    table = data.frame(
      group = names,
      from = vapply(curves, edge, 0, window[[1L]], USE.NAMES = FALSE),
      until = vapply(curves, edge, 0, window[[2L]], USE.NAMES = FALSE),
      back = vapply(curves, `[[`, 0, "back", USE.NAMES = FALSE)
    ),
    chance = \(group, day) {
      chance <- rep(NA_real_, length(day))
      for (name in unique(group)) {
        curve <- curves[[name]]
        here <- which(group == name & day + ahead <= curve$longest)
        so_far <- read(curve, day[here])
        to_come <- (read(curve, day[here] + ahead) - so_far) / (1 - so_far)
        chance[here] <- ifelse(so_far < 1, to_come, NA_real_)
      }
      chance
    },
    remark = if (any(few)) remark_table("window", say(
      "%s with fewer than %d who came back: the window of everybody.",
      n_of(sum(few), "group"), few_customers
    ))
  )
}

# What to offer to each customer: by the steps from what the first purchase held.
offers_of <- function(ledger, steps, codes, call = rlang::caller_env()) {
  throw_unless(checkmate::check_class(steps, "nubrek_steps"), "steps", call)
  found <- first_and_second(ledger, basis_of(steps, "by"), basis_of(steps, "basket"), call)
  first <- labels_of_purchase(found, 1L)[customer %in% codes]
  first <- first[, .(customer, first = found$labels[label])]
  data.table::setorderv(first, c("customer", "first"))
  bought <- first[, .(bought = paste(first, collapse = ", ")), keyby = customer]
  rows <- as.data.table(plain_table(steps))
  sure <- rows[!is.na(adjusted_p) & adjusted_p < 0.05 & lift > 1]
  data.table::setorderv(sure, c("first", "share", "second"), c(1L, -1L, 1L))
  best <- first[sure[!duplicated(first)], on = "first", nomatch = NULL]
  data.table::setorderv(best, c("customer", "share", "second"), c(1L, -1L, 1L))
  best <- best[!duplicated(customer)]
  usual <- found$labels[labels_of_purchase(found, 2L)[, .N, keyby = label][order(-N)]$label]
  at <- match(codes, best$customer)
  list(
    bought = bought$bought[match(codes, bought$customer)],
    offer = ifelse(is.na(at), c(usual, NA)[[1L]], best$second[at]),
    offer_share = best$share[at]
  )
}
