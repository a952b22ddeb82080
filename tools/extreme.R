# The models' kernels with inputs at the edge of what numbers hold: every answer is finite or a
# classed error, never a crash.
library(nubrek)
set.seed(1)
ends <- function(n) 10^runif(n, -8, 8)
tried <- refused <- odd <- 0L
for (case in 1:600) {
  name <- sample(c("pareto-nbd", "bg-nbd", "mbg-nbd", "bg-bb"), 1L)
  parameters <- stats::setNames(
    ends(4L),
    switch(name,
      "pareto-nbd" = c("r", "alpha", "s", "beta"),
      "bg-bb" = c("alpha", "beta", "gamma", "delta"),
      c("r", "alpha", "a", "b")
    )
  )
  n <- 5L
  span <- if (name == "bg-bb") sample(0:300, n, TRUE) else ends(n)
  last <- if (name == "bg-bb") floor(span * runif(n)) else span * runif(n)^4
  repeats <- if (name == "bg-bb") floor(last * runif(n)) else sample(c(0:5, 5000), n, TRUE)
  last[repeats == 0] <- 0
  history <- data.frame(repeats, last, span)
  tried <- tried + 1L
  tryCatch(
    {
      model <- purchase_model(name, parameters)
      seen <- c(
        log_density(model, history), predict(model, history, horizon = sample(c(1, 50, 1e4), 1L))
      )
      if (anyNA(seen) || any(seen == Inf)) odd <- odd + 1L
      if (max(parameters) < 1e4 && min(parameters) > 1e-3) {
        simulate(model, seed = case, history = data.frame(span = pmin(span, 300)))
      }
    },
    nubrek_error = \(e) refused <<- refused + 1L,
    nubrek_warning = \(w) NULL
  )
}
cat(tried, "extreme cases,", refused, "refused,", odd, "with an answer that is no number\n")
