#' How audiences overlap
#'
#' Customers in one, the other, both or neither, beside what chance alone would bring together
#' (definition 46); of more than two audiences every combination that occurs.
#'
#' @param ... `[nubrek_audience]` Two or more, of the same day and the same population.
#' @param ledger `[nubrek_ledger]` The ledger they were chosen from.
#' @param by `[character(1)]` A customer attribute: the same counts for each of its levels, the
#'   missing ones too.
#' @return A `nubrek_overlap`, one row per combination (and level): the attribute, `place`,
#'   `customers`, `share` of the population (of the level), `sales` to date, `share_of_sales`. Of
#'   two audiences the basis has `expected` (both, by chance), `lift` (both by expected),
#'   `odds_ratio` with its exact 95 % interval (conditional, noncentral hypergeometric).
#' @section Errors: `nubrek_error_argument` where they are not of one day and population.
#' @references Fisher (1935), The logic of inductive inference; Cornfield (1956), A statistical
#'   problem arising from retrospective studies.
#' @examples
#' ledger <- example_ledger()
#' audience_overlap(
#'   audience(ledger, sales >= 60, name = "large"),
#'   audience(ledger, purchases >= 2, name = "back"),
#'   ledger = ledger
#' )
#' @export
audience_overlap <- function(..., ledger, by = NULL) {
  audiences <- list(...)
  check_ledger(ledger)
  check_text(by, null = TRUE)
  by <- meant_attributes(ledger, by)
  check_audiences(audiences)
  then <- ledger_at(ledger, basis_of(audiences[[1L]], "as_of"))
  population <- audience_population(then, basis_of(audiences[[1L]], "among"))
  called <- audience_names(audiences)
  inside <- lapply(audiences, \(one) ledger_ids(then) %in% one$customer)
  cell <- Reduce(`+`, Map(\(hold, k) hold * 2^(k - 1), inside, seq_along(inside)))
  rows <- data.table(
    level = if (is.null(by)) "" else group_of(then, by)[[1L]],
    cell = as.integer(cell),
    sales = as.double(reduce_customers(then)$sales)
  )[population]
  sums <- rows[, .(customers = .N, sales = sum(sales)), keyby = .(level, cell)]
  if (length(audiences) == 2L) {
    every <- data.table::CJ(level = unique(sums$level), cell = 0:3)
    sums <- sums[every, on = c("level", "cell")]
    sums[is.na(customers), `:=`(customers = 0L, sales = 0)]
  }
  if (!is.null(by)) {
    known <- c(natural_order(then, by), setdiff(unique(sums$level), natural_order(then, by)))
    sums <- sums[order(match(level, c(setdiff(known, "(missing)"), "(missing)")), cell)]
  }
  of_level <- sums[, .(n = sum(customers), money = sum(sales)), keyby = level]
  place <- match(sums$level, of_level$level)
  cells <- unique(sums$cell)
  words <- make.unique(cell_words(cells, called), " ")
  shown <- group_names(by, c("place", "customers", "share", "sales", "share_of_sales"))
  new_result(
    c(
      if (!is.null(by)) stats::setNames(list(sums$level), shown),
      list(
        place = words[match(sums$cell, cells)],
        customers = sums$customers,
        share = sums$customers / of_level$n[place],
        sales = major(then, sums$sales),
        share_of_sales = ifelse(
          of_level$money[place] > 0, sums$sales / of_level$money[place], NA_real_
        )
      )
    ),
    "overlap",
    then,
    carried(then),
    basis = c(
      list(by = if (!is.null(by)) shown, names = called, population = sum(population)),
      chance_of(table(factor(rows$cell, 0:3)), length(audiences))
    ),
    cells = stats::setNames(cells, words),
    who = list(
      customer = ledger_ids(then, which(population)),
      level = rows$level,
      place = words[match(rows$cell, cells)]
    )
  )
}

check_audiences <- function(audiences, call = rlang::caller_env()) {
  ok <- length(audiences) >= 2L &&
    length(audiences) <= 20L &&
    all(vapply(audiences, inherits, NA, "nubrek_audience"))
  if (!ok) abort_nubrek("Give two audiences or more.", "argument", call = call)
  of <- lapply(audiences, \(one) {
    list(basis_of(one, "as_of"), basis_of(one, "among"), basis_of(one, "population"))
  })
  if (length(unique(of)) > 1L) {
    abort_nubrek(c(
      "Audiences are compared on one day, among the same customers.",
      "i" = "Choose them with the same {.arg as_of} and {.arg among}."
    ), "argument", call = call)
  }
}

audience_names <- function(audiences) {
  given <- vapply(audiences, \(one) basis_of(one, "name") %||% "", "")
  given[given == ""] <- LETTERS[which(given == "")]
  make.unique(given, " ")
}

# Which audiences those of each row are in, as bits; found by the row's own words, so that rows may
# be sorted and chosen.
overlap_cells <- function(x) unname(attr(x, "cells")[x$place])

# Who is in a cell: the audiences whose bit it has.
cell_words <- function(cell, called) {
  vapply(cell, \(one) {
    those <- called[bitwAnd(one, 2^(seq_along(called) - 1)) > 0]
    if (length(those) == 0L) return("neither")
    if (length(those) == 1L) return(paste("only", those))
    paste(those, collapse = " and ")
  }, "")
}

# What chance would bring together of two audiences, and how much more there is.
chance_of <- function(cells, n_audiences) {
  fields <- c("expected", "lift", "odds_ratio", "lower", "upper")
  if (n_audiences != 2L) return(stats::setNames(vector("list", 5L), fields))
  n <- as.double(cells)
  all <- sum(n)
  expected <- (n[[2L]] + n[[4L]]) * (n[[3L]] + n[[4L]]) / max(1, all)
  odds <- odds_of(n[[4L]], n[[2L]] + n[[4L]], n[[3L]] + n[[4L]], all)
  lift <- if (expected > 0) n[[4L]] / expected else NA_real_
  stats::setNames(c(list(expected, lift), as.list(odds)), fields)
}

# The odds ratio of being in both groups, and its exact interval: of `both` given the sizes of two
# groups among `all`, a noncentral hypergeometric count (Fisher 1935; the conditional estimate of
# Cornfield 1956). Roots are found in the log of the ratio, so that no association is too strong.
odds_of <- function(both, first, second, all, level = 0.95) {
  least <- max(0, first + second - all)
  most <- min(first, second)
  if (least == most) return(c(NA_real_, 0, Inf))
  x <- seq(least, most)
  weight <- lchoose(first, x) + lchoose(all - first, second - x)
  log_sum <- \(v) max(v) + log(sum(exp(v - max(v))))
  tail <- \(t, at) {
    log_p <- weight + t * x
    log_sum(log_p[at]) - log_sum(log_p)
  }
  mean <- \(t) {
    log_p <- weight + t * x
    sum(x * exp(log_p - log_sum(log_p)))
  }
  start <- log((both + 0.5) * (all - first - second + both + 0.5)) -
    log((first - both + 0.5) * (second - both + 0.5))
  root <- \(f) stats::uniroot(
    f, start + c(-1, 1), extendInt = "upX", tol = 1e-12, maxiter = 2000L
  )$root
  chance <- log((1 - level) / 2)
  exp(c(
    if (both == least) -Inf else if (both == most) Inf else root(\(t) mean(t) - both),
    if (both == least) -Inf else root(\(t) tail(t, x >= both) - chance),
    if (both == most) Inf else root(\(t) chance - tail(t, x <= both))
  ))
}
