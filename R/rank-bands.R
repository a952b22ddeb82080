# Ranks, bands and tiers from whole numbers: ties are never broken silently.

strictly_worse <- function(x) cpp_count_others(x, FALSE)

# Equal customers share the lower band: 1 + (bands * strictly worse) div n. The limits are the
# lowest value in each band from the second up; nobody there: a limit that nobody reaches.
banded <- function(x, bands, units = NULL) {
  # whole units are counted, other numbers sorted
  found <- cpp_bands(x, strictly_worse(units %||% x), bands)
  list(band = found$band, limits = found$lowest[-1L])
}
band_of <- function(x, bands) banded(x, bands)$band
