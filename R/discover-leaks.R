# Attributes that were made from the answer.

# Why an attribute may not describe groups of this target; nothing where it may.
leak_of <- function(attribute, target, ledger, found, more) {
  name <- attribute$name
  if (name %in% target$words) return("the target itself is made of it")
  if (target$window && name %in% names(audience_measures(ledger))) {
    return("it is counted from the purchases that the target looks at")
  }
  if (target$window && name %in% names(more)) {
    return("it is a result that was computed from purchases")
  }
  if (target$window && name %in% latest_attributes(ledger)) {
    return("it is of the latest order, after the target's window began")
  }
  if (!is.null(target$start) && !is.null(attribute$day)) {
    late <- sum(attribute$day >= target$start, na.rm = TRUE)
    if (late > 0L) {
      return(sprintf(
        "it is dated after %s, when the target's window began, for %s", format_day(target$start),
        n_of(late, "customer")
      ))
    }
  }
  if (tells_apart(is.na(attribute$values %||% known_bins(attribute)), target$y)) {
    return("whether it is known tells the target apart")
  }
  order <- ordering_of(attribute, target, found)
  if (!is.na(order) && order > 0.95) {
    return(sprintf("alone it orders the target almost perfectly (%s of 1)", format(
      round(order, 3L), nsmall = 2L
    )))
  }
  if (tells_apart(as.integer(attribute$bin) == 0L, target$y) && attribute$bins == 2L) {
    return("its two levels tell the target apart")
  }
  character()
}

known_bins <- function(attribute) {
  bin <- as.integer(attribute$bin)
  replace(bin, bin == attribute$missing, NA)
}

# Whether a flag was made from the target: cut at some value of it, the two sides differ from the
# flag for fewer than 5 in 100 customers, and for fewer than 10 in 100 of its smaller level.
tells_apart <- function(flag, y) {
  n <- length(y)
  few <- min(sum(flag), n - sum(flag))
  if (few < 5L) return(FALSE)
  sorting <- order(y)
  after <- flag[sorting]
  # at the end of each run of equal values
  cut <- which(diff(y[sorting]) > 0)
  off <- cumsum(after)[cut] + (sum(!flag) - cumsum(!after)[cut])
  odd <- min(off, n - off, n)
  odd < 0.05 * n && odd < 0.1 * few
}

# How well an attribute alone orders the target, from 0 to 1: the rank correlation with a number, by
# the most that so many equal values allow; of yes and no twice the area under the curve less one.
# Levels go by their means in the half that is searched, looked at in the other.
ordering_of <- function(attribute, target, found) {
  x <- attribute$values
  y <- target$y
  if (is.null(x)) {
    bin <- as.integer(attribute$bin)
    means <- tapply(y[found], factor(bin[found], seq_len(attribute$bins) - 1L), mean)
    x <- replace(as.vector(means[bin + 1L]), found, NA)
  }
  there <- which(!is.na(x))
  if (length(there) > 50000L) there <- there[round(seq(1, length(there), length.out = 50000L))]
  x <- x[there]
  y <- y[there]
  if (length(unique(x)) < 2L || length(unique(y)) < 2L) return(NA_real_)
  place <- rank(x)
  if (!target$yes) {
    most <- stats::cor(sort(place), sort(rank(y)))
    return(abs(stats::cor(place, rank(y))) / most)
  }
  yes <- sum(y)
  area <- (sum(place[y == 1]) - yes * (yes + 1) / 2) / (yes * (length(y) - yes))
  abs(2 * area - 1)
}
