# What the words mean in this study, said once.

currency_decimals <- function(currency) {
  if (currency %in% c("JPY", "KRW", "ISK", "CLP", "VND", "XAF", "XOF")) 0L
  else if (currency %in% c("BHD", "KWD", "OMR", "TND", "JOD")) 3L
  else 2L
}

#' Which rows a rule picks, by the values of a column
#'
#' @param column `[character(1)]` A column of the order file, as it is called there.
#' @param values `[character]` Rows with one of these values are meant (compared as trimmed text).
#' @return A `nubrek_rule`.
#' @examples
#' order_rule("state", c("cancelled", "void"))
#' @export
order_rule <- function(column, values) {
  check_text(column)
  throw_unless(checkmate::check_character(as.character(values), min.len = 1L, any.missing = FALSE), "values", rlang::current_env())
  structure(list(column = column, values = trim_text(as.character(values))), class = "nubrek_rule")
}

#' What the words mean: purchase, as of, periods, whose rows are left out
#'
#' Said once, kept in the ledger, shown with every result that depends on it.
#'
#' @param currency `[character(1)]` The home currency, an ISO 4217 code; rows in another are set aside. Must be named when
#'   a mapped currency column holds more than one. Minor units have its decimals.
#' @param purchase_unit `[character(1)]` `"order"` (default): every order with positive net sales is a purchase. `"day"`: all
#'   positive orders of a customer on a day are one. Models and waiting times always use days.
#' @param as_of `[Date(1)]` Last day that anything sees; later rows are set aside. Default: the last day among the rows kept.
#' @param clock `[character(1)]` Default period: `"day"`, `"week"` (ISO), `"month"`, `"quarter"` or `"year"`.
#' @param history_start `[Date(1)]` First day the export covers. Default: the first day among the rows kept, with a remark.
#'   Rows before it decide only who is not new.
#' @param dates `[character(1)]` How dates are written: `"detect"` (default), `"year-first"`, `"day-first"` or `"month-first"`.
#' @param decimal_mark `[character(1)]` `"detect"` (default), `"."` or `","`.
#' @param test,cancelled `[nubrek_rule]` Which rows are tests or cancelled, by [order_rule()]. Nothing is guessed from names.
#' @param excluded_ids `[character]` Customer ids to leave out: a till, a guest account, staff.
#' @return A `nubrek_meanings` list.
#' @examples
#' meanings(currency = "EUR", cancelled = order_rule("state", "cancelled"), excluded_ids = "GUEST")
#' @export
meanings <- function(currency = NULL, purchase_unit = "order", as_of = NULL, clock = "month", history_start = NULL,
                     dates = "detect", decimal_mark = "detect", test = NULL, cancelled = NULL, excluded_ids = character()) {
  check_choice(purchase_unit, c("order", "day"))
  check_choice(clock, names(clocks))
  check_choice(dates, c("detect", "year-first", "day-first", "month-first"))
  check_choice(decimal_mark, c("detect", ".", ","))
  if (!is.null(currency) && !checkmate::test_string(currency, pattern = "^[A-Z]{3}$")) {
    abort_nubrek(c("{.arg currency} must be a three-letter code.", "i" = "For example {.val EUR}."), "argument")
  }
  for (rule in list(test, cancelled)) throw_unless(checkmate::check_class(rule, "nubrek_rule", null.ok = TRUE), "rule", rlang::current_env())
  throw_unless(checkmate::check_character(excluded_ids, any.missing = FALSE), "excluded_ids", rlang::current_env())
  as_of <- check_day(as_of)
  history_start <- check_day(history_start)
  if (!is.null(as_of) && !is.null(history_start) && history_start > as_of) {
    abort_nubrek(c("{.arg history_start} must not be after {.arg as_of}.", "x" = "{format(history_start)} is after {format(as_of)}."), "argument")
  }
  structure(list(currency = currency, purchase_unit = purchase_unit, as_of = as_of, clock = clock, history_start = history_start,
                 dates = dates, decimal_mark = decimal_mark, test = test, cancelled = cancelled, excluded_ids = trim_text(excluded_ids)),
            class = "nubrek_meanings")
}
