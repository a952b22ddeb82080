#' Score recency, frequency and monetary value
#'
#' Bands from 1 (worst) to `bands` (best): 1 + (bands times the number of strictly worse customers) div the number of customers.
#' Equal customers always share a band, the lower one, so the top band may be empty. (Tiers treat ties the other way round.)
#'
#' @param ledger `[nubrek_ledger]`
#' @param bands `[integer(1)]` How many bands, 2 to 10.
#' @return A `nubrek_rfm`, one row per customer with a purchase, sorted by id: `recency`, days from the last purchase to the
#'   as-of day (fewer is better); `frequency`, purchases; `monetary`, net sales in major units; `recency_band`,
#'   `frequency_band`, `monetary_band`; `code`, the three in this order; `group`, see [rfm_groups()].
#' @examples
#' score_rfm(example_ledger(), bands = 3)
#' @export
score_rfm <- function(ledger, bands = 5L) {
  check_ledger(ledger)
  throw_unless(checkmate::check_int(bands, lower = 2L, upper = 10L), "bands", rlang::current_env())
  check_purchases(ledger)
  m <- reduce_customers(ledger)
  codes <- which(m$purchases > 0L)
  m <- m[codes]
  recency <- as.integer(ledger$as_of) - m$last
  r <- band_of(-recency, bands)
  f <- band_of(m$purchases, bands)
  s <- band_of(m$sales, bands)
  # codes and groups belong to the few combinations of bands, not to the many customers
  every <- expand.grid(s = seq_len(bands), f = seq_len(bands), r = seq_len(bands))
  cell <- ((r - 1L) * bands + f - 1L) * bands + s
  empty <- c("recency", "frequency", "monetary")[c(max(r), max(f), max(s)) < bands]
  new_result(list(customer = ledger$ids[codes], recency = recency, frequency = m$purchases, monetary = major(ledger, m$sales),
                  recency_band = r, frequency_band = f, monetary_band = s, code = paste(every$r, every$f, every$s, sep = if (bands > 9L) "-" else "")[cell],
                  group = group_bands(every$r, every$f, every$s, bands)[cell]), "rfm", ledger,
             rbind(carried(ledger), if (length(empty) > 0L) remark_table("ties", sprintf("Ties leave the top band of %s empty; equal customers share the lower band.",
               paste(empty, collapse = " and ")))), basis = list(bands = as.integer(bands)))
}

#' The named groups of recency, frequency and monetary bands
#'
#' A band counts as high above 60 % of the bands, as low up to 40 %, else as middle. The groups cover every combination once.
#'
#' @return A data frame: `group`, and which recency, frequency and monetary bands it holds.
#' @examples
#' rfm_groups()
#' @export
rfm_groups <- function() {
  data.frame(group = c("regular, large", "regular, small", "regular, slipping", "recent, seldom", "quiet for a while", "long silent"),
             recency = c("high", "high", "middle or low", "high", "middle", "low"),
             frequency = c("high", "high", "high", "middle or low", "middle or low", "middle or low"),
             monetary = c("high", "middle or low", "any", "any", "any", "any"))
}

group_bands <- function(r, f, s, bands) {
  level <- function(x) ifelse(x > 0.6 * bands, "high", ifelse(x > 0.4 * bands, "middle", "low"))
  rules <- rfm_groups()
  out <- rep(NA_character_, length(r))
  fits <- function(rule, levels) vapply(strsplit(levels, " or "), \(ok) identical(ok, "any"), NA)[[1L]] | rule %in% strsplit(levels, " or ")[[1L]]
  for (i in seq_len(nrow(rules))) {
    hit <- fits(level(r), rules$recency[[i]]) & fits(level(f), rules$frequency[[i]]) & fits(level(s), rules$monetary[[i]])
    stopifnot(all(is.na(out[hit])))
    out[hit] <- rules$group[[i]]
  }
  out
}
