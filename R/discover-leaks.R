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
  order <- ordering_of(attribute, target, found)
  if (!is.na(order) && order > 0.95) {
    return(sprintf("alone it orders the target almost perfectly (%s of 1)", format(
      round(order, 3L), nsmall = 2L
    )))
  }
  character()
}

# How well an attribute alone orders the target, from 0 to 1: the rank correlation with a number, of
# yes and no twice the area under the curve less one. Levels go by their means in the half that is
# searched, looked at in the other.
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
  if (!target$yes) return(abs(stats::cor(place, rank(y))))
  yes <- sum(y)
  area <- (sum(place[y == 1]) - yes * (yes + 1) / 2) / (yes * (length(y) - yes))
  abs(2 * area - 1)
}
