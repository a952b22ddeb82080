# What R's users expect of a fitted model.

#' @export
coef.nubrek_purchase_model <- function(object, ...) c(object$parameters, object$effects)

#' @export
coef.nubrek_spend_model <- coef.nubrek_purchase_model

#' @export
vcov.nubrek_purchases <- function(object, ...) object$vcov

#' @export
vcov.nubrek_spend <- vcov.nubrek_purchases

#' @export
logLik.nubrek_purchases <- function(object, ...) {
  structure(object$log_lik, df = object$free, nobs = object$nobs, class = "logLik")
}

#' @export
logLik.nubrek_spend <- logLik.nubrek_purchases

#' @export
nobs.nubrek_purchases <- function(object, ...) object$nobs

#' @export
nobs.nubrek_spend <- nobs.nubrek_purchases

# Parameter sets of the packed histories.
packed_sets <- function(fit) {
  if (is.null(fit$design)) return(list(sets = as.matrix(unname(fit$parameters)), set = integer()))
  list(
    sets = shifted_sets(fit, fit$packed$columns, fit$parameters, fit$effects), set = fit$packed$set
  )
}

# Without covariates there is one set for all and no numbers.
sets_at <- function(own, rows) if (length(own$set) > 0L) own$set[rows] else integer()

#' Draw purchase histories
#'
#' @param object `[nubrek_purchase_model]` Also a fit.
#' @param nsim `[integer(1)]` Worlds.
#' @param seed `[integer(1)]` Default: from R's random numbers.
#' @param history `[data.frame]` Customers: `span`, how long each is seen from the first purchase,
#'   and the attributes of a fit with covariates. Default: those that the fit was made of.
#' @param times `[logical(1)]` Give every purchase instead of the histories?
#' @param ... Not used.
#' @return A data frame with `draw` and `customer` (the row of `history`), and `repeats`, `last`,
#'   `span`; with `times = TRUE` one row per repeat purchase and its `time` since the first one.
#' @examples
#' model <- purchase_model("pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.61, beta = 11.7))
#' simulate(model, seed = 1, history = data.frame(span = c(26, 52)))
#' simulate(model, seed = 1, history = data.frame(span = c(26, 52)), times = TRUE)
#' @importFrom stats simulate
#' @export
simulate.nubrek_purchase_model <- function(
  object, nsim = 1, seed = NULL, history = NULL, times = FALSE, ...
) {
  rlang::check_dots_empty()
  check_whole(nsim)
  check_whole(seed, lower = 0L, null = TRUE)
  throw_unless(checkmate::check_flag(times), "times", rlang::current_env())
  if (is.null(history)) {
    if (is.null(object$packed)) {
      abort_nubrek(c(
        "A model with given parameters has no customers.",
        "i" = "Say in {.arg history} how long each is seen: {.code data.frame(span = )}."
      ), "argument")
    }
    mine <- packed_sets(object)
    mine$set <- sets_at(mine, object$packed$row)
    span <- object$packed$span[object$packed$row]
  } else {
    check_columns_exist("span", names(history), "the history")
    span <- as.double(history$span)
    throw_unless(
      checkmate::check_numeric(span, lower = 0, finite = TRUE, any.missing = FALSE),
      "history",
      rlang::current_env(),
      "history"
    )
    mine <- parameter_sets(object, history)
  }
  n <- length(span)
  mine$set <- sets_at(mine, rep(seq_len(n), nsim))
  drawn <- cpp_simulate_purchases(
    object$name,
    mine,
    rep(span, nsim),
    times,
    as.double(seed %||% sample.int(1e9L, 1L)),
    reading_threads()
  )
  place <- \(row) list(draw = (row - 1L) %/% n + 1L, customer = (row - 1L) %% n + 1L)
  if (times) return(data.frame(place(drawn$row), time = drawn$time))
  data.frame(
    place(seq_len(n * nsim)), repeats = drawn$repeats, last = drawn$last, span = rep(span, nsim)
  )
}

#' @rdname simulate.nubrek_purchase_model
#' @param repeats `[numeric]` Purchases of each customer after the first, whose amounts are drawn.
#'   Default: those that the fit was made of.
#' @export
simulate.nubrek_spend_model <- function(object, nsim = 1, seed = NULL, repeats = NULL, ...) {
  rlang::check_dots_empty()
  check_whole(nsim)
  check_whole(seed, lower = 0L, null = TRUE)
  repeats <- repeats %||%
    rep(object$packed$repeats, object$packed$count) %||%
    abort_nubrek("Say in {.arg repeats} how many purchases each customer makes.", "argument")
  throw_unless(
    checkmate::check_integerish(repeats, lower = 0, any.missing = FALSE),
    "repeats",
    rlang::current_env()
  )
  drawn <- cpp_simulate_spend(
    object$name,
    object$parameters,
    rep(as.double(repeats), nsim),
    as.double(seed %||% sample.int(1e9L, 1L))
  )
  data.frame(
    draw = rep(seq_len(nsim), each = length(repeats)),
    customer = rep(seq_along(repeats), nsim),
    repeats = rep(repeats, nsim),
    drawn
  )
}

#' Residuals of a fit
#'
#' @param object `[nubrek_purchases]`
#' @param type `[character(1)]` `"repeats"` (default): repeats less those that the model expects of
#'   a new customer in the same time; `"quantile"`: randomised quantile residuals of the repeats,
#'   standard normal if the model holds (Dunn & Smyth 1996).
#' @param seed `[integer(1)]` Of the randomisation.
#' @param ... Not used.
#' @return `[double(n)]` One number per row that was fitted.
#' @examples
#' residuals(fit_purchases(example_ledger(), "bg-nbd"))
#' @export
residuals.nubrek_purchases <- function(object, type = "repeats", seed = 1L, ...) {
  rlang::check_dots_empty()
  check_choice(type, c("repeats", "quantile"))
  p <- object$packed
  mine <- packed_sets(object)
  if (type == "repeats") return((p$repeats - newcomers_expected(object, mine, p$span))[p$row])
  check_whole(seed, lower = 0L)
  below <- exact <- numeric(length(p$repeats))
  for (rows in split(seq_along(p$repeats), ceiling(log2(p$repeats + 1)))) {
    each <- newcomers_distribution(
      object,
      list(sets = mine$sets, set = sets_at(mine, rows)),
      p$span[rows],
      max(p$repeats[rows]) + 1
    )
    up_to <- col(each) <= p$repeats[rows]
    below[rows] <- rowSums(each * up_to)
    exact[rows] <- each[cbind(seq_along(rows), p$repeats[rows] + 1)]
  }
  u <- with_seed(seed, stats::runif(length(p$row)))
  stats::qnorm(pmin(pmax(below[p$row] + u * exact[p$row], 1e-300), 1 - 1e-16))
}

# Of customers from their first purchase on: expected repeats by a time of their own, and the
# probabilities of 0, 1, ..., n - 1 of them.
newcomers_expected <- function(fit, own, horizon) {
  h <- as.double(horizon)
  cpp_purchase_expected(fit$name, own, nothing_behind(length(h)), h, 0, reading_threads())
}

newcomers_distribution <- function(fit, own, horizon, n) {
  h <- as.double(horizon)
  cpp_purchase_distribution(
    fit$name, own, nothing_behind(length(h)), h, as.integer(n), reading_threads()
  )
}

nothing_behind <- function(n) list(repeats = numeric(n), last = numeric(n), span = numeric(n))
