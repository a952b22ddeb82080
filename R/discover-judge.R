# Groups are judged on customers who did not take part in finding them.

# One row for each group: estimates of the judged half beside everybody else there.
judge_groups <- function(groups, members, y, judged, yes) {
  rows <- lapply(seq_along(groups), \(g) {
    inside <- members[[g]][judged]
    judge_one(y[judged], inside, yes)
  })
  rows <- do.call(rbind, rows)
  rows$size_found <- vapply(groups, `[[`, 0, "size")
  rows$mean_found <- vapply(groups, \(one) one$sum / one$size, 0)
  rows
}

# Difference and interval: Newcombe of shares, Welch of means, drawn samples where the money of a
# few decides. Whether it is chance: the place of the mean among those of all groups of this size,
# by their mean, spread and skewness (a Pearson curve of the third type), which holds for money too,
# where a few spend much.
judge_one <- function(y, inside, yes = FALSE) {
  n <- sum(inside)
  others <- length(y) - n
  if (n < 2L || others < 2L) {
    return(data.frame(
      size_judged = n, mean = NA_real_, others = NA_real_, difference = NA_real_,
      lower = NA_real_, upper = NA_real_, error = NA_real_, high = 1, low = 1
    ))
  }
  sides <- mean_difference(y, inside)
  ends <- if (yes) {
    unlist(newcombe(mean(y[inside]), n, mean(y[!inside]), others, stats::qnorm(0.975)))
  } else if (few_decide(y, n)) {
    drawn_bounds(y, inside)
  } else {
    effect_bounds(sides, 0.95)
  }
  places <- chance_of_mean(mean(y[inside]), n, y)
  data.frame(
    size_judged = n,
    mean = mean(y[inside]),
    others = mean(y[!inside]),
    difference = sides$effect,
    lower = ends[[1L]],
    upper = ends[[2L]],
    error = sides$error,
    high = places[["high"]],
    low = places[["low"]]
  )
}

# Whether means of so many are far from normal: their skewness.
few_decide <- function(y, n) {
  off <- y - mean(y)
  min(y) >= 0 && abs(mean(off^3)) / mean(off^2)^1.5 > 0.15 * sqrt(n)
}

# The interval of a difference of means of amounts that a few decide. The spread of a small group is
# nearly always less than that of those it stands for, so it is taken from everybody: all amounts of
# the group divided by how many times the others' mean it spends, its mean by lot of them.
drawn_bounds <- function(y, inside, level = 0.95) {
  n <- sum(inside)
  others <- mean(y[!inside])
  times <- mean(y[inside]) / others
  if (!is.finite(times) || times <= 0) return(effect_bounds(mean_difference(y, inside), level))
  alike <- ifelse(inside, y / times, y) / others
  off <- stats::sd(y[!inside]) / others / sqrt(length(y) - n)
  draws <- max(200L, min(1000L, 4000000L %/% n))
  mean_by_lot <- with_seed(1L, {
    each <- colMeans(matrix(alike[sample.int(length(alike), n * draws, TRUE)], n))
    each / pmax(0.05, 1 + off * stats::rnorm(draws))
  })
  ends <- stats::quantile(mean_by_lot, c((1 + level) / 2, (1 - level) / 2), names = FALSE)
  (times / ends - 1) * others
}

# How often a group of so many, drawn by lot, has a mean as high, and as low.
chance_of_mean <- function(average, n, y) {
  size <- length(y)
  off <- y - mean(y)
  spread <- sqrt(sum(off^2) / (size - 1))
  if (spread == 0) return(c(high = 1, low = 1))
  part <- n / size
  z <- (average - mean(y)) / (spread * sqrt((1 - part) / n))
  skew <- mean(off^3) / spread^3 * (1 - 2 * part) / sqrt(n * (1 - part))
  if (abs(skew) < 1e-6) {
    return(c(high = stats::pnorm(z, lower.tail = FALSE), low = stats::pnorm(z)))
  }
  shape <- 4 / skew^2
  place <- shape + z * sqrt(shape) * sign(skew)
  up <- stats::pgamma(place, shape, lower.tail = skew < 0)
  down <- stats::pgamma(place, shape, lower.tail = skew > 0)
  c(high = up, low = down)
}

# What can be seen at all: the difference that groups of some sizes must have to be confirmed with a
# chance of 80 %, beside as many others that are judged.
seen_at_all <- function(y, judged, most) {
  n <- judged
  size <- c(0.01, 0.02, 0.05, 0.1, 0.25) * n
  size <- size[size >= 5]
  reach <- stats::qnorm(1 - 0.05 / most) + stats::qnorm(0.8)
  data.frame(
    share = size / n, customers = round(size), difference = reach * stats::sd(y) * sqrt(
      1 / size + 1 / (n - size)
    )
  )
}

# Each group in a sentence: who, what, and how much more than everybody else. Of yes and no the
# difference is in points of percent.
group_sentences <- function(columns, target) {
  number <- \(x) if (target$yes) number_text(round(100 * x, 1L)) else number_text(signif(x, 4L))
  unit <- if (target$yes) " points" else ""
  vapply(seq_along(columns$words), \(i) {
    who <- sprintf("%s (%s)", n_of(columns$customers[[i]], "customer"), columns$words[[i]])
    if (is.na(columns$difference[[i]])) return(paste0(who, ": too few to be judged."))
    sprintf(
      "%s: %s%s, %s%s %s than everybody else (95\u00a0%% interval %s to %s).",
      who,
      number(columns$mean[[i]]),
      if (target$yes) "\u00a0%" else "",
      number(abs(columns$difference[[i]])),
      unit,
      if (columns$difference[[i]] < 0) "less" else "more",
      number(columns$lower[[i]]),
      number(columns$upper[[i]])
    )
  }, "")
}
