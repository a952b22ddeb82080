# Maximum likelihood: the climb, its end, and the fit that comes of it.

# Climbs a log-likelihood with its gradient and Hessian within bounds; further starts are tried only
# where the climb did not arrive, or all to choose among.
climb <- function(likelihood, starts, lower, upper, all_starts = FALSE) {
  seen <- NULL
  look <- \(u) {
    if (!identical(as.double(u), seen$u)) {
      seen <<- c(list(u = as.double(u)), likelihood(as.double(u)))
    }
    seen
  }
  finite <- \(x) ifelse(is.finite(x), x, 0)
  best <- list(log_lik = -Inf)
  for (start in starts) {
    run <- stats::nlminb(
      pmin(pmax(start, lower), upper),
      \(u) {
        v <- -look(u)$log_lik
        if (is.finite(v)) v else 1e300
      },
      \(u) finite(-look(u)$gradient),
      \(u) finite(-look(u)$hessian),
      lower = lower,
      upper = upper,
      control = list(iter.max = 300L, eval.max = 600L, rel.tol = 1e-11, x.tol = 1e-7)
    )
    one <- polish(run$par, look, lower, upper)
    if (one$log_lik > best$log_lik) best <- one
    if (!all_starts && best$distance < 1e-6) break
  }
  best
}

# Newton steps to the top, and how far off it still is: the decrement, half of g' H^-1 g, is in
# units of log-likelihood.
polish <- function(at, look, lower, upper) {
  for (step in 1:4) {
    here <- look(at)
    edge <- which(at < lower + 0.1 | at > upper - 0.1)
    inside <- setdiff(seq_along(at), edge)
    root <- tryCatch(chol(-here$hessian[inside, inside, drop = FALSE]), error = \(e) NULL)
    if (length(inside) == 0L || is.null(root)) break
    move <- replace(at * 0, inside, backsolve(root, forwardsolve(t(root), here$gradient[inside])))
    if (sum(move * here$gradient) / 2 < 1e-10 || max(abs(move)) > 0.5) break
    there <- look(at + move)
    if (!is.finite(there$log_lik) || there$log_lik < here$log_lik - 1e-9 * abs(here$log_lik)) {
      here <- look(at)
      break
    }
    at <- at + move
  }
  # parameters on the edge are held there: of them nothing is known
  here <- look(at)
  edge <- which(at < lower + 0.1 | at > upper - 0.1)
  inside <- setdiff(seq_along(at), edge)
  information <- -here$hessian[inside, inside, drop = FALSE]
  root <- if (length(inside) > 0L && all(diag(information) > 0)) {
    tryCatch(chol(information), error = \(e) NULL)
  }
  clear <- !is.null(root) &&
    rcond(information / sqrt(outer(diag(information), diag(information)))) > 1e-12
  covariance <- if (clear) {
    result <- matrix(NA_real_, length(at), length(at))
    result[inside, inside] <- chol2inv(root)
    result
  }
  list(
    at = at,
    log_lik = here$log_lik,
    hessian = here$hessian,
    covariance = covariance,
    edge = edge,
    distance = if (clear) {
      sum(
        here$gradient[inside] * (covariance[inside, inside, drop = FALSE] %*% here$gradient[inside])
      ) /
        2
    } else {
      Inf
    }
  )
}

# What the climb found, with what it was found for: the one way a fit is made.
new_fit <- function(found, model, nobs, class, said, facts) {
  converged <- found$distance < 1e-5 && length(found$edge) == 0L
  structure(
    c(
      list(name = model),
      found[c(
        "parameters", "effects", "log_lik", "vcov", "distance", "edge", "free", "penalty",
        "cross_validation"
      )],
      list(nobs = nobs, converged = converged, design = facts$packed$design),
      facts
    ),
    remarks = all_remarks(said, if (!converged) fit_remark(found, model)),
    class = class
  )
}

# Why a fit is not certain, in the words of the model.
fit_remark <- function(fit, model) {
  leaving <- purchase_models()[[model]]$parameters[leaving_places(model)]
  why <- if (any(fit$edge %in% leaving)) {
    paste0(
      "how long customers stay cannot be told from these data (nearly all look active, or left at ",
      "once, or leave in the same way)"
    )
  } else if (length(fit$edge) > 0L) {
    "customers hardly differ in what the model says they differ in"
  } else if (is.infinite(fit$distance)) {
    paste0(
      "the likelihood is flat in some direction, so that several sets of parameters explain the ",
      "data as well"
    )
  } else {
    "the climb did not arrive at the top"
  }
  remark_table("convergence", say(
    paste0(
      "The fit of %s is not certain: %s%s. Expectations within the time seen can be used, ",
      "intervals and long horizons cannot be trusted."
    ),
    model,
    why,
    if (length(fit$edge) > 0L) {
      paste0("; ", paste(fit$edge, collapse = ", "), say(" ran to the edge"))
    } else {
      ""
    }
  ))
}

# Maximum likelihood on the scale it is made on: logs of positive parameters, effects as they are.
working_scale <- function(fit) {
  logs <- if (inherits(fit, "nubrek_spend_model")) {
    spend_models()[[fit$name]]$positive
  } else {
    rep(TRUE, length(fit$parameters))
  }
  values <- fit$parameters
  values[logs] <- log(values[logs])
  list(at = c(values, fit$effects), logs = c(logs, rep(FALSE, length(fit$effects))))
}
