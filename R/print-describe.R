# What each result is called, and the sentence that says what was found. Print, figure and report use the same ones.

describe <- function(x) UseMethod("describe")

#' @export
describe.nubrek_result <- function(x) list(heading = gsub("_", " ", sub("nubrek_", "", class(x)[[1L]])), finding = NULL)

#' @export
describe.nubrek_audit <- function(x) {
  kept <- x$reason == "kept"
  list(heading = "What became of every row", finding = sprintf("%s of %s rows were kept; every other one is set aside with a reason.",
       format_count(sum(x$rows[kept])), format_count(sum(x$rows))))
}

#' @export
describe.nubrek_aside <- function(x) list(heading = "Rows set aside, as they were read", finding = NULL,
                                          table = plain_table(x)[c("file", "row", "reason", "faults", setdiff(names(x), c("file", "row", "reason", "faults")))])

#' @export
describe.nubrek_customers <- function(x) list(heading = "Customers", finding = sprintf("%s, %s net sales.", n_of(nrow(x), "customer"),
                                              format_money(sum(x$sales), basis_of(x, "currency"))))

#' @export
describe.nubrek_rate <- function(x) {
  n <- sum(x$customers)
  k <- sum(x$repeat_customers)
  list(heading = "Repeat rate", finding = sprintf("%s of %s customers bought again (95 %% interval %s to %s); they bring %s of sales.",
    present_share(k / n), format_count(n), present_share(share_interval(k, n)$lower, 1L), present_share(share_interval(k, n)$upper, 1L),
    present_share(sum(x$sales_repeat) / sum(x$sales))))
}

#' @export
describe.nubrek_counts <- function(x) {
  most <- which.max(x$customers)
  list(heading = "Customers by number of purchases", finding = sprintf("The most common number of purchases is %d: %s of customers. %s bought more than once.",
    x$purchases[[most]], present_share(x$share[[most]]), present_share(sum(x$share[x$purchases > 1L]))))
}

#' @export
describe.nubrek_grid <- function(x) {
  retention <- grid_measure(x, "retention")
  said <- describe(retention)
  list(heading = paste0("First-purchase cohorts by ", basis_of(x, "clock")), finding = said$finding)
}

#' @export
describe.nubrek_measure <- function(x) {
  measure <- basis_of(x, "measure")
  clock <- basis_of(x, "clock")
  lines <- bottom_lines(x)
  young <- lines[lines$line == "without older cohorts" & lines$age > 0L, ]
  finding <- if (measure == "retention" && nrow(young) > 0L) {
    far <- utils::tail(young[young$age <= 12L & young$size >= 30L, ], 1L)          # not from a handful of customers
    if (nrow(far) == 1L && far$age > 1L) sprintf("%s of a cohort bought in the %s after the first purchase, %s in the %s %s after it.", present_share(young$value[[1L]]), clock,
                                present_share(far$value), ordinal(far$age), clock)
    else sprintf("%s of a cohort bought in the %s after the first purchase.", present_share(young$value[[1L]]), clock)
  }
  list(heading = paste0("Cohorts: ", grid_measures[[measure]]$label), finding = finding)
}

ordinal <- function(n) paste0(n, if (n %% 100L %in% 11:13) "th" else switch(as.character(n %% 10L), "1" = "st", "2" = "nd", "3" = "rd", "th"))

#' @export
describe.nubrek_rfm <- function(x) {
  profile <- rfm_profile(x)
  top <- which.max(profile$sales)
  list(heading = "Recency, frequency, monetary value", table = profile, finding = sprintf("The group \u201c%s\u201d holds %s of customers and %s of sales.",
    profile$group[[top]], present_share(profile$share_of_customers[[top]]), present_share(profile$share_of_sales[[top]])),
    after = c("", paste("Equal customers share the lower band (tiers: the better one). Each customer's scores:", all_hint())))
}

#' @export
describe.nubrek_tiers <- function(x) {
  profile <- tier_profile(x)
  list(heading = "Loyalty tiers", table = profile, finding = sprintf("The tier \u201c%s\u201d is %s of customers and brings %s of their sales.",
    profile$tier[[1L]], present_share(profile$share_of_customers[[1L]]), present_share(profile$share_of_sales[[1L]])),
    after = c("", paste("Tied customers share the better tier (bands: the lower one). Each customer's tier:", all_hint())))
}

#' @export
describe.nubrek_value <- function(x) {
  years <- basis_of(x, "years")
  span <- if (years == 1) "year" else paste(format(years), "years")
  total <- attr(x, "total")
  currency <- basis_of(x, "currency")
  finding <- if (is.na(total$value)) sprintf("Over the next %s today's customers are expected to bring %s net sales in %s purchases.", span,
                                             format_money(sum(x$sales), currency), format_count(round(sum(x$purchases))))
    else sprintf("Over the next %s today's customers are worth %s (%s to %s, %s): margin, discounted.", span, format_money(total$value, currency),
                 format_money(total$lower, currency), format_money(total$upper, currency), present_share(basis_of(x, "level")))
  list(heading = paste("What customers will bring over the next", span), finding = finding, table = x[order(-x$value, -x$sales), ])
}

#' @export
describe.nubrek_backtest <- function(x) list(heading = paste("Backtest: fitted up to", format_day(basis_of(x, "cut")), "and held against what came"),
                                             finding = attr(x, "finding"))

#' @export
describe.nubrek_proof <- function(x) list(heading = "Proof of totals", finding = if (all(x$exact)) sprintf("All %d checks are exact.", nrow(x))
  else sprintf("%d of %d checks FAIL.", sum(!x$exact), nrow(x)))

#' @export
describe.nubrek_history <- function(x) list(heading = paste0("Purchase histories, time in ", basis_of(x, "unit"), "s"), finding = NULL)

#' @export
describe.nubrek_suspects <- function(x) {
  kinds <- table(factor(x$kind, unique(x$kind)))
  list(heading = "Identities that need a second look", finding = if (nrow(x) == 0L) "No id looks like somebody else's, or like many customers."
    else sprintf("%s; %s of sales behind them. Nothing was done about them.", paste(sprintf("%d of \u201c%s\u201d", kinds, names(kinds)), collapse = ", "),
                 format_money(basis_of(x, "at_stake"), basis_of(x, "currency"))))
}

#' @export
describe.nubrek_identified <- function(x) list(heading = "Share of sales with a customer id", finding = sprintf("%s of sales carry a customer id.",
                                                                                                             present_share(sum(x$sales) / sum(x$sales_all))))

#' @export
describe.nubrek_guess <- function(x) list(heading = paste("Guessed roles of the columns of", basis_of(x, "file")), finding = sprintf("%d of %d columns have a role; correct what is wrong.",
                                                                                                                       sum(!is.na(x$role)), nrow(x)))
