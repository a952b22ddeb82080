# Targets that are ready to be used: whom there is a reason to speak to now.

#' Targets that are ready to use
#'
#' Each is an audience with a rule that can be read and changed:
#'   * `second purchase due`: bought once, as long ago as most second purchases come (the shortest
#'   stretch of the waiting curve that holds half of those of a year);
#'   * `long silence`: bought twice or more, silent for longer than nine of ten gaps last;
#'   * `slow rhythm`: the tenth with the fewest visits a year among those with three purchases;
#'   * `falling`: in the year before last among the best three of ten buyers, in the last year below
#'   that mark;
#'   * `value at risk`, where a forecast is given: among the best fifth by what they would bring if
#'   they are still there, and more likely gone than not;
#'   * `best in each group`, where an attribute is given.
#'
#' A tail that was chosen for being low comes back by itself. How much is told at once, from
#' customers who met the same rule in the past.
#'
#' @param ledger `[nubrek_ledger]`
#' @param days `[integer(1)]` Length of the windows before and after.
#' @param within `[character(1)]` A customer attribute, such as `"first_channel"`: the best in each
#'   of its levels.
#' @param top `[integer(1)]` How many of each.
#' @param contact_by `[character(1)]` As in [draw_control()]: targets are of customers who agreed to
#'   be contacted, where the meanings tell who did.
#' @param forecast `[nubrek_value]` From [forecast_value()].
#' @return A `nubrek_targets`, one row per target: `target`; `customers` today, and their `sales` to
#'   date; `before` and `after`, purchases per customer in the window before such customers were
#'   chosen in the past and in the window after it, without a campaign; `by_itself`, after less
#'   before: what a comparison of before and after would credit a campaign with. They are missing
#'   where the rule names what is not known for past days. [one_target()] gives the audience.
#' @examples
#' targets <- ready_targets(example_ledger(), days = 60, within = "first_channel", top = 2)
#' targets
#' one_target(targets, "second purchase due")
#' @export
ready_targets <- function(
  ledger, days = 90L, within = NULL, top = 10L, forecast = NULL, contact_by = NULL
) {
  check_ledger(ledger)
  check_whole(days, lower = 1L)
  check_whole(top, lower = 1L)
  check_text(within, null = TRUE)
  check_purchases(ledger)
  throw_unless(
    checkmate::check_class(forecast, "nubrek_value", null.ok = TRUE),
    "forecast",
    rlang::current_env()
  )
  recipes <- target_recipes(ledger, within, top, forecast)
  then <- ledgers_then(ledger)
  consent <- consent_of(ledger, character(), contact_by, must = FALSE)
  agreed <- if (!is.null(consent$column)) {
    if (is.null(contact_by)) "agreed()" else sprintf("agreed(\"%s\")", contact_by)
  }
  chosen <- Map(\(recipe, name) {
    audience(ledger, rule = c(recipe$rule, agreed), name = name, with = recipe$with %||% list())
  }, recipes, names(recipes))
  course <- vapply(chosen, \(one) drift_of(ledger, one, days, then), c(before = 0, after = 0))
  new_result(
    list(
      target = names(chosen),
      customers = vapply(chosen, nrow, 0L, USE.NAMES = FALSE),
      sales = vapply(chosen, \(one) basis_of(one, "sales"), 0, USE.NAMES = FALSE),
      before = unname(course["before", ]),
      after = unname(course["after", ]),
      by_itself = unname(course["after", ] - course["before", ])
    ),
    "targets",
    ledger,
    rbind(
      carried(ledger), target_remarks(course), consent_remark(consent),
      if (!is.null(forecast) && all(is.na(forecast$value))) {
        remark_table("value", say("Value at risk is no target without a margin."))
      }
    ),
    basis = list(
      days = as.integer(days),
      kinds = c(before = "number", after = "number", by_itself = "number")
    ),
    audiences = chosen,
    rules = vapply(recipes, \(one) paste(c(one$rule, agreed), collapse = " and "), "")
  )
}

#' @param targets `[nubrek_targets]` From [ready_targets()].
#' @param name `[character(1)]` Of the target.
#' @return [one_target()]: a `nubrek_audience`, see [audience()].
#' @rdname ready_targets
#' @export
one_target <- function(targets, name) {
  throw_unless(checkmate::check_class(targets, "nubrek_targets"), "targets", rlang::current_env())
  check_choice(name, targets$target)
  attr(targets, "audiences")[[name]]
}

target_names <- c(
  "second purchase due", "long silence", "slow rhythm", "falling", "value at risk",
  "best in each group"
)

# Rules with the cuts of this ledger, which need not be the same elsewhere.
target_recipes <- function(ledger, within, top, forecast) {
  c(
    due_recipe(ledger),
    silence_recipe(ledger),
    rhythm_recipe(ledger),
    falling_recipe(ledger),
    if (!is.null(forecast) && !all(is.na(forecast$value))) risk_recipe(forecast),
    if (!is.null(within)) {
      best <- rank_customers(ledger, within = within, top = top)
      list(`best in each group` = list(
        rule = sprintf("rank_in_group <= %d", top),
        with = list(data.frame(customer = best$customer, rank_in_group = best$rank))
      ))
    }
  )
}

# The shortest stretch of days in which half of the second purchases of a year come.
due_recipe <- function(ledger) {
  curve <- tryCatch(waiting_curve(ledger), nubrek_error = \(e) NULL)
  curve <- plain_table(curve)[curve$days <= 365, ]
  if (NROW(curve) < 2L) return(list())
  share <- curve$share / max(curve$share)
  before <- c(0, share[-length(share)])
  end <- findInterval(before + 0.5, share, left.open = TRUE) + 1L
  fits <- end <= nrow(curve)
  from <- which(fits)[[which.min(curve$days[end[fits]] - curve$days[fits])]]
  list(`second purchase due` = list(rule = c(
    "purchases == 1", sprintf("between(open_gap, %d, %d)", curve$days[[from]], curve$days[[end[[
      from
    ]]]])
  )))
}

silence_recipe <- function(ledger) {
  gaps <- cumsum(as.double(reduce_gap_counts(ledger))) # the first is of no day
  if (length(gaps) == 0L) return(list())
  list(`long silence` = list(rule = c(
    "purchases >= 2", sprintf("open_gap > %d", sum(gaps < 0.9 * gaps[[length(gaps)]]))
  )))
}

rhythm_recipe <- function(ledger) {
  pace <- audience_gaps(ledger)$visits_per_year[reduce_customers(ledger)$purchases >= 3L]
  pace <- pace[!is.na(pace)]
  if (length(pace) == 0L) return(list())
  cut <- signif(stats::quantile(pace, 0.1, names = FALSE), 3L)
  list(`slow rhythm` = list(rule = c("purchases >= 3", sprintf("visits_per_year <= %s", format(
    cut
  )))))
}

# The mark is what the best three of ten buyers of the year before last spent then.
falling_recipe <- function(ledger) {
  until <- ledger$as_of - 365
  if (until - 364 < ledger$history_start) return(list())
  sales <- reduce_span(ledger, list(from = until - 364, until = until))$sales
  sales <- major(ledger, sales[sales > 0])
  if (length(sales) == 0L) return(list())
  mark <- signif(stats::quantile(sales, 0.7, names = FALSE), 3L)
  list(falling = list(rule = c(
    sprintf("sales(last = 730) - sales(last = 365) >= %s", format(mark)),
    sprintf("sales(last = 365) < %s", format(mark))
  )))
}

# What customers would bring if they are still there, beside how doubtful that is.
risk_recipe <- function(forecast) {
  columns <- forecast_columns(forecast)
  worth <- columns$value / columns$active
  cut <- signif(stats::quantile(worth, 0.8, names = FALSE, na.rm = TRUE), 3L)
  list(`value at risk` = list(
    rule = c(sprintf("value / active >= %s", format(cut)), "active < 0.5"), with = list(columns)
  ))
}

# What customers who met the rule in the past did before and after, per customer.
drift_of <- function(ledger, audience, days, then) {
  found <- tryCatch(
    past_windows(ledger, audience, days, "purchases", then), nubrek_error_unidentified = \(e) NULL
  )
  if (is.null(found) || !found$same_rule) return(c(before = NA_real_, after = NA_real_))
  c(before = found$before, after = found$without)
}

target_remarks <- function(course) {
  lacking <- colnames(course)[is.na(course["after", ])]
  if (length(lacking) == 0L) return(NULL)
  remark_table("past", say(
    "How these come back by themselves cannot be told, as no past day has the rule: %s.",
    toString(lacking)
  ))
}
