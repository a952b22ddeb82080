# Value from cohort totals alone, for those who have no orders at hand: a discrete model of staying
# fitted to how many of each cohort were active in each period.

#' A table of cohort totals
#'
#' @param table `[character | data.frame | nubrek_grid]` A file or a data frame with a row per
#'   cohort and period; or a grid from [cohort_grid()] by the calendar, of which complete cells are
#'   taken.
#' @param cohort,period,acquired,active,sales `[character(1)]` Its columns: the cohort and the
#'   period, as labels that sort in time and are the same in both (`"2024 Q1"`, `"2024-05"`,
#'   `"2024-W05"`, days, numbers; a period that no row names has its place among them, and is told;
#'   of other labels each is one period after the one before), how many were acquired, how many of
#'   them were active in the period, and net sales (default `"sales"`, where there is such a
#'   column; `NULL`: none).
#' @return A `nubrek_totals`, one row per cohort and age, sorted: `cohort`, `age` in periods since
#'   the cohort's own, `acquired`, `active`, `sales` (missing where none are given).
#' @section Errors: `nubrek_error_totals`: more active than acquired, a number is missing or below
#'   0, a cell stands twice, a period lies before its cohort, a cohort has two sizes.
#' @examples
#' table <- data.frame(
#'   cohort = rep(c("2024 Q1", "2024 Q2", "2024 Q3"), 3:1),
#'   period = c("2024 Q1", "2024 Q2", "2024 Q3", "2024 Q2", "2024 Q3", "2024 Q3"),
#'   acquired = rep(c(1000, 800, 900), 3:1), active = c(1000, 400, 310, 800, 330, 900),
#'   sales = c(40000, 17000, 13000, 33000, 14000, 36000)
#' )
#' totals <- cohort_totals(table)
#' model <- fit_totals(totals)
#' forecast_totals(model, ahead = 2, draws = 50)
#' @export
cohort_totals <- function(
  table, cohort = "cohort", period = "period", acquired = "acquired", active = "active",
  sales = "sales"
) {
  if (inherits(table, "nubrek_grid")) {
    check_calendar(table)
    rows <- plain_table(table)[table$complete, ]
    table <- data.frame(
      cohort = rows$cohort, period = rows$period, acquired = rows$size, active = rows$customers,
      sales = rows$sales
    )
  }
  read <- read_source(table)
  table <- as.data.frame(read$table, optional = TRUE)
  if (missing(sales)) sales <- intersect("sales", names(table))
  check_columns_exist(c(cohort, period, acquired, active, sales), names(table), "the totals")
  from <- totals_labels(table[[cohort]])
  at <- totals_labels(table[[period]])
  placed <- totals_places(c(from, at))
  begun <- placed$place[seq_along(from)]
  rows <- data.table(
    cohort = as.character(from), place = begun,
    age = placed$place[length(from) + seq_along(at)] - begun,
    acquired = totals_number(table, acquired), active = totals_number(table, active),
    sales = if (length(sales) == 0L) NA_real_ else totals_number(table, sales, lower = -Inf)
  )
  check_totals(rows)
  totals_result(rows[order(place, age)], placed$periods, lacking_remark(placed$lacking))
}

lacking_remark <- function(lacking) {
  if (length(lacking) == 0L) return(NULL)
  shown <- paste(utils::head(lacking, 6L), collapse = ", ")
  remark_table("periods", say(
    "No row is of %s%s; ages count %s all the same.", shown,
    if (length(lacking) > 6L) ", ..." else "",
    if (length(lacking) == 1L) "this period" else "these periods"
  ))
}

totals_result <- function(rows, periods, said = NULL) {
  new_result(
    as.list(rows[, .(cohort, age, acquired, active, sales)]),
    "totals",
    remarks = said,
    basis = list(
      periods = periods, place = rows$place,
      kinds = c(acquired = "count", active = "count", sales = "decimal")
    )
  )
}

# Labels that sort in time: numbers as such.
totals_labels <- function(x) {
  if (!is.character(x) && !is.factor(x)) return(x)
  text <- trim_text(as.character(x))
  number <- suppressWarnings(as.double(text))
  if (anyNA(number)) text else number
}

totals_number <- function(table, name, lower = 0, call = rlang::caller_env(2L)) {
  text <- as.character(table[[name]])
  x <- suppressWarnings(as.double(text))
  odd <- which(is.na(x) | !is.finite(x) | x < lower)
  if (length(odd) > 0L) {
    abort_nubrek(c(
      "A total is no number{if (lower == 0) ' of 0 or more' else ''}: {.val {text[[odd[[1L]]]]}}.",
      "x" = "Column {.field {name}}, row {odd[[1L]]}."
    ), "totals", call = call)
  }
  x
}

check_totals <- function(rows, call = rlang::caller_env()) {
  told <- \(odd, words) if (any(odd)) {
    at <- rows[which(odd)[[1L]]]
    abort_nubrek(c(
      words, "x" = "Cohort {.val {at$cohort}}, {at$age} period{?s} after it began."
    ), "totals", call = call)
  }
  told(rows$age < 0, "A period lies before its cohort.")
  told(duplicated(rows[, .(cohort, age)]), "A cohort and period stand twice.")
  told(rows$active > rows$acquired, "More are active than were acquired.")
  sizes <- rows[, .(n = data.table::uniqueN(acquired)), keyby = cohort]
  told(rows$cohort %in% sizes$cohort[sizes$n > 1L], "A cohort has two numbers of acquired.")
}

#' A model of staying, fitted to cohort totals
#'
#' Each customer leaves after any period with a chance of his own; the chances are beta distributed
#' (Potter and Parker 1964), so that those who are left are the faithful ones and retention rises
#' with age. Where customers leave without a word (`leaving = "silent"`), those still there are
#' active in a period with one more chance.
#'
#' @param totals `[nubrek_totals]` From [cohort_totals()].
#' @param leaving `[character(1)]` `"silent"` (default), as in retail; `"final"`, as with contracts:
#'   who is not active has left, and counts may only fall.
#' @return A `nubrek_totals_fit`: one row per parameter, `parameter`, `value`: `alpha`, `beta` of
#'   leaving (its mean is `alpha / (alpha + beta)`), with silence also `active`, the chance to be
#'   active while there. In its basis `spread`, how many times as far as chance alone the cells lie
#'   from the model (variance; at least 1), which widens all intervals; `fit`, the cells with what
#'   the model expects.
#' @section Errors: `nubrek_error_totals`: fewer than three cells behind age 0, or counts that rise
#'   where leaving is final.
#' @references Potter, Parker (1964), Predicting the time required to conceive; Fader, Hardie
#'   (2007), How to project customer retention.
#' @rdname cohort_totals
#' @export
fit_totals <- function(totals, leaving = "silent") {
  throw_unless(checkmate::check_class(totals, "nubrek_totals"), "totals", rlang::current_env())
  check_choice(leaving, c("silent", "final"))
  cells <- totals_cells(totals, leaving)
  at <- climb_totals(cells, leaving)
  expected <- expected_cells(cells, at, leaving)
  variance <- expected * (1 - expected / cells$n)
  freedom <- max(1L, nrow(cells) - length(at))
  spread <- max(1, sum((cells$x - expected)^2 / pmax(variance, 1e-9)) / freedom)
  parameters <- totals_parameters(at, leaving)
  new_result(
    list(parameter = names(parameters), value = unname(parameters)),
    "totals_fit",
    basis = list(
      leaving = leaving, spread = spread, totals = totals,
      fit = data.frame(
        cohort = cells$cohort, age = cells$age, active = cells$x, expected = expected
      ),
      money = totals_money(totals)
    )
  )
}

# The counts that the model speaks of: of `n` customers `x` at each age; where leaving is final, of
# those there before.
totals_cells <- function(totals, leaving, call = rlang::caller_env()) {
  rows <- as.data.table(plain_table(totals))
  rows[, before := data.table::shift(active), by = cohort]
  rows[, step := age - data.table::shift(age), by = cohort]
  rows[age == 1L & is.na(before), c("before", "step") := list(acquired, 1L)]
  rows <- rows[age > 0L]
  if (leaving == "final") {
    rows <- rows[!is.na(before)]
    if (any(rows$active > rows$before)) {
      at <- rows[active > before][1L]
      abort_nubrek(c(
        "Where leaving is final, counts only fall.",
        "x" = "Cohort {.val {at$cohort}} rises at age {at$age}.",
        "i" = "Customers who come and go: {.code leaving = \"silent\"}."
      ), "totals", call = call)
    }
  }
  if (nrow(rows) < 3L) {
    abort_nubrek(c(
      "A model of staying needs three cells behind age 0.", "x" = "There are {nrow(rows)}."
    ), "totals", call = call)
  }
  data.table(
    cohort = rows$cohort, age = rows$age, step = rows$step, x = rows$active,
    n = if (leaving == "final") rows$before else rows$acquired
  )[n > 0]
}

totals_parameters <- function(at, leaving) {
  c(alpha = exp(at[[1L]]), beta = exp(at[[2L]]), if (leaving == "silent") {
    c(active = stats::plogis(at[[3L]]))
  })
}

# The share still there at an age, of those acquired.
staying <- function(age, alpha, beta) exp(lbeta(alpha, beta + age) - lbeta(alpha, beta))

expected_cells <- function(cells, at, leaving) {
  p <- totals_parameters(at, leaving)
  there <- staying(cells$age, p[["alpha"]], p[["beta"]])
  if (leaving == "silent") return(cells$n * there * p[["active"]])
  cells$n * there / staying(cells$age - cells$step, p[["alpha"]], p[["beta"]])
}

# The most likely parameters, on the scale of logs (and odds).
climb_totals <- function(cells, leaving, starts = NULL) {
  lower <- c(-6, -6, -9)[seq_len(2L + (leaving == "silent"))]
  upper <- c(9, 9, 9)[seq_along(lower)]
  # cells of the same age have the same chance
  key <- cells$age * 1e4 + cells$step
  first <- !duplicated(key)
  sums <- rowsum(cbind(cells$x, cells$n), key, reorder = FALSE)
  cells <- list(
    age = cells$age[first], step = cells$step[first], x = as.vector(sums[, 1L]),
    n = as.vector(sums[, 2L])
  )
  loss <- \(at) {
    share <- expected_cells(cells, at, leaving) / cells$n
    share[share < 1e-12] <- 1e-12
    share[share > 1 - 1e-12] <- 1 - 1e-12
    -sum(cells$x * log(share) + (cells$n - cells$x) * log(1 - share))
  }
  starts <- starts %||% list(c(0, 1, 0), c(0, 2, 3), c(-1, 0, 1), c(2, 4, -1))
  best <- NULL
  for (start in starts) {
    run <- stats::nlminb(start[seq_along(lower)], loss, lower = lower, upper = upper)
    if (is.null(best) || run$objective < best$objective) best <- run
  }
  best$par
}

# Sales by active customer behind age 0, and how far cells lie from it.
totals_money <- function(totals) {
  rows <- plain_table(totals)
  rows <- rows[rows$age > 0L & rows$active > 0 & !is.na(rows$sales), ]
  if (nrow(rows) < 2L) return(NULL)
  mean <- sum(rows$sales) / sum(rows$active)
  scatter <- sum((rows$sales - mean * rows$active)^2 / rows$active) / (nrow(rows) - 1L)
  list(mean = mean, scatter = scatter, active = sum(rows$active))
}
