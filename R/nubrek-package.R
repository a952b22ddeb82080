#' Nubrek: repeat buying, cohorts, lifetime value and loyalty tiers from orders
#'
#' One ledger, one set of meanings, every number agrees with every other to the cent. Start with
#' [open_ledger()], look at [audit()], then ask: [repeat_rate()], [order_counts()], [cohort_grid()],
#' [score_rfm()], [assign_tiers()], [forecast_value()]. [run_study()] does all of it from one file.
#' Terms are explained in [nubrek-glossary].
#'
#' @keywords internal
#' @useDynLib nubrek, .registration = TRUE
#' @importFrom Rcpp sourceCpp
#' @importFrom rlang %||% .data
#' @importFrom stats coef confint vcov logLik nobs predict
#' @importFrom data.table data.table as.data.table setDT setorderv rbindlist uniqueN `:=` .N .SD
"_PACKAGE"

#' Words used everywhere
#'
#' * **order**: rows that share an order id and a customer. **purchase**: an order with positive net
#' sales; with `purchase_unit = "day"` all orders of a day are one purchase.
#' * **sales**: net revenue, after line discounts and returns. **margin**: sales times the margin
#' rate. **value**: margin, discounted to today.
#' * **repeat customer**: a customer with two or more purchases. **repeats**: purchases minus one.
#' * **cohort**: the period of a customer's first purchase. **age**: periods since it, 0 for the
#' first.
#' * **as of**: the last day that anything sees. A cell after it is missing, never zero.
#' * **recency**: days from the last purchase to the as-of day. **frequency**: purchases.
#' **monetary**: total sales.
#' * **band**: a slice of ranked customers; equal customers share the lower band. **tier**: a slice
#' in which equal customers share the better one.
#' * **older cohort**: starts so soon after the beginning of the data that it may hold customers
#' from before.
#'
#' @examples
#' # an order worth nothing is no purchase; a cohort is those who came first in one period
#' customers(example_ledger())[c("customer", "orders", "purchases", "cohort")]
#' @name nubrek-glossary
NULL
