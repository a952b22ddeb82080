#' What distinguishes an audience
#'
#' Measures and attributes of its members beside those of another, or of everybody else, the largest
#' standardised difference first (definition 47). What the rules themselves use, or what is computed
#' from that, stands last: it was chosen, not found.
#'
#' @param a `[nubrek_audience]`
#' @param b `[nubrek_audience]` Default: everybody else in the population. Customers in both are
#'   left out of both.
#' @param ledger `[nubrek_ledger]` The ledger they were chosen from.
#' @param most `[integer(1)]` Attributes with more levels than this are left out.
#' @return A `nubrek_contrast`, one row per measure and level of an attribute: `what`, `level`;
#'   `inside`, `outside`, means or shares; `difference` with `lower` and `upper` (95 %: Welch of
#'   means, Newcombe of shares); `standardised`, by the pooled standard deviation, of shares the
#'   difference of 2 asin(sqrt(share)); `p`, adjusted together (Benjamini and Hochberg);
#'   `from_rule`.
#' @references Welch (1947), The generalization of Student's problem; Newcombe (1998), Interval
#'   estimation for the difference between independent proportions; Benjamini and Hochberg (1995).
#' @examples
#' ledger <- example_ledger()
#' compare_audiences(audience(ledger, purchases >= 2), ledger = ledger)
#' @export
compare_audiences <- function(a, b = NULL, ledger, most = 30L) {
  throw_unless(checkmate::check_class(a, "nubrek_audience"), "a", rlang::current_env())
  check_ledger(ledger)
  check_whole(most, lower = 1L)
  if (!is.null(b)) check_audiences(list(a, b))
  then <- ledger_at(ledger, basis_of(a, "as_of"))
  population <- audience_population(then, basis_of(a, "among"))
  mine <- population & ledger_ids(then) %in% a$customer
  other <- if (is.null(b)) population else population & ledger_ids(then) %in% b$customer
  sides <- list(which(mine & !(if (is.null(b)) FALSE else other)), which(other & !mine))
  if (any(lengths(sides) < 2L)) {
    abort_nubrek("Both sides need two customers or more that are not in the other.", "argument")
  }
  rows <- rbind(contrast_numbers(then, sides), contrast_levels(then, sides, most))
  rows$p <- stats::p.adjust(rows$p, "BH")
  rules <- c(basis_of(a, "rule"), if (!is.null(b)) basis_of(b, "rule"))
  rows$from_rule <- rows$what %in% spoken_of(rules)
  rows <- rows[order(rows$from_rule, -abs(rows$standardised)), ]
  called <- c(basis_of(a, "name") %||% "the audience", if (is.null(b)) {
    "everybody else"
  } else {
    basis_of(b, "name") %||% "the other"
  })
  new_result(
    as.list(rows),
    "contrast",
    then,
    carried(then),
    basis = list(
      names = called,
      sizes = lengths(sides),
      kinds = contrast_kinds
    )
  )
}

contrast_kinds <- c(
  inside = "number", outside = "number", difference = "number", lower = "number", upper = "number",
  p = "p"
)

# Means of measures: Welch's interval, standardised by the pooled standard deviation.
contrast_numbers <- function(ledger, sides) {
  measures <- audience_measures(ledger)
  numbers <- setdiff(names(measures), c("first_purchase", "last_purchase"))
  do.call(rbind, lapply(numbers, \(name) {
    x <- measures[[name]]()$x
    each <- lapply(sides, \(side) x[side][!is.na(x[side])])
    n <- lengths(each)
    if (any(n < 2L)) return(NULL)
    average <- vapply(each, mean, 0)
    spread <- vapply(each, stats::var, 0)
    pooled <- sqrt(sum((n - 1) * spread) / (sum(n) - 2))
    if (pooled == 0) return(NULL)
    error <- spread / n
    freedom <- sum(error)^2 / sum(error^2 / (n - 1))
    off <- average[[1L]] - average[[2L]]
    half <- stats::qt(0.975, freedom) * sqrt(sum(error))
    data.frame(
      what = name,
      level = "",
      inside = average[[1L]],
      outside = average[[2L]],
      difference = off,
      lower = off - half,
      upper = off + half,
      standardised = off / pooled,
      p = 2 * stats::pt(-abs(off) / sqrt(sum(error)), freedom)
    )
  }))
}

# Shares of levels: Newcombe's interval of the difference.
contrast_levels <- function(ledger, sides, most) {
  attributes_of <- known_attributes(ledger)
  few <- Filter(\(x) length(unique(x)) > 1L && length(unique(x)) <= most, attributes_of)
  n <- lengths(sides)
  do.call(rbind, lapply(names(few), \(name) {
    x <- with_missing(few[[name]])
    level <- sort(unique(x[unlist(sides)]), method = "radix")
    share <- vapply(sides, \(side) tabulate(match(x[side], level), length(level)), integer(
      length(level)
    ))
    share <- matrix(share, ncol = 2L)
    p <- sweep(share, 2L, n, "/")
    between <- newcombe(p[, 1L], n[[1L]], p[, 2L], n[[2L]], stats::qnorm(0.975))
    all <- rowSums(share) / sum(n)
    z <- (p[, 1L] - p[, 2L]) / sqrt(all * (1 - all) * sum(1 / n))
    data.frame(
      what = name,
      level = level,
      inside = p[, 1L],
      outside = p[, 2L],
      difference = p[, 1L] - p[, 2L],
      lower = between$lower,
      upper = between$upper,
      standardised = 2 * asin(sqrt(p[, 1L])) - 2 * asin(sqrt(p[, 2L])),
      p = ifelse(all > 0 & all < 1, 2 * stats::pnorm(-abs(z)), 1)
    )
  }))
}

# What a rule speaks of, and what is computed from the same things.
spoken_of <- function(rule) {
  words <- unique(unlist(lapply(rule, \(text) all.names(parse_rule(text)))))
  kin <- list(
    c("sales", "mean_sales"),
    c("purchases", "orders", "bought", "mean_sales", "visits_per_year"),
    c(
      "open_gap", "overdue", "last_purchase", "days_since", "expected_gap", "visits_per_year",
      "first_purchase"
    )
  )
  near <- unlist(Filter(\(family) any(family %in% words), kin))
  # results are made of the measures
  if (any(c("tier", "region", "group", "frequency_band", "monetary_band") %in% words)) {
    near <- c(near, unlist(kin[1:2]))
  }
  if (any(c("region", "group", "recency_band") %in% words)) near <- c(near, kin[[3L]])
  lines <- words[!words %in% near]
  unique(c(words, near, paste0("first_", lines)))
}
