# Ranks, bands and tiers from whole numbers: ties are never broken silently.

# How many of the others are strictly better; `x` higher is better.
strictly_better <- function(x) length(x) - data.table::frank(x, ties.method = "max")
strictly_worse <- function(x) data.table::frank(x, ties.method = "min") - 1

# Equal customers share the lower band: 1 + (bands * strictly worse) div n.
band_of <- function(x, bands) as.integer(1 + (bands * strictly_worse(x)) %/% length(x))
