#' Score recency, frequency and monetary value
#'
#' Bands from 1 (worst) up: 1 + (bands times the number of strictly worse customers) div the number
#' of customers. Equal customers always share a band, the lower one, so the top band may be empty.
#' (Tiers treat ties the other way round.) Own limits or those of an earlier scoring make scores
#' comparable over time.
#'
#' @param ledger `[nubrek_ledger]`
#' @param bands `[integer(1)]` How many bands of each, 2 to 10.
#' @param during `[character]` A part of time, such as `"2024"`: customers with a purchase in it, by
#'   their purchases in it, recency to its end. Default all.
#' @param cuts `[list]` Instead of `bands`: ascending limits of `recency` (days; at most so many
#'   reaches the better band), `frequency` and `monetary` (at least so much), each one optional,
#'   such as `list(recency = c(30, 90), monetary = c(50, 200))`. A dimension that is not named is
#'   cut into `bands`.
#' @param like `[nubrek_rfm]` An earlier scoring, whose limits are taken over.
#' @param monetary `[character(1)]` `"sales"` (net, default) or `"mean_sales"`, by purchase.
#' @param weights `[numeric(3)]` Of recency, frequency and monetary bands in the index.
#' @param groups `[data.frame]` Named groups, see [rfm_groups()]. Each combination of bands must
#'   belong to exactly one.
#' @return A `nubrek_rfm`, one row per customer with a purchase, sorted by id: `recency`, days from
#'   the last purchase to the as-of day (or the end of `during`; fewer is better); `frequency`,
#'   purchases; `monetary`, in major units; `recency_band`, `frequency_band`, `monetary_band`;
#'   `code`, the three in this order; `index`, the weighted mean of the bands from 0 (all worst) to
#'   100 (all best); `group`; `sales`.
#' @examples
#' score_rfm(example_ledger(), bands = 3)
#' score_rfm(
#'   example_ledger(), cuts = list(recency = c(60, 180), frequency = c(2, 4), monetary = c(30, 100))
#' )
#' @export
score_rfm <- function(
  ledger, bands = 5L, during = NULL, cuts = NULL, like = NULL, monetary = "sales",
  weights = c(1, 1, 1), groups = rfm_groups()
) {
  check_ledger(ledger)
  throw_unless(checkmate::check_int(bands, lower = 2L, upper = 10L), "bands", rlang::current_env())
  check_choice(monetary, c("sales", "mean_sales"))
  check_weights(weights)
  throw_unless(
    checkmate::check_class(like, "nubrek_rfm", null.ok = TRUE), "like", rlang::current_env()
  )
  if (is.null(like)) {
    check_cuts(cuts)
  } else {
    cuts <- basis_of(like, "cuts")
    monetary <- basis_of(like, "monetary")
  }
  who <- spanned(ledger, during)
  values <- list(
    recency = who$measure("recency"),
    frequency = who$measure("purchases"),
    monetary = who$measure(monetary)
  )
  scored <- lapply(stats::setNames(nm = names(values)), \(name) {
    if (!is.null(cuts[[name]])) return(band_by_limits(values[[name]], cuts[[name]], name))
    minor <- if (name == "monetary" && monetary == "sales") who$units
    band_by_rank(values[[name]], as.integer(bands), name, minor)
  })
  k <- vapply(scored, `[[`, 0L, "k")
  band <- lapply(scored, `[[`, "band")
  every <- every_combination(k, weights, groups)
  cell <- ((band$recency - 1L) * k[[2L]] + band$frequency - 1L) * k[[3L]] + band$monetary
  new_result(
    c(
      list(customer = who$ids),
      values,
      stats::setNames(band, paste0(names(band), "_band")),
      lapply(every[c("code", "index", "group")], `[`, cell),
      list(sales = major(ledger, who$units))
    ),
    "rfm",
    ledger,
    rbind(
      carried(ledger),
      during_remark(who$span, during),
      if (is.null(cuts)) empty_band_remark(scored),
      if (!is.null(like)) like_remarks(who$span, like),
      if (monetary == "mean_sales") {
        remark_table("monetary", say("Monetary value is mean sales by purchase, not the total."))
      }
    ),
    basis = c(list(
      bands = k, cuts = lapply(scored, `[[`, "limits"), monetary = monetary, groups = groups
    ), span_basis(who$span, during))
  )
}

check_weights <- function(weights, call = rlang::caller_env()) {
  throw_unless(
    checkmate::check_numeric(weights, lower = 0, any.missing = FALSE, finite = TRUE, len = 3L),
    "weights",
    call
  )
  if (sum(weights) == 0) {
    abort_nubrek("One of the {.arg weights} must be above 0.", "argument", call = call)
  }
}

# Bands by limits that are given; of recency less is better.
band_by_limits <- function(value, limits, name) {
  falls <- name == "recency"
  list(
    band = 1L + findInterval(if (falls) -value else value, if (falls) rev(-limits) else limits),
    k = length(limits) + 1L,
    limits = limits
  )
}

# Bands by how many are strictly worse (definition 33).
band_by_rank <- function(value, bands, name, units) {
  falls <- name == "recency"
  found <- banded(if (falls) -value else value, bands, units)
  list(band = found$band, k = bands, limits = if (falls) rev(-found$limits) else found$limits)
}

# Codes, indices and groups belong to the few combinations of bands, not to the many customers.
every_combination <- function(k, weights, groups) {
  every <- expand.grid(m = seq_len(k[[3L]]), f = seq_len(k[[2L]]), r = seq_len(k[[1L]]))
  height <- \(band, of) weights[[of]] * (band - 1) / max(1, k[[of]] - 1)
  every$group <- group_combinations(every, groups, k)
  every$code <- paste(every$r, every$f, every$m, sep = if (any(k > 9L)) "-" else "")
  every$index <- 100 * (height(every$r, 1L) + height(every$f, 2L) + height(every$m, 3L)) /
    sum(weights)
  every
}

like_remarks <- function(span, like) {
  rbind(
    remark_table("like", say("Bands have the limits of an earlier scoring.")),
    length_told(span, like, "Limits")
  )
}

empty_band_remark <- function(scored) {
  empty <- names(scored)[vapply(scored, \(s) max(s$band) < s$k, NA)]
  if (length(empty) == 0L) return(NULL)
  remark_table("ties", say(
    "Ties leave the top band of %s empty; equal customers share the lower band.",
    paste(empty, collapse = " and ")
  ))
}

check_cuts <- function(cuts, call = rlang::caller_env()) {
  if (is.null(cuts)) return(invisible())
  ok <- is.list(cuts) &&
    checkmate::test_names(
      names(cuts), type = "unique", subset.of = c("recency", "frequency", "monetary")
    ) &&
    all(vapply(
      cuts,
      \(x) checkmate::test_numeric(
        x, any.missing = FALSE, finite = TRUE, min.len = 1L, max.len = 9L
      ) &&
        !is.unsorted(x, strictly = TRUE),
      NA
    ))
  if (!ok) {
    abort_nubrek(c(
      "{.arg cuts} must be ascending limits by name.",
      "i" = "Such as {.code list(recency = c(30, 90), frequency = c(2, 5))}."
    ), "argument", call = call)
  }
}

#' The named groups of recency, frequency and monetary bands
#'
#' A band counts as high above 60 % of the bands, as low up to 40 %, else as middle. The groups
#' cover every combination once. A table of your own may stand in their place: bands are `"any"`,
#' `"high"`, `"middle"`, `"low"`, numbers such as `"4"` or `"1 to 3"`, joined by `" or "`.
#'
#' @return A data frame: `group`, and which recency, frequency and monetary bands it holds.
#' @examples
#' rfm_groups()
#' @export
rfm_groups <- function() {
  data.frame(
    group = c(
      "regular, large", "regular, small", "regular, slipping", "recent, seldom",
      "quiet for a while", "long silent"
    ),
    recency = c("high", "high", "middle or low", "high", "middle", "low"),
    frequency = c("high", "high", "high", "middle or low", "middle or low", "middle or low"),
    monetary = c("high", "middle or low", "any", "any", "any", "any")
  )
}

# The group of each combination of bands; every one must have exactly one.
group_combinations <- function(every, groups, k, call = rlang::caller_env()) {
  ok <- is.data.frame(groups) &&
    all(c("group", "recency", "frequency", "monetary") %in% names(groups)) &&
    nrow(groups) > 0L &&
    !anyDuplicated(groups$group)
  if (!ok) {
    abort_nubrek(paste0(
      "{.arg groups} must be a table with {.field group} (each once), {.field recency}, ",
      "{.field frequency} and {.field monetary}."
    ), "groups", call = call)
  }
  inside <- lapply(
    seq_len(nrow(groups)),
    \(i) read_bands(groups$recency[[i]], k[[1L]], call)[every$r] &
      read_bands(groups$frequency[[i]], k[[2L]], call)[every$f] &
      read_bands(groups$monetary[[i]], k[[3L]], call)[every$m]
  )
  times <- Reduce(`+`, inside)
  wrong <- which(times != 1L)
  if (length(wrong) > 0L) {
    what <- \(at) paste0(
      "recency ", every$r[[at]], ", frequency ", every$f[[at]], ", monetary ", every$m[[at]]
    )
    none <- wrong[times[wrong] == 0L]
    twice <- wrong[times[wrong] > 1L]
    both <- if (length(twice) > 0L) {
      as.character(groups$group[vapply(inside, `[[`, NA, twice[[1L]])])
    }
    abort_nubrek(c(
      "The groups must hold every combination of bands exactly once.",
      if (length(none) > 0L) {
        c("x" = "{length(none)} combination{?s} {?has/have} no group, such as {what(none[[1]])}.")
      },
      if (length(twice) > 0L) {
        c(
          "x" = paste0(
            "{length(twice)} combination{?s} {?has/have} several, such as {what(twice[[1]])}: ",
            "{.val {both}}."
          )
        )
      }
    ), "groups", call = call)
  }
  as.character(groups$group)[max.col(do.call(cbind, inside) + 0, "first")]
}

# "high", "middle or low", "any", "4", "1 to 3": the bands from 1 to k that are meant.
read_bands <- function(text, k, call) {
  band <- seq_len(k)
  level <- ifelse(band > 0.6 * k, "high", ifelse(band > 0.4 * k, "middle", "low"))
  parts <- strsplit(trimws(as.character(text)), "\\s+or\\s+")[[1L]]
  hit <- lapply(parts, \(part) {
    if (part == "any") return(rep(TRUE, k))
    if (part %in% c("high", "middle", "low")) return(level == part)
    ends <- suppressWarnings(as.integer(strsplit(part, "\\s+to\\s+")[[1L]]))
    if (anyNA(ends) || length(ends) > 2L || any(ends < 1L | ends > k)) {
      abort_nubrek(c(paste0(
        "A band is {.val any}, {.val high}, {.val middle}, {.val low}, a number from 1 to {k}, ",
        "or such as {.val 1 to 2}."
      ), "x" = "It is {.val {part}}."), "groups", call = call)
    }
    band >= ends[[1L]] & band <= ends[[length(ends)]]
  })
  Reduce(`|`, hit)
}
