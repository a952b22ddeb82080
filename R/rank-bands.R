# Ranks, bands and tiers from whole numbers: ties are never broken silently.

# How many of the others are strictly better; `x` higher is better.
strictly_better <- function(x) cpp_count_others(x, TRUE)
strictly_worse <- function(x) cpp_count_others(x, FALSE)

# Equal customers share the lower band: 1 + (bands * strictly worse) div n. The limits are the lowest value in each band from the second up; nobody there: a limit that
# nobody reaches.
banded <- function(x, bands, units = NULL) {
  found <- cpp_bands(x, strictly_worse(units %||% x), bands)         # whole units are counted, other numbers sorted
  list(band = found$band, limits = found$lowest[-1L])
}
band_of <- function(x, bands) banded(x, bands)$band
