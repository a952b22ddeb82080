#' Two audiences: how they overlap, and what distinguishes them
#'
#' One call answers both. The table has the customers in only one, in both and in neither, beside
#' what chance alone would bring together (definition 46); [audience_differences()] has what
#' distinguishes those in only one from those in only the other (definition 47).
#'
#' @param a `[nubrek_audience]`
#' @param b `[nubrek_audience]` Default: everybody else in the population.
#' @param ledger `[nubrek_ledger]` The ledger they were chosen from.
#' @param by `[character(1)]` A customer attribute: the same counts for each of its levels, the
#'   missing ones too.
#' @param most `[integer(1)]` Attributes with more levels than this have no differences.
#' @return A `nubrek_audience_comparison`, one row per place (and level): `place` (`"only a"`,
#'   `"both"`, `"only b"`, `"neither"`), `customers`, `share` of the population, `sales` to date,
#'   `share_of_a` and `share_of_b`, of their customers. The basis has `expected` (both, by chance),
#'   `lift`, `odds_ratio` with its exact 95 % interval.
#' @section Errors: `nubrek_error_argument` where they are not of one day and population.
#' @references Welch (1947), The generalization of Student's problem; Newcombe (1998), Interval
#'   estimation for the difference between independent proportions; Benjamini and Hochberg (1995).
#' @examples
#' ledger <- example_ledger()
#' large <- audience(ledger, sales >= 60, name = "large")
#' compare_audiences(large, audience(ledger, purchases >= 2, name = "back"), ledger)
#' audience_differences(compare_audiences(large, ledger = ledger))
#' @export
compare_audiences <- function(a, b = NULL, ledger, by = NULL, most = 30L) {
  throw_unless(checkmate::check_class(a, "nubrek_audience"), "a", rlang::current_env())
  check_ledger(ledger)
  check_whole(most, lower = 1L)
  check_text(by, null = TRUE)
  if (!is.null(b)) check_audiences(list(a, b))
  then <- ledger_at(ledger, basis_of(a, "as_of"))
  by <- meant_attributes(then, by)
  other <- b %||% everybody_else(a, then)
  together <- audience_overlap(a, other, ledger = ledger, by = by)
  of_cell <- c("neither", "only a", "only b", "both")
  places <- c("only a", "both", "only b", "neither")
  level <- if (!is.null(by)) together[[basis_of(together, "by")]]
  place <- of_cell[overlap_cells(together) + 1L]
  group <- level %||% rep("", length(place))
  sorting <- order(match(group, unique(group)), match(place, places))
  part_of <- \(side, size) {
    ifelse(place %in% c(side, "both"), together$customers / max(1L, size), NA_real_)
  }
  columns <- list(
    place = place,
    customers = together$customers,
    share = together$share,
    sales = together$sales,
    share_of_a = part_of("only a", nrow(a)),
    share_of_b = part_of("only b", nrow(other))
  )
  if (!is.null(level)) {
    columns <- c(stats::setNames(list(level), basis_of(together, "by")), columns)
  }
  whose <- attr(together, "who")
  whose$place <- of_cell[match(whose$place, cell_words(0:3, basis_of(together, "names")))]
  fields <- c("by", "names", "population", "expected", "lift", "odds_ratio", "lower", "upper")
  new_result(
    lapply(columns, `[`, sorting),
    "audience_comparison",
    then,
    carried(then),
    basis = c(
      stats::setNames(lapply(fields, \(field) basis_of(together, field)), fields),
      list(everybody = is.null(b))
    ),
    who = whose,
    overlap = together,
    differences = tryCatch(contrast_of(a, b, then, most), nubrek_error_argument = \(e) NULL)
  )
}

# Who is in the population and not in an audience.
everybody_else <- function(audience, ledger) {
  population <- audience_population(ledger, basis_of(audience, "among"))
  ids <- setdiff(ledger_ids(ledger, which(population)), audience$customer)
  basis <- attr(audience, "basis")
  basis[c("name", "rule")] <- list("everybody else", character())
  structure(
    list(customer = ids),
    names = "customer",
    row.names = seq_along(ids),
    basis = basis,
    class = class(audience)
  )
}

#' What distinguishes two audiences
#'
#' Measures and attributes of those in only one beside those in only the other, the largest
#' standardised difference first. What the rules themselves use, or what is computed from that,
#' stands last: it was chosen, not found.
#'
#' @param comparison `[nubrek_audience_comparison]` From [compare_audiences()].
#' @return A `nubrek_contrast`, one row per measure and level of an attribute: `what`, `level`;
#'   `inside` (a), `outside` (b), means or shares; `difference` with `lower` and `upper` (95 %:
#'   Welch of means, Newcombe of shares); `standardised`, by the pooled standard deviation, of
#'   shares the difference of 2 asin(sqrt(share)); `adjusted_p`, all together (Benjamini and
#'   Hochberg); `from_rule`.
#' @examples
#' ledger <- example_ledger()
#' audience_differences(compare_audiences(audience(ledger, purchases >= 2), ledger = ledger))
#' @export
audience_differences <- function(comparison) {
  throw_unless(
    checkmate::check_class(comparison, "nubrek_audience_comparison"),
    "comparison",
    rlang::current_env()
  )
  found <- attr(comparison, "differences")
  if (is.null(found)) {
    abort_nubrek(
      "Both sides need two customers or more that are not in the other.", "argument"
    )
  }
  found
}

contrast_of <- function(a, b, then, most, call = rlang::caller_env()) {
  population <- audience_population(then, basis_of(a, "among"))
  mine <- population & ledger_ids(then) %in% a$customer
  other <- if (is.null(b)) population & !mine else population & ledger_ids(then) %in% b$customer
  sides <- list(which(mine & !other), which(other & !mine))
  if (any(lengths(sides) < 2L)) {
    abort_nubrek(
      "Both sides need two customers or more that are not in the other.", "argument", call = call
    )
  }
  rows <- rbind(contrast_numbers(then, sides), contrast_levels(then, sides, most))
  if (NROW(rows) == 0L) {
    abort_nubrek(
      "All customers are alike in all that the ledger knows of them: nothing can differ.",
      "argument", call = call
    )
  }
  rows$adjusted_p <- stats::p.adjust(rows$adjusted_p, "BH")
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
    basis = list(names = called, sizes = lengths(sides), kinds = contrast_kinds)
  )
}

contrast_kinds <- c(
  inside = "number", outside = "number", difference = "number", lower = "number", upper = "number",
  adjusted_p = "p"
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
      adjusted_p = 2 * stats::pt(-abs(off) / sqrt(sum(error)), freedom)
    )
  }))
}

# Shares of levels: Newcombe's interval of the difference.
contrast_levels <- function(ledger, sides, most) {
  attributes_of <- known_attributes(ledger, shown_attributes(ledger))
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
      adjusted_p = ifelse(all > 0 & all < 1, 2 * stats::pnorm(-abs(z)), 1)
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
  of_recency <- c("quadrant", "rfm_code", "rfm_group", "rfm_index")
  of_money <- c(of_recency, "tier", "tier_rank", "frequency_band", "monetary_band")
  if (any(of_money %in% words)) near <- c(near, unlist(kin[1:2]))
  if (any(c(of_recency, "recency_band") %in% words)) near <- c(near, kin[[3L]])
  lines <- words[!words %in% near]
  unique(c(words, near, paste0("first_", lines)))
}
