map_regions <- c("often & large", "often & small", "seldom & large", "seldom & small")

#' The order map: how often against how large
#'
#' Purchases and mean order sales of each customer, cut into four regions; reaching a cut is high.
#'
#' @param ledger `[nubrek_ledger]`
#' @param during `[character]` A part of time, such as `"2024"`; default all.
#' @param cut `[character(1) | numeric(1) | numeric(2)]` `"median"` (default); a quantile such as
#'   `0.8`; or two numbers, `c(purchases = 3, mean_sales = 50)`.
#' @param top `[integer(1)]` So many customers with the highest sales are marked, with all who share
#'   the last place. Default 10.
#' @return A `nubrek_map`, one row per customer with a purchase, sorted by id: `customer`,
#'   `purchases`, `mean_sales` (net sales by purchases), `region`, `top` `[logical]`, `sales`,
#'   `recency`. The cuts are in the heading, the attribute `basis` and the figure. Quantiles are of
#'   type 7.
#' @examples
#' order_map(example_ledger(), top = 3)
#' @export
order_map <- function(ledger, during = NULL, cut = "median", top = 10L) {
  check_ledger(ledger)
  check_whole(top, lower = 0L)
  who <- spanned(ledger, during)
  purchases <- who$measure("purchases")
  mean_sales <- who$measure("mean_sales")
  place <- map_cuts(cut, purchases, mean_sales)
  often <- purchases >= place[["purchases"]]
  large <- mean_sales >= place[["mean_sales"]]
  marked <- strictly_better(who$units) < top
  flat <- c(
    if (all(often)) "often",
    if (!any(often)) "seldom",
    if (all(large)) "large",
    if (!any(large)) "small"
  )
  new_result(
    list(
      customer = who$ids,
      purchases = purchases,
      mean_sales = mean_sales,
      region = map_regions[1L + 2L * (!often) + (!large)],
      top = marked,
      sales = major(ledger, who$units),
      recency = who$measure("recency")
    ),
    "map",
    ledger,
    rbind(
      carried(ledger),
      during_remark(who$span, during),
      if (length(flat) > 0L) {
        remark_table("cut", say(paste0(
          "Every customer is \u201c%s\u201d by this cut (equal ones stand together): choose ",
          "another."
        ), paste(flat, collapse = "\u201d and \u201c")))
      },
      if (sum(marked) > top) {
        remark_table("ties", say(
          "%s marked, because several share the last place.", n_of(sum(marked), "customer")
        ))
      }
    ),
    basis = c(list(cut = place, top = top), span_basis(who$span, during))
  )
}

map_cuts <- function(cut, purchases, mean_sales, call = rlang::caller_env()) {
  if (identical(cut, "median")) cut <- 0.5
  if (checkmate::test_number(cut, lower = 0, upper = 1)) {
    return(c(
      purchases = stats::quantile(purchases, cut, names = FALSE),
      mean_sales = stats::quantile(mean_sales, cut, names = FALSE)
    ))
  }
  if (
    !checkmate::test_numeric(cut, any.missing = FALSE, finite = TRUE, len = 2L) ||
      (!is.null(names(cut)) && !setequal(names(cut), c("purchases", "mean_sales")))
  ) {
    abort_nubrek(c(
      "{.arg cut} must be {.val median}, a quantile from 0 to 1, or two numbers.",
      "i" = "Such as {.code c(purchases = 3, mean_sales = 50)}."
    ), "argument", call = call)
  }
  if (is.null(names(cut))) stats::setNames(cut, c("purchases", "mean_sales")) else cut
}
