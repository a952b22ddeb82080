# The benchmark of the models: fits and predictions of a million customers at daily grain over three
# years, and, of 100,000 customers, the same likelihood in plain vectorised R under optim() as a
# yardstick, in one run with 2 threads. Writes docs/benchmark-models.md. Usage: models.R [CUSTOMERS]
suppressPackageStartupMessages(library(nubrek))
options(nubrek.threads = 2)
wanted <- as.numeric(commandArgs(TRUE))
n <- if (length(wanted) > 0L) wanted[[1L]] else 1e6
small <- 1e5
seconds <- function(code) {
  gc(FALSE)
  system.time(code)[["elapsed"]]
}

# Parameters in days; times become whole days and are handed over in weeks, as a ledger's are.
truths <- list(
  "pareto-nbd" = c(r = 0.55, alpha = 74, s = 0.6, beta = 82),
  "bg-nbd" = c(r = 0.25, alpha = 31, a = 0.8, b = 2.4),
  "mbg-nbd" = c(r = 0.6, alpha = 60, a = 0.6, b = 2.4)
)
world <- function(name, n) {
  set.seed(1)
  h <- simulate(purchase_model(name, truths[[name]]), seed = 2, history = data.frame(
    span = sample.int(1095L, n, TRUE)
  ))
  h$last <- ceiling(h$last)
  h$repeats <- pmin(h$repeats, h$last)
  data.frame(
    repeats = h$repeats,
    last = h$last / 7,
    span = h$span / 7,
    channel = sample(c("shop", "web", "fair"), n, TRUE),
    region = sample(c("north", "south", "west"), n, TRUE)
  )
}

# Gauss-Legendre nodes on [0, 1] from the eigenvalues of the Jacobi matrix (Golub & Welsch 1969).
nodes <- function(k) {
  b <- seq_len(k - 1) / sqrt(4 * seq_len(k - 1)^2 - 1)
  m <- matrix(0, k, k)
  m[cbind(seq_len(k - 1), 2:k)] <- m[cbind(2:k, seq_len(k - 1))] <- b
  e <- eigen(m, symmetric = TRUE)
  list(at = (e$values + 1) / 2, weight = e$vectors[1, ]^2)
}
rule <- nodes(24)
plain <- list(
  "pareto-nbd" = function(u, h) {
    r <- exp(u[[1]])
    alpha <- exp(u[[2]])
    s <- exp(u[[3]])
    beta <- exp(u[[4]])
    N <- r + h$repeats
    a <- alpha + h$last
    b <- beta + h$last
    scale <- pmin(a, b)
    D <- h$span - h$last
    phi <- \(d) N * log1p(d / a) + s * log1p(d / b)
    d <- 40 / (N / a + s / b) # where the integrand has died out, from below
    for (i in 1:2) {
      d <- d * exp((40 - phi(d)) / ((N / (a + d) + s / (b + d)) * d))
    }
    end <- log1p(pmin(D, d) / scale)
    J <- numeric(length(N))
    for (k in seq_along(rule$at)) {
      d <- scale * expm1(end * rule$at[[k]])
      J <- J + end * rule$weight[[k]] * (scale + d) * exp(-phi(d)) * s / (b + d)
    }
    A <- exp(-phi(D))
    -sum(
      lgamma(N) -
        lgamma(r) -
        r * log1p(h$last / alpha) -
        h$repeats * log(a) -
        s * log1p(h$last / beta) +
        log(A + J)
    )
  },
  "bg-nbd" = function(u, h) bg(u, h, 0),
  "mbg-nbd" = function(u, h) bg(u, h, 1)
)
bg <- function(u, h, more) {
  r <- exp(u[[1]])
  alpha <- exp(u[[2]])
  a <- exp(u[[3]])
  b <- exp(u[[4]])
  x <- h$repeats
  k <- x + more
  stay <- lbeta(a, b + k) - lbeta(a, b) - (r + x) * log(alpha + h$span)
  gone <- ifelse(
    k > 0, lbeta(a + 1, pmax(b + k - 1, 1e-300)) - lbeta(a, b) - (r + x) * log(alpha + h$last), -Inf
  )
  high <- pmax(stay, gone)
  -sum(lgamma(r + x) - lgamma(r) + r * log(alpha) + high + log(exp(stay - high) + exp(gone - high)))
}

rows <- character()
for (name in names(truths)) {
  h <- world(name, n)
  fit_s <- seconds(fit <- fit_purchases(h, name))
  cov_s <- seconds(with <- fit_purchases(h, name, ~channel + region))
  stopifnot(fit$converged, with$converged)
  ahead <- c(
    active = seconds(predict(fit, h, "active")),
    purchases = seconds(predict(fit, h, horizon = 52)),
    discounted = seconds(predict(fit, h, "discounted", Inf, 0.002))
  )
  h <- world(name, small)
  ours_s <- seconds(ours <- fit_purchases(h, name))
  plain_s <- seconds(
    found <- optim(
      log(c(1, 10, 0.6, if (name == "pareto-nbd") 20 else 2)),
      plain[[name]],
      h = h,
      method = "BFGS",
      control = list(maxit = 500, reltol = 1e-12, fnscale = small)
    )
  )
  off <- as.numeric(logLik(ours)) + found$value
  if (abs(off) > 1e-3) stop("the likelihoods differ by ", off)
  rows <- c(rows, sprintf(
    "| %s | %.2f | %.2f | %.2f | %.2f | %.2f | %.2f | %.1f | %.0f | %.0e |",
    name,
    fit_s,
    cov_s,
    ahead[[1]],
    ahead[[2]],
    ahead[[3]],
    ours_s,
    plain_s,
    plain_s / ours_s,
    abs(off)
  ))
}
# Value of a million customers: the points in one pass after the fits, and intervals of each
# customer and of all from nested draws of parameters and courses.
h <- world("pareto-nbd", n)
h$spend <- simulate(
  spend_model("gamma-gamma", c(p = 6, q = 4, gamma = 40)), seed = 3, repeats = h$repeats
)$spend
fit <- fit_purchases(h)
spend <- fit_spend(h)
point_s <- seconds({
  ahead <- nubrek:::purchases_ahead(fit, h, c(52, 52), c(0, 0.0018))
  value <- ahead$expected[, 2] * predict(spend, h)
})
draws_s <- vapply(
  list(c(20L, 25L), c(50L, 10L)),
  function(draws) {
    took <- seconds(
      drawn <- nubrek:::draw_values(
        nubrek:::drawn_worlds(h, fit, spend, draws[[1]], 1),
        52,
        0.0018,
        c(0.025, 0.975),
        draws[[2]],
        1
      )
    )
    if (abs(mean(drawn$totals) / sum(value) - 1) > 0.01) {
      stop("the draws do not hold the expectation")
    }
    took
  },
  0
)
worth <- sprintf(
  paste(
    paste0(
      paste0(
        "Value of %s customers (Pareto/NBD, gamma-gamma) after the fits: probability of still ",
        "being a "
      ),
      "customer, purchases, sales and discounted sales %.2f s;"
    ),
    paste0(
      paste0(
        "intervals by 20 draws of the parameters with 25 courses of each customer %.1f s, by 50 ",
        "with "
      ),
      "10 %.1f s."
    )
  ),
  format(n, big.mark = " ", scientific = FALSE),
  point_s,
  draws_s[[1]],
  draws_s[[2]]
)
text <- c(
  "# Benchmark of the models",
  "",
  sprintf(
    paste0(
      "The newest run of `make bench`, 2 threads. %s customers at daily grain over three years: ",
      "full fit; with %s as covariates of both rates (8 columns); predictions of all. Then %s"
    ),
    format(n, big.mark = " ", scientific = FALSE),
    "channel and region",
    format(small, big.mark = " ", scientific = FALSE)
  ),
  paste0(
    "customers: our fit, the same likelihood in plain vectorised R under `optim()` (BFGS), the ",
    "ratio, and by how much the log-likelihoods found differ."
  ),
  "",
  paste0(
    "| model | fit, s | with covariates, s | active, s | purchases, s | discounted, s | small ",
    "fit, s | plain R, s | plain R : ours | difference |"
  ),
  "|---|---|---|---|---|---|---|---|---|---|",
  rows
)
text <- c(text, "", worth)
writeLines(text)
writeLines(text, "docs/benchmark-models.md")
