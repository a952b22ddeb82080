#' Fit a purchase model, fit a spend model
#'
#' Maximum likelihood by Newton steps with analytic first and second derivatives on the
#' log-parameters, from several starts; equal histories are weighed once. A ledger's customers whose
#' first purchase may lie before the data are not learned from.
#'
#' @param x `[nubrek_ledger | data.frame]` A ledger, or histories as [purchase_history()] gives
#'   them.
#' @param model `[character(1)]` `"pareto-nbd"` (default), `"bg-nbd"`, `"mbg-nbd"`, `"bg-bb"`;
#'   `"gamma-gamma"`, `"log-normal"`. See [purchase models][nubrek-models].
#' @param covariates `[formula | list]` Attributes of the customer (columns of the histories, or of
#'   [customers()] of a ledger) that act on both rates, such as `~ first_channel`; or `list(rate = ,
#'   dropout = )` of two formulas. An effect is the log of the factor by which the rate of buying or
#'   of leaving differs from that of the base, the most frequent group (where a probability is
#'   mixed, the factor of its odds). Numbers are counted from their mean.
#' @param penalty `[numeric(1) | character(1)]` Ridge: half of it times the squared effects, in
#'   standard deviations of their columns, is taken off the log-likelihood. `0` (default), or
#'   `"cross-validated"`: the one under which customers left out are likeliest.
#' @param unit `[character(1)]` Unit of time: of the histories to be made of a ledger, or what a
#'   data frame's times are in.
#' @param seed `[integer(1)]` Of the five parts of the cross-validation.
#' @param season `[nubrek_season | numeric(12)]` Business time for the histories to be made of a
#'   ledger, as in [purchase_history()].
#' @return A `nubrek_purchases` or `nubrek_spend`: a model (see [purchase_model()]) that also
#'   answers `summary()`, `coef()`, `vcov()` (of the log-parameters and effects),
#'   [confint()][confint.nubrek_purchases], `logLik()`, `nobs()`, `AIC()`, `BIC()`,
#'   [anova()][anova.nubrek_purchases], [update()][update.nubrek_purchases],
#'   [residuals()][residuals.nubrek_purchases], `generics::tidy()` and `generics::glance()`.
#'   `converged` tells whether the climb arrived, `distance` by how much log-likelihood it may still
#'   be off, `edge` which parameters the data do not hold. With a penalty the degrees of freedom are
#'   effective ones.
#' @section Errors: `nubrek_error_unidentified` when nobody repeats or there are too few customers,
#'   or amounts are constant; it says what can still be said. `nubrek_error_history` names the first
#'   impossible row. A warning `nubrek_warning_unit` when times look as if they were in another
#'   unit.
#' @examples
#' fit <- fit_purchases(example_ledger())
#' coef(fit)
#' fit_spend(example_ledger())
#' @export
fit_purchases <- function(
  x, model = "pareto-nbd", covariates = NULL, penalty = 0, unit = "week", seed = 1L, season = NULL
) {
  check_choice(model, names(purchase_models()))
  check_choice(unit, names(unit_days))
  formulas <- covariate_formulas(covariates)
  if (!identical(penalty, "cross-validated")) check_number(penalty, lower = 0)
  check_whole(seed, lower = 0L)
  found <- histories_to_fit(x, model, formulas, unit, season)
  history <- found$history
  unit <- basis_of(history, "unit", NULL) %||% unit
  check_fittable(history, model)
  packed <- pack_histories(history, formulas)
  notes <- rbind(found$remarks, unit_remark(history, unit), group_remark(packed$design, penalty))
  fitted_purchases(model, penalty, seed, notes, list(
    packed = packed,
    unit = unit,
    customers = history[["customer"]],
    until = basis_of(history, "until", NULL),
    season = basis_of(history, "season", NULL),
    covariates = formulas
  ))
}

# Facts of the histories that a fit is of, whatever the model: what a refit takes over.
purchase_facts <- c("packed", "unit", "customers", "until", "season", "covariates")

fitted_purchases <- function(model, penalty, seed, said, facts) {
  stopifnot(setequal(names(facts), purchase_facts))
  new_fit(
    climb_or_validate(model, facts$packed, penalty, seed),
    model,
    sum(facts$packed$count),
    c("nubrek_purchases", "nubrek_purchase_model"),
    said,
    facts
  )
}

# The histories to learn from, of a ledger with the attributes that the formulas name.
histories_to_fit <- function(x, model, formulas, unit, season, call = rlang::caller_env()) {
  if (inherits(x, "nubrek_ledger")) {
    history <- purchase_history(x, unit, occasions = is_discrete(model), season = season)
    learn <- learn_from(x, history)
    history <- with_attributes(history[learn$rows, ], x, formula_variables(formulas))
    return(list(history = history, remarks = learn$remarks))
  }
  if (!is.null(season)) {
    abort_nubrek(c(
      "A {.arg season} belongs to a ledger.", "i" = "Give it to {.fn purchase_history}."
    ), "argument", call = call)
  }
  list(history = x)
}

check_fittable <- function(history, model, call = rlang::caller_env()) {
  discrete <- is_discrete(model)
  check_history(history, discrete = discrete, call = call)
  if (isTRUE(basis_of(history, "occasions", NULL)) && !discrete) {
    abort_nubrek(paste0(
      "Occasions are for a model of occasions; {.val {model}} needs a {.fn purchase_history} of ",
      "purchase days."
    ), "history", call = call)
  }
  check_identified(history, discrete, call)
}

check_identified <- function(history, discrete, call = rlang::caller_env()) {
  customers <- sum(history[["count"]] %||% rep(1, nrow(history)))
  if (customers < 3 || all(history$span == 0)) {
    abort_nubrek(c(
      paste0(
        "A purchase model cannot be fitted to {customers} ",
        "customer{?s}{if (customers >= 3) ' seen for no time' else ''}."
      ),
      "i" = paste0(
        "How often they bought can still be shown; a forecast needs several customers seen for ",
        "some time."
      )
    ), "unidentified", call = call)
  }
  if (sum(history$repeats) == 0) {
    what <- if (discrete) "on a second occasion" else "on a second day"
    abort_nubrek(c(
      "A purchase model cannot be fitted: nobody has bought {what}.",
      "i" = paste0(
        "{customers} customer{?s} bought once. Counts, cohorts and tiers can still be shown; a ",
        "forecast cannot."
      )
    ), "unidentified", call = call)
  }
}

# Equal histories (with equal covariates) once, with how many there are; sets of covariates stand
# together. `row` tells where each customer went.
pack_histories <- function(history, formulas, call = rlang::caller_env()) {
  count <- as.double(history[["count"]] %||% rep(1, nrow(history)))
  design <- if (!is.null(formulas)) new_design(formulas, history, count, call)
  found <- if (!is.null(design)) apply_design(design, history)
  rows <- data.table(
    set = found$set %||% rep(1L, nrow(history)),
    repeats = as.double(history$repeats),
    last = as.double(history$last),
    span = as.double(history$span),
    count = count
  )
  rows[, place := .GRP, keyby = .(set, repeats, last, span)]
  distinct <- rows[, .(count = sum(count)), keyby = .(place, set, repeats, last, span)]
  list(
    repeats = distinct$repeats,
    last = distinct$last,
    span = distinct$span,
    count = distinct$count,
    set = if (!is.null(design)) distinct$set,
    row = rows$place,
    columns = found$columns,
    design = design,
    each = if (!is.null(history[["count"]])) count
  )
}

# The penalised log-likelihood of packed histories as a function of log-parameters and scaled
# effects.
purchase_likelihood <- function(model, packed, penalty = 0, count = packed$count, rows = NULL) {
  spread <- packed$design$spread
  columns <- if (is.null(spread)) matrix(0, 0L, 1L) else packed$columns / spread
  pick <- \(x) if (is.null(rows)) x else x[rows]
  histories <- list(
    repeats = pick(packed$repeats), last = pick(packed$last), span = pick(packed$span)
  )
  set <- pick(packed$set) %||% integer()
  count <- pick(count)
  threads <- reading_threads()
  base <- base_places(model)
  design <- list(columns = columns, buying = packed$design$buying %||% 0L, set = set)
  function(u) {
    here <- c(design, list(effects = u[-base]))
    result <- cpp_purchase_sum(model, exp(u[base]), here, histories, count, threads)
    if (penalty > 0) {
      e <- replace(u, base, 0)
      result$log_lik <- result$log_lik - penalty / 2 * sum(e^2)
      result$gradient <- result$gradient - penalty * e
      result$hessian <- result$hessian - ridge(model, length(e), penalty)
    }
    result
  }
}

# What a penalty adds to the curvature: on effects, not on the base parameters.
ridge <- function(model, wide, penalty) {
  diag(replace(rep(penalty, wide), base_places(model), 0), wide)
}

# A penalty that is given, or the one that cross-validation chooses; without covariates there is
# nothing to draw in.
climb_or_validate <- function(model, packed, penalty, seed) {
  if (!identical(penalty, "cross-validated")) return(climb_purchases(model, packed, penalty))
  if (is.null(packed$design)) {
    climb_purchases(model, packed, 0)
  } else {
    cross_validated(model, packed, seed)
  }
}

# What this session climbed, the newest few: a study asks for the same fit in several places.
climbed <- new.env()

climb_purchases <- function(model, packed, penalty, count = packed$count, from = NULL) {
  if (!is.null(from)) return(climb_anew(model, packed, penalty, count, from))
  key <- rlang::hash(list(model, packed, penalty, count))
  if (is.null(climbed[[key]])) {
    if (length(climbed) > 100L) rm(list = ls(climbed), envir = climbed)
    climbed[[key]] <- climb_anew(model, packed, penalty, count)
  }
  climbed[[key]]
}

# A start from a part of the histories, then all of them.
climb_anew <- function(model, packed, penalty, count, from = NULL) {
  n <- length(packed$repeats)
  bounds <- climb_bounds(model, length(packed$design$spread))
  lower <- bounds$lower
  upper <- bounds$upper
  if (is.null(from)) {
    from <- climb_starts(model, packed, count)
    part <- if (n > 4000L) sort(with_seed(1L, sample.int(n, min(10000L, n %/% 4L))))
    best <- climb(
      purchase_likelihood(model, packed, penalty, count, part),
      from,
      lower,
      upper,
      all_starts = TRUE
    )
    if (is.null(part)) return(finish_climb(best, model, packed, penalty))
    from <- list(best$at)
  }
  best <- climb(purchase_likelihood(model, packed, penalty, count), from, lower, upper)
  finish_climb(best, model, packed, penalty)
}

climb_bounds <- function(model, wide) {
  base <- base_places(model)
  list(
    lower = replace(rep(-20, length(base) + wide), base, log(1e-5)),
    upper = replace(rep(20, length(base) + wide), base, log(1e7))
  )
}

# Places where the climb may begin, from repeats by time and the typical span; no effects.
climb_starts <- function(model, packed, count) {
  time <- if (is_discrete(model)) packed$span else packed$last
  rate <- sum(packed$repeats * count) / max(sum(time * count), 1e-9)
  span <- sum(packed$span * count) / sum(count)
  starts <- log(cpp_purchase_starts(model, max(rate, 1e-9), max(span, 1e-9)))
  bounds <- climb_bounds(model, 0L)
  lapply(seq_len(ncol(starts)), \(i) {
    c(
      pmin(pmax(starts[, i], bounds$lower + 1), bounds$upper - 1),
      rep(0, length(packed$design$spread))
    )
  })
}

# From scaled effects back to those of the columns as they are.
finish_climb <- function(best, model, packed, penalty) {
  base <- base_places(model)
  unit <- c(rep(1, length(base)), packed$design$spread)
  called <- c(purchase_models()[[model]]$parameters, packed$design$names)
  free <- length(unit)
  if (penalty > 0 && !is.null(best$covariance) && !anyNA(best$covariance)) {
    free <- sum(diag(best$covariance %*% (-best$hessian - ridge(model, free, penalty))))
  }
  list(
    parameters = stats::setNames(exp(best$at[base]), called[base]),
    effects = if (length(unit) > length(base)) {
      stats::setNames(best$at[-base] / unit[-base], called[-base])
    },
    log_lik = best$log_lik + penalty / 2 * sum(best$at[-base]^2),
    vcov = if (!is.null(best$covariance)) {
      structure(best$covariance / outer(unit, unit), dimnames = list(called, called))
    },
    distance = best$distance,
    edge = called[best$edge],
    free = free,
    penalty = penalty,
    at = best$at
  )
}

penalty_grid <- c(10000, 3000, 1000, 300, 100, 30, 10, 3, 1, 0)

# Customers are dealt into five parts; each part's likelihood under the fit of the others judges a
# penalty.
cross_validated <- function(model, packed, seed) {
  parts <- 5L
  part <- with_seed(seed, sample(rep_len(seq_len(parts), length(packed$row))))
  weight <- packed$each %||% rep(1, length(packed$row))
  held <- vapply(
    seq_len(parts),
    \(k) {
      mine <- numeric(length(packed$repeats))
      sums <- rowsum(weight[part == k], packed$row[part == k])
      mine[as.integer(rownames(sums))] <- sums
      mine
    },
    numeric(length(packed$repeats))
  )
  scores <- matrix(NA_real_, length(penalty_grid), parts)
  for (k in seq_len(parts)) {
    signal_progress("choosing the penalty", (k - 1) / parts)
    from <- NULL
    for (i in seq_along(penalty_grid)) {
      fit <- climb_purchases(model, packed, penalty_grid[[i]], packed$count - held[, k], from)
      from <- list(fit$at)
      scores[i, k] <- purchase_likelihood(model, packed, 0, held[, k])(fit$at)$log_lik
    }
  }
  rows <- data.frame(penalty = penalty_grid, log_score = rowSums(scores) / sum(held))
  fit <- climb_purchases(model, packed, rows$penalty[[which.max(rows$log_score)]])
  fit$cross_validation <- rows[order(rows$penalty), ]
  fit
}
