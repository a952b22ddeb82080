#' Margin rates: by product group, channel, cohort, or for all
#'
#' Rates are decimals, kept to six places; margin is sales times the rate, exactly, without rounding
#' between.
#'
#' @param rates `[numeric]` Margin by net sales, from -1 to 1: one number for all sales, or a number
#'   for each value of `by`, such as `c(Yarn = 0.48, Kits = 0.53)`.
#' @param by `[character(1)]` What the names of `rates` are values of: a mapped line column (each
#'   line has its own rate) or a customer attribute, see [customers()], such as `"cohort"`.
#' @param otherwise `[numeric(1)]` The rate of values that `rates` does not name. Without it, such a
#'   value is an error, so that no sales go without margin unseen.
#' @return A `nubrek_margin`, for the argument `margin` of [cohort_grid()].
#' @examples
#' margin_rates(0.45)
#' margin_rates(c(Web = 0.42, Mill = 0.48), by = "channel", otherwise = 0.45)
#' @export
margin_rates <- function(rates, by = NULL, otherwise = NULL) {
  check_text(by, null = TRUE)
  check_share(otherwise, -1, 1, null = TRUE)
  if (checkmate::test_numeric(rates, any.missing = FALSE)) {
    for (rate in rates) {
      check_share(rate, -1, 1, arg = "rates")
    }
  }
  throw_unless(
    checkmate::check_numeric(
      rates,
      -1,
      1,
      any.missing = FALSE,
      min.len = 1L,
      max.len = if (is.null(by)) 1L,
      names = if (!is.null(by)) "unique"
    ),
    "rates",
    rlang::current_env()
  )
  structure(list(rates = rates, by = by, otherwise = otherwise), class = "nubrek_margin")
}

rate_digits <- 6L

# How many decimals the rates need, and the rates as whole numbers of them.
whole_rates <- function(rates) {
  for (digits in 0:rate_digits) {
    if (all(abs(rates * 10^digits - round(rates * 10^digits)) < 1e-9)) break
  }
  list(whole = round(rates * 10^digits), digits = digits)
}

# Margin of each order in minor units with `digits` further decimals, as whole numbers; NULL where
# nothing tells it.
order_margin <- function(ledger, margin = NULL, call = rlang::caller_env()) {
  if (is.null(margin)) {
    if (is.null(ledger$orders$cost)) return(NULL)
    return(list(
      units = ledger$orders$sales - ledger$orders$cost,
      digits = 0L,
      words = "sales less the ledger's own cost"
    ))
  }
  if (is.numeric(margin)) margin <- margin_rates(margin)
  throw_unless(checkmate::check_class(margin, "nubrek_margin"), "margin", call)
  rate <- whole_rates(c(unname(margin$rates), margin$otherwise))
  if (is.null(margin$by)) {
    return(list(
      units = ledger$orders$sales * rate$whole[[1L]],
      digits = rate$digits,
      words = paste0(number_text(100 * margin$rates[[1L]]), " % of sales")
    ))
  }
  of_lines <- margin$by %in% line_columns(ledger)
  group <- if (of_lines) {
    named_missing(ledger$lines[[margin$by]])
  } else {
    code_column(group_of(ledger, meant_attributes(ledger, margin$by), call)[[1L]])
  }
  place <- match(
    levels(group),
    names(margin$rates),
    nomatch = if (is.null(margin$otherwise)) NA_integer_ else length(rate$whole)
  )
  used <- if (of_lines) group else group[ledger$orders$customer]
  lacking <- levels(group)[is.na(place) & tabulate(used, length(levels(group))) > 0L]
  if (length(lacking) > 0L) {
    abort_nubrek(c(
      "Every value of {.field {margin$by}} with sales needs a margin rate.",
      "x" = "There is none for {.val {utils::head(lacking, 5L)}}.",
      "i" = paste0(
        "Add {cli::qty(length(lacking))}{?it/them} to the rates, or give a rate for all others ",
        "with {.code otherwise}."
      )
    ), "margin", values = lacking, call = call)
  }
  rates <- rate$whole[place]
  minor <- if (of_lines) {
    cpp_group_sums(
      ledger$lines$sales * rates[group], ledger$lines$number, 0L, length(ledger$orders$sales)
    )$sums
  } else {
    ledger$orders$sales * rates[group[ledger$orders$customer]]
  }
  list(units = minor, digits = rate$digits, words = paste("rates by", margin$by))
}
