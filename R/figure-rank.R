# Figures of scores, the order map, tiers and moves.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_rfm
#' @exportS3Method ggplot2::autoplot nubrek_rfm
autoplot.nubrek_rfm <- function(object, ...) {
  rlang::check_dots_empty()
  drawn <- rfm_tiles(object)
  ggplot2::ggplot(as.data.frame(drawn$cell), ggplot2::aes(.data$x, .data$r)) +
    ggplot2::geom_tile(
      ggplot2::aes(x = .data$f),
      width = 0.98,
      height = 0.98,
      fill = NA,
      colour = palette_of[["rule"]],
      linewidth = 0.3
    ) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$fill, width = .data$side, height = .data$side)) +
    ggplot2::geom_text(
      ggplot2::aes(
        x = .data$text_x,
        label = .data$text,
        colour = .data$ink,
        hjust = ifelse(.data$side > 0.62, 0.5, 0)
      ),
      size = drawn$size,
      lineheight = 0.95
    ) +
    ggplot2::scale_fill_identity() +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(
      breaks = seq_len(drawn$k[["frequency"]]),
      labels = band_words(drawn$cuts$frequency, drawn$k[["frequency"]], "purchases"),
      limits = c(0.5, drawn$k[["frequency"]] + 0.5),
      expand = ggplot2::expansion(0.005)
    ) +
    ggplot2::scale_y_continuous(
      breaks = seq_len(drawn$k[["recency"]]),
      labels = recency_words(drawn$cuts$recency, drawn$k[["recency"]]),
      limits = c(0.5, drawn$k[["recency"]] + 0.5),
      expand = ggplot2::expansion(0.005)
    ) +
    figure_words(
      object,
      say(paste0(
        "Bands of recency (upwards) and frequency (to the right): area and first number are the ",
        "share of customers, shade and second number that of sales"
      )),
      caption = paste0(
        "n = ",
        format_count(nrow(object)),
        say(" customers with a purchase. Empty: nobody. Equal customers share the lower band.")
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major = ggplot2::element_blank())
}

# What is drawn: tiles of bands with their customers.
rfm_tiles <- function(object) {
  k <- basis_of(object, "bands")
  cuts <- basis_of(object, "cuts")
  cell <- data.table(r = object$recency_band, f = object$frequency_band, sales = object$sales)[,
    .(n = .N, sales = sum(sales)), by = .(r, f)
  ]
  cell[, `:=`(share = n / sum(n), of_sales = sales / sum(sales))]
  cell$side <- 0.94 * sqrt(cell$share / max(cell$share)) # area says how many
  cell$fill <- grid_fill(pmax(0, cell$of_sales) / max(cell$of_sales))
  cell$text <- sprintf("%s\n%s", present_share(cell$share), present_share(cell$of_sales))
  inside <- cell$side > 0.62
  cell$ink <- ifelse(inside, ink_on(cell$fill), palette_of[["ink"]])
  # squares stand left, where they are small their text beside them
  cell$x <- cell$f - 0.47 + cell$side / 2
  cell$text_x <- ifelse(inside, cell$x, cell$x + cell$side / 2 + 0.04)
  size <- if (max(k) > 6L) 2.9 else 3.7
  list(k = k, cuts = cuts, cell = cell, size = size)
}

# What a band holds, in words: the best band on top or to the right.
band_words <- function(limits, k, noun) {
  from <- c(NA, limits)
  to <- c(limits, NA)
  number <- \(x) format(x, trim = TRUE, drop0trailing = TRUE, scientific = FALSE)
  words <- ifelse(is.na(from), paste("below", number(to)), ifelse(
    is.na(to),
    paste(number(from), "and more"),
    ifelse(to - from == 1, number(from), paste(number(from), "to", number(to - 1)))
  ))
  if (k > 1L && length(limits) > 0L && all(is.finite(limits)) && limits[[1L]] == 2) {
    words[[1L]] <- "1"
  }
  words <- ifelse(
    is.finite(c(-1, limits)) & (is.na(from) | is.na(to) | from < to), words, "(nobody)"
  )
  words[[length(words)]] <- paste0(words[[length(words)]], "\n", noun)
  words
}

recency_words <- function(limits, k) {
  limits <- rev(limits) # the worst band is the lowest: more days
  upper <- c(NA, limits)
  lower <- c(limits, NA)
  words <- ifelse(is.na(upper), paste("over", lower, "days"), ifelse(
    is.na(lower), paste("up to", upper, "days"), paste(lower + 1, "to", upper)
  ))
  ifelse(is.finite(c(0, limits)) & (is.na(upper) | is.na(lower) | lower < upper), words, "(nobody)")
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_map
#' @exportS3Method ggplot2::autoplot nubrek_map
autoplot.nubrek_map <- function(object, ...) {
  rlang::check_dots_empty()
  drawn <- map_points(object)
  ink <- palette_of[["ink"]]
  ggplot2::ggplot() +
    ggplot2::geom_rect(data = as.data.frame(drawn$bins), ggplot2::aes(
      xmin = .data$x0, xmax = .data$x1, ymin = .data$y0, ymax = .data$y1, fill = .data$fill
    )) +
    ggplot2::scale_fill_identity() +
    ggplot2::annotate(
      "segment",
      x = drawn$cut_at[["x"]],
      xend = drawn$cut_at[["x"]],
      y = drawn$ends$y[[1L]],
      yend = drawn$highest,
      colour = ink,
      linetype = "22"
    ) +
    ggplot2::geom_hline(yintercept = drawn$cut_at[["y"]], colour = ink, linetype = "22") +
    map_labels(drawn, ink) +
    ggplot2::scale_x_log10(
      breaks = drawn$breaks[drawn$breaks <= drawn$most], expand = ggplot2::expansion(0.005)
    ) +
    ggplot2::scale_y_log10(
      labels = \(v) format(
        v, trim = TRUE, big.mark = "\u202f", scientific = FALSE, drop0trailing = TRUE
      ),
      expand = ggplot2::expansion(0.005)
    ) +
    ggplot2::coord_cartesian(xlim = drawn$ends$x, ylim = drawn$ends$y, clip = "off") +
    figure_words(
      object,
      say(paste0(
        "Mean order sales against purchases (both scales logarithmic); darker: more customers; ",
        "numbers: the %s with the highest sales, by rank"
      ), n_of(nrow(drawn$best), "customer")),
      caption = map_caption(object, drawn)
    ) +
    theme_nubrek() +
    ggplot2::theme(
      axis.title.x = ggplot2::element_text(size = 12),
      plot.margin = ggplot2::margin(14, 128, 10, 14)
    ) +
    ggplot2::xlab(say("purchases"))
}

# The ranks of the best customers, and the names of the regions on the outer margins.
map_labels <- function(drawn, ink) {
  list(
    ggplot2::geom_label(
      data = drawn$best,
      ggplot2::aes(.data$purchases, .data$mean_sales, label = .data$rank),
      size = 3.2,
      label.size = 0.2,
      label.padding = ggplot2::unit(1.6, "pt"),
      colour = ink,
      fill = palette_of[["paper"]]
    ),
    ggplot2::geom_text(
      data = drawn$margin$top,
      ggplot2::aes(.data$x, .data$y, label = .data$text, hjust = .data$hjust),
      vjust = 0,
      lineheight = 0.95,
      size = 3.8,
      colour = ink
    ),
    ggplot2::geom_text(
      data = drawn$margin$side,
      ggplot2::aes(.data$x, .data$y, label = .data$text),
      hjust = 0,
      lineheight = 0.95,
      size = 3.8,
      colour = ink
    )
  )
}

map_caption <- function(object, drawn) {
  hidden <- nrow(object) - nrow(drawn$shown)
  paste0(
    say(
      "Cut at %s and %s; reaching it is often, or large. ",
      n_of(round(drawn$cut[["purchases"]], 2), "purchase"),
      format_money(drawn$cut[["mean_sales"]], basis_of(object, "currency"))
    ),
    "n = ",
    format_count(nrow(object)),
    say(" customers."),
    if (hidden > 0L) {
      say(" %s with mean sales of 0 or less are not drawn.", n_of(hidden, "customer"))
    }
  )
}

# What is drawn: points, the cuts, and what is said of the regions.
map_points <- function(object) {
  limits <- basis_of(object, "cut")
  shown <- plain_table(object)[object$mean_sales > 0, ]
  nothing_to_draw(nrow(shown) == 0L, object, rlang::caller_env())
  most <- max(shown$purchases)
  x_edge <- unique(c(
    0.5 + 0:min(9, most),
    if (most > 10L) exp(seq(log(10.5), log(most + 0.5), length.out = 14L))[-1L]
  ))
  lowest <- max(min(shown$mean_sales), stats::quantile(shown$mean_sales, 0.0005, names = FALSE))
  highest <- max(shown$mean_sales, lowest * 1.2) * 1.001
  y_edge <- exp(seq(log(lowest), log(highest), length.out = 33L))
  bins <- data.table(
    x = findInterval(shown$purchases, x_edge, all.inside = TRUE),
    y = findInterval(shown$mean_sales, y_edge, all.inside = TRUE)
  )[, .(n = .N), by = .(x, y)]
  bins[,
    `:=`(
      x0 = x_edge[x],
      x1 = x_edge[x + 1L],
      y0 = y_edge[y],
      y1 = y_edge[y + 1L],
      fill = grid_fill(log1p(n) / log1p(max(n)))
    )
  ]
  best <- shown[shown$top, ]
  best$mean_sales <- pmax(best$mean_sales, lowest)
  best <- best[order(-best$sales), ]
  best$rank <- sales_rank(round(best$sales * 100), rep(TRUE, nrow(best)))
  ends <- list(x = c(0.5, max(x_edge)), y = c(lowest, max(y_edge)))
  cut_at <- c(x = max(limits[["purchases"]] - 0.5, 0.5), y = max(limits[["mean_sales"]], lowest))
  margin <- map_margins(object, cut_at, ends)
  ends$y[[2L]] <- ends$y[[2L]] * (ends$y[[2L]] / ends$y[[1L]])^0.12 # room for their names
  breaks <- c(1, 2, 3, 5, 10, 20, 50, 100, 200, 500, 1000)
  list(
    cut = limits,
    highest = max(y_edge),
    shown = shown,
    most = most,
    bins = bins,
    best = best,
    ends = ends,
    cut_at = cut_at,
    margin = margin, breaks = breaks
  )
}

# Customers and sales of both sides of each cut, on the outer margins.
map_margins <- function(object, cut, ends) {
  region <- strsplit(object$region, " & ", fixed = TRUE)
  words <- function(place, name) {
    here <- vapply(region, `[[`, "", place) == name
    say(
      "%s\n%s of customers\n%s of sales",
      name,
      present_share(mean(here)),
      present_share(sum(object$sales[here]) / sum(object$sales))
    )
  }
  flat <- \(text) sub("\n", ": ", sub("\n([^\n]*)$", ", \\1", text))
  middle <- \(from, to) sqrt(from * to)
  top <- data.frame(
    x = c(ends$x[[1L]], ends$x[[2L]]),
    y = ends$y[[2L]] * (ends$y[[2L]] / ends$y[[1L]])^0.03,
    hjust = c(0, 1),
    text = flat(c(words(1L, "seldom"), words(1L, "often")))
  )
  side <- data.frame(
    x = ends$x[[2L]] * (ends$x[[2L]] / ends$x[[1L]])^0.02,
    y = c(middle(cut[["y"]], ends$y[[2L]]), middle(ends$y[[1L]], cut[["y"]])),
    text = c(words(2L, "large"), words(2L, "small"))
  )
  list(top = top[c(cut[["x"]] > ends$x[[1L]], TRUE), ], side = side)
}
