# A campaign before its end: intervals that allow for a check on every day of the window
# (definition 69).

# The level at which the interval of day `day` of `days` stands, so that of campaigns without an
# effect, looked at every day, a share of 1 - `level` at most ever seems to have one before the end
# (alpha spending, Lan and DeMets 1983; little is spent early, as by O'Brien and Fleming 1979).
look_level <- function(day, days, level) {
  looks <- min(days, most_looks)
  # a look between two of those that are counted takes the bound of the earlier, which is wider
  key <- paste(looks, level)
  if (is.null(known_bounds[[key]])) assign(key, look_bounds(looks, level), known_bounds)
  2 * stats::pnorm(known_bounds[[key]][[max(1L, floor(day / days * looks))]]) - 1
}

most_looks <- 91L
known_bounds <- new.env(parent = emptyenv()) # they depend on nothing but looks and level

# The bounds of |z| at equally spaced looks. What is seen at look k is a sum of k independent
# pieces; its density inside the bounds so far is carried from look to look on a grid.
look_bounds <- function(looks, level) {
  z <- stats::qnorm((1 + level) / 2)
  spent <- 2 * stats::pnorm(-z / sqrt(seq_len(looks) / looks))
  step <- diff(c(0, spent))
  widest <- 1.5 * z * sqrt(looks)
  width <- min(0.1, z / 20)
  at <- seq(-widest, widest, by = width)
  move <- outer(at, at, \(x, y) stats::dnorm(x - y)) * width
  density <- stats::dnorm(at)
  bounds <- numeric(looks)
  for (k in seq_len(looks)) {
    before <- if (k == 1L) list(at = 0, mass = 1) else list(at = at, mass = density * width)
    beyond <- \(bound) sum(before$mass * (
      stats::pnorm(before$at - bound) + stats::pnorm(-before$at - bound)
    )) - step[[k]]
    bounds[[k]] <- if (beyond(widest) >= 0) widest else stats::uniroot(
      beyond, c(0, widest), tol = 1e-8
    )$root
    if (k > 1L) density <- as.vector(move %*% density)
    density[abs(at) > bounds[[k]]] <- 0
  }
  bounds / sqrt(seq_len(looks))
}
