# What the words mean in this study, said once.

meaning_choices <- list(
  currencies = c("as mapped", "one"),
  purchase_unit = c("order", "day"),
  returns = c("net", "with original order", "ignore"),
  duplicates = c("by line or order", "all equal lines", "none"),
  conflicts = c("error", "newer replaces", "first stays", "parts of one order"),
  cost_per = c("line", "order"),
  dates = c("detect", "year-first", "day-first", "month-first", "serial"),
  decimal_mark = c("detect", ".", ","),
  week_start = c("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
)

#' Which rows a rule picks, by the values of a column
#'
#' @param column `[character(1)]` A column of the order file, as it is called there.
#' @param values `[character]` Rows with one of these values are meant (compared as trimmed text).
#' @param in_sales `[logical(1)]` Of a kind of lines: does it count in sales? Default: as
#'   [meanings()] says of `kinds`.
#' @return A `nubrek_rule`.
#' @examples
#' order_rule("state", c("cancelled", "void"))
#' @export
order_rule <- function(column, values, in_sales = NULL) {
  check_text(column)
  throw_unless(checkmate::check_flag(in_sales, null.ok = TRUE), "in_sales", rlang::current_env())
  throw_unless(
    checkmate::check_character(as.character(values), min.len = 1L, any.missing = FALSE),
    "values",
    rlang::current_env()
  )
  structure(
    c(
      list(column = column, values = trim_text(as.character(values))),
      if (!is.null(in_sales)) list(in_sales = in_sales)
    ),
    class = "nubrek_rule"
  )
}

#' What the words mean: purchase, sales, returns, as of, periods, whose rows are left out
#'
#' Said once, kept in the ledger, shown with every result that depends on it.
#'
#' @param currency `[character(1)]` The home currency, an ISO 4217 code; rows in another are set
#'   aside, or converted where rates are given. Must be named when a mapped currency column holds
#'   more than one. Minor units have its decimals.
#' @param purchase_unit `[character(1)]` `"order"` (default): every order with positive net sales is
#'   a purchase. `"day"`: all positive orders of a customer on a day are one. Models and waiting
#'   times always use days.
#' @param minimum_sales `[double(1)]` The net total from which an order is a purchase (major units);
#'   missing by default: any amount above 0. With a written 0, an order worth 0 is a purchase too if
#'   it has lines of goods and none of them is negative, such as a free first box.
#' @param returns `[character(1)]` `"net"` (default): a return stays where it happened. `"with
#'   original order"`: an order named by `return_of` (or the order whose id the late line carries)
#'   takes its returns, and stops being a purchase at 0 or less. `"ignore"`: negative lines are set
#'   aside.
#' @param duplicates `[character(1)]` Of rows equal in all columns, `"by line or order"` (default)
#'   sets aside the copies where lines have ids, where the file holds one row per order, or where a
#'   whole order of at least two different lines stands again. An order of equal lines only is so
#'   many items, unless nine in ten of the other orders stand twice: then the file was exported
#'   twice. Others: `"all equal lines"`; `"none"`.
#' @param conflicts `[character(1)]` When an order stands in two states (a line id with two
#'   contents, a line cancelled and not, other lines in another file): `"error"` (default), `"newer
#'   replaces"` (the later row or file), `"first stays"`, or `"parts of one order"`: every row
#'   counts by its own state. Where lines have ids, two equal lines with ids of their own are two
#'   items and no conflict.
#' @param cost_per `[character(1)]` Is the mapped cost that of a `"line"` (default) or of the whole
#'   `"order"`, repeated on its lines?
#' @param cost_rate `[character(1)]` Instead of a cost column: an attribute of the lines or products
#'   with cost by sales, in `[0, 1]`.
#' @param unit_cost `[character(1)]` Instead of a cost column: an attribute of the lines or products
#'   with the cost of a piece; the cost of a line is that times its mapped `quantity`, and goes back
#'   with what is returned. Lines without one are counted and cost nothing.
#' @param as_of `[Date(1)]` Last day that anything sees; later rows are set aside. Default: the last
#'   day among the rows kept.
#' @param time_zone `[character(1)]` The retailer's zone, needed where stamps carry an offset; days
#'   without offset are as written.
#' @param clock `[character(1)]` Default period: `"day"`, `"week"`, `"month"`, `"quarter"` or
#'   `"year"`.
#' @param week_start `[character(1)]` First day of a week, default `"monday"` (ISO weeks).
#' @param fiscal_start `[integer(1)]` First month of the fiscal year, for quarters and years; a
#'   fiscal year is named after the year it ends in.
#' @param history_start `[Date(1)]` First day the export covers. Default: the first day among the
#'   rows kept, with a remark. Rows before it decide only who is not new.
#' @param first_purchase_known `[character(1)]` A customer attribute with the true day of the first
#'   purchase, where it lies before the data.
#' @param registered `[character(1)]` A customer attribute with the day of sign-up; gives the
#'   attribute `days_to_first`.
#' @param dates `[character(1)]` How dates are written: `"detect"` (default), `"year-first"`,
#'   `"day-first"`, `"month-first"`, or `"serial"` (a spreadsheet's day numbers).
#' @param decimal_mark `[character(1)]` `"detect"` (default), `"."` or `","`.
#' @param test,cancelled `[nubrek_rule]` Which rows are tests or cancelled, by [order_rule()].
#'   Nothing is guessed from names.
#' @param kinds `[list]` Which lines are not goods, each kind by [order_rule()]: `voucher` (given as
#'   a discount; counts in sales), `shipping`, `fee`, `deposit`, `tip` (counted only with `in_sales
#'   = TRUE`), `gift_card` (sold or redeemed; never). What does not count is excluded by kind, see
#'   [audit()].
#'   Only goods are products, first products, steps and returns; other lines that count stand as
#'   `(voucher)` in their place, and as the line column `line_kind`.
#' @param excluded_ids `[character]` Customer ids to leave out: a till, a guest account, staff.
#' @param consent `[character]` The customer attribute that tells who agreed to be contacted; where
#'   each way of contact has its own, named by the ways: `c(email = "mail_ok", post = "post_ok")`.
#'   `"not recorded"` where nobody kept it. What is blank is unknown, and counts as no. Lists with
#'   contact columns, targets, plans and draws hold those who agreed.
#' @param consent_yes `[character]` The words that mean yes, where they are not `yes`, `true`, `1`,
#'   `ja`, `oui`, `sim` and the like; all other words then mean no.
#' @param currencies `[character(1)]` `"as mapped"` (default): a column that holds the codes of
#'   several currencies and is not mapped is an error. `"one"` insists that all amounts are of one
#'   currency.
#' @return A `nubrek_meanings` list.
#' @examples
#' meanings(currency = "EUR", cancelled = order_rule("state", "cancelled"), excluded_ids = "GUEST")
#' # vouchers lower sales, shipping is no sale; who agreed to be contacted stands in a column
#' meanings(
#'   kinds = list(
#'     voucher = order_rule("article", c("V10", "V20")), shipping = order_rule("article", "SHIP")
#'   ),
#'   consent = "newsletter"
#' )
#' @export
meanings <- function(
  currency = NULL, purchase_unit = "order", minimum_sales = NULL, returns = "net",
  duplicates = "by line or order", conflicts = "error", cost_per = "line", cost_rate = NULL,
  unit_cost = NULL, as_of = NULL, time_zone = NULL, clock = "month", week_start = "monday",
  fiscal_start = 1L, history_start = NULL, first_purchase_known = NULL, registered = NULL,
  dates = "detect", decimal_mark = "detect", test = NULL, cancelled = NULL,
  excluded_ids = character(), currencies = "as mapped", kinds = NULL, consent = NULL,
  consent_yes = NULL
) {
  given <- mget(names(formals()))
  for (name in names(meaning_choices)) {
    check_choice(given[[name]], meaning_choices[[name]], arg = name)
  }
  check_choice(clock, names(clocks))
  if (!is.null(currency) && !checkmate::test_string(currency, pattern = "^[A-Z]{3}$")) {
    abort_nubrek(
      c("{.arg currency} must be a three-letter code.", "i" = "For example {.val EUR}."), "argument"
    )
  }
  check_number(minimum_sales, lower = 0, null = TRUE)
  throw_unless(
    checkmate::check_int(fiscal_start, lower = 1L, upper = 12L),
    "fiscal_start",
    rlang::current_env()
  )
  for (name in c("cost_rate", "unit_cost", "first_purchase_known", "registered")) {
    check_text(given[[name]], arg = name, null = TRUE)
  }
  if (!is.null(time_zone)) check_choice(time_zone, OlsonNames())
  for (rule in list(test, cancelled)) {
    throw_unless(
      checkmate::check_class(rule, "nubrek_rule", null.ok = TRUE), "rule", rlang::current_env()
    )
  }
  check_kinds(kinds)
  check_consent_words(consent, consent_yes)
  throw_unless(
    checkmate::check_character(excluded_ids, any.missing = FALSE),
    "excluded_ids",
    rlang::current_env()
  )
  given$excluded_ids <- trim_text(excluded_ids)
  given["minimum_sales"] <- list(if (!is.null(minimum_sales)) as.double(minimum_sales))
  given$fiscal_start <- as.integer(fiscal_start)
  given["as_of"] <- list(check_day(as_of))
  given["history_start"] <- list(check_day(history_start))
  if (!is.null(as_of) && !is.null(history_start) && given$history_start > given$as_of) {
    abort_nubrek(c(
      "{.arg history_start} must not be after {.arg as_of}.",
      "x" = "{format(given$history_start)} is after {format(given$as_of)}."
    ), "argument")
  }
  structure(given, class = "nubrek_meanings")
}
