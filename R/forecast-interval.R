# How sure the parameters of a fit are: by the information, and by drawing it again.

#' Intervals of the parameters
#'
#' @param object `[nubrek_purchases | nubrek_spend]` From [fit_purchases()] or [fit_spend()].
#' @param parm `[character]` Names of parameters and effects; default all.
#' @param level `[double(1)]`
#' @param method `[character(1)]` `"normal"` (default): normal in the logs of the parameters, from
#'   the curvature of the likelihood; `"bootstrap"`: quantiles of [bootstrap_fit()].
#' @param draws,seed `[integer(1)]` Of the bootstrap.
#' @param ... Not used.
#' @return A matrix with a row per parameter and a column per bound; missing where the likelihood
#'   has no clear top.
#' @examples
#' fit <- fit_purchases(example_ledger(), "bg-nbd")
#' confint(fit)
#' @export
confint.nubrek_purchases <- function(
  object, parm = names(coef(object)), level = 0.95, method = "normal", draws = 200L, seed = 1L, ...
) {
  rlang::check_dots_empty()
  check_share(level, lower = 0.5, upper = 0.9999)
  check_choice(method, c("normal", "bootstrap"))
  tails <- c((1 - level) / 2, (1 + level) / 2)
  if (method == "bootstrap") {
    drawn <- attr(bootstrap_fit(object, draws, level, seed), "draws")
    result <- t(apply(drawn, 2L, stats::quantile, tails, na.rm = TRUE, names = FALSE))
  } else {
    unit <- working_scale(object)
    error <- if (is.null(object$vcov)) rep(NA_real_, length(unit$at)) else sqrt(diag(object$vcov))
    result <- unit$at + error %o% stats::qnorm(tails)
    result[unit$logs, ] <- exp(result[unit$logs, ])
  }
  dimnames(result) <- list(
    names(coef(object)), paste0(format(100 * tails, trim = TRUE, digits = 4L), " %")
  )
  unknown <- setdiff(parm, rownames(result))
  if (length(unknown) > 0L) {
    abort_nubrek(c(
      "The fit has no parameter {.val {unknown[[1]]}}.", "i" = "It has {.val {rownames(result)}}."
    ), "argument")
  }
  result[parm, , drop = FALSE]
}

#' @rdname confint.nubrek_purchases
#' @export
confint.nubrek_spend <- confint.nubrek_purchases

#' Parametric bootstrap of a fit
#'
#' Draws whole worlds of the same customers from the fitted model and fits each anew: an answer to
#' "how far off may the estimates be?" that does not lean on the curvature of the likelihood.
#'
#' @param fit `[nubrek_purchases | nubrek_spend]`
#' @param draws `[integer(1)]` Worlds.
#' @param level `[double(1)]` Of the intervals.
#' @param seed `[integer(1)]`
#' @return A `nubrek_bootstrap`, one row per parameter: `parameter`, `estimate`; `bias`, mean of the
#'   draws less the estimate; `error`, their standard deviation; `lower`, `upper`, their quantiles.
#'   The attribute `draws` is the matrix of them.
#' @examples
#' \donttest{
#' histories <- simulate(purchase_model(
#'   "bg-nbd", c(r = 1, alpha = 8, a = 1, b = 3)
#' ), seed = 1, history = data.frame(span = rep(52, 300)))
#' bootstrap_fit(fit_purchases(histories, "bg-nbd"), draws = 20)
#' }
#' @export
bootstrap_fit <- function(fit, draws = 200L, level = 0.95, seed = 1L) {
  throw_unless(
    checkmate::check_multi_class(fit, c("nubrek_purchases", "nubrek_spend")),
    "fit",
    rlang::current_env()
  )
  check_whole(draws, lower = 2L)
  check_share(level, lower = 0.5, upper = 0.9999)
  check_whole(seed, lower = 0L)
  worlds <- t(vapply(
    seq_len(draws),
    function(k) {
      signal_progress("drawing worlds", (k - 1) / draws)
      tryCatch(redraw(fit, seed * 1000 + k), nubrek_error_unidentified = \(e) NA_real_ * coef(fit))
    },
    coef(fit)
  ))
  lost <- sum(is.na(worlds[, 1L]))
  tails <- apply(
    worlds, 2L, stats::quantile, c((1 - level) / 2, (1 + level) / 2), na.rm = TRUE, names = FALSE
  )
  new_result(
    list(
      parameter = names(coef(fit)),
      estimate = unname(coef(fit)),
      bias = unname(colMeans(worlds, na.rm = TRUE) - coef(fit)),
      error = unname(apply(worlds, 2L, stats::sd, na.rm = TRUE)),
      lower = unname(tails[1L, ]),
      upper = unname(tails[2L, ])
    ),
    "bootstrap",
    remarks = rbind(
      remarks(fit),
      if (lost > 0L) {
        remark_table(
          "draws", say("%d of %d worlds could not be fitted and are left out.", lost, draws)
        )
      }
    ),
    basis = list(model = fit$name, draws = draws, level = level, kinds = number_kinds),
    draws = worlds
  )
}

number_kinds <- c(
  estimate = "number", bias = "number", error = "number", lower = "number", upper = "number"
)

# The estimates of one world drawn from the fit.
redraw <- function(fit, seed) {
  p <- fit$packed
  if (inherits(fit, "nubrek_spend")) {
    n <- rep(p$repeats, p$count)
    return(coef(fit_spend(
      data.frame(repeats = n, cpp_simulate_spend(fit$name, fit$parameters, n, seed)), fit$name
    )))
  }
  line <- rep(seq_along(p$count), p$count)
  mine <- packed_sets(fit)
  mine$set <- sets_at(mine, line)
  drawn <- cpp_simulate_purchases(
    fit$name, mine, p$span[line], FALSE, seed, reading_threads()
  )
  rows <- data.table(
    set = p$set[line] %||% rep(1L, length(line)),
    repeats = drawn$repeats,
    last = drawn$last,
    span = p$span[line]
  )[, .(count = as.double(.N)), keyby = .(set, repeats, last, span)]
  if (sum(rows$repeats) == 0) return(NA_real_ * coef(fit))
  world <- utils::modifyList(p, list(
    repeats = rows$repeats,
    last = rows$last,
    span = rows$span,
    count = rows$count,
    set = if (!is.null(p$set)) rows$set
  ))
  again <- climb_purchases(
    fit$name, world, fit$penalty, from = list(c(log(fit$parameters), fit$effects * p$design$spread))
  )
  c(again$parameters, again$effects)
}
