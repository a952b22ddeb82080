# Figures of scores, the order map, tiers and moves.

#' @rdname autoplot.nubrek
#' @export
autoplot.nubrek_rfm <- function(object, ...) {
  rlang::check_dots_empty()
  k <- basis_of(object, "bands")
  cuts <- basis_of(object, "cuts")
  cell <- data.table(r = object$recency_band, f = object$frequency_band, sales = object$sales)[, .(n = .N, sales = sum(sales)), by = .(r, f)]
  cell[, `:=`(share = n / sum(n), of_sales = sales / sum(sales))]
  cell$fill <- grid_fill(cell$share / max(cell$share))
  cell$text <- sprintf("%s\n%s of sales", present_share(cell$share), present_share(cell$of_sales))
  ggplot2::ggplot(as.data.frame(cell), ggplot2::aes(.data$f, .data$r)) + ggplot2::geom_tile(ggplot2::aes(fill = .data$fill), width = 0.96, height = 0.94) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text, colour = ink_on(.data$fill)), size = if (max(k) > 6L) 2.9 else 3.8, lineheight = 0.95) +
    ggplot2::scale_fill_identity() + ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(breaks = seq_len(k[["frequency"]]), labels = band_words(cuts$frequency, k[["frequency"]], "purchases"), limits = c(0.5, k[["frequency"]] + 0.5),
        expand = ggplot2::expansion(0.005)) +
    ggplot2::scale_y_continuous(breaks = seq_len(k[["recency"]]), labels = recency_words(cuts$recency, k[["recency"]]), limits = c(0.5, k[["recency"]] + 0.5), expand = ggplot2::expansion(0.005)) +
    figure_words(object, "Share of customers (and of sales) by bands: recency upwards, frequency to the right; shade: share of customers",
                 caption = paste0("n = ", format_count(nrow(object)), " customers with a purchase. Empty: nobody. Equal customers share the lower band.")) +
    theme_nubrek() + ggplot2::theme(panel.grid.major = ggplot2::element_blank())
}

# What a band holds, in words: the best band on top or to the right.
band_words <- function(limits, k, noun) {
  from <- c(NA, limits)
  to <- c(limits, NA)
  number <- \(x) format(x, trim = TRUE, drop0trailing = TRUE)
  words <- ifelse(is.na(from), paste("below", number(to)), ifelse(is.na(to), paste(number(from), "and more"), ifelse(to - from == 1, number(from), paste(number(from), "to", number(to - 1)))))
  if (k > 1L && length(limits) > 0L && all(is.finite(limits)) && limits[[1L]] == 2) words[[1L]] <- "1"
  words <- ifelse(is.finite(c(-1, limits)) & (is.na(from) | is.na(to) | from < to), words, "(nobody)")
  words[[length(words)]] <- paste0(words[[length(words)]], "\n", noun)
  words
}

recency_words <- function(limits, k) {
  limits <- rev(limits)                                            # the worst band is the lowest: more days
  upper <- c(NA, limits)
  lower <- c(limits, NA)
  words <- ifelse(is.na(upper), paste("over", lower, "days"), ifelse(is.na(lower), paste("up to", upper, "days"), paste(lower + 1, "to", upper)))
  ifelse(is.finite(c(0, limits)) & (is.na(upper) | is.na(lower) | lower < upper), words, "(nobody)")
}

#' @rdname autoplot.nubrek
#' @export
autoplot.nubrek_map <- function(object, ...) {
  rlang::check_dots_empty()
  cut <- basis_of(object, "cut")
  shown <- plain_table(object)[object$mean_sales > 0, ]
  nothing_to_draw(nrow(shown) == 0L, object)
  most <- max(shown$purchases)
  x_edge <- unique(c(0.5 + 0:min(9, most), if (most > 10L) exp(seq(log(10.5), log(most + 0.5), length.out = 14L))[-1L]))
  floor <- max(min(shown$mean_sales), stats::quantile(shown$mean_sales, 0.0005, names = FALSE))
  y_edge <- exp(seq(log(floor), log(max(shown$mean_sales, floor * 1.2) * 1.001), length.out = 33L))
  bins <- data.table(x = findInterval(shown$purchases, x_edge, all.inside = TRUE), y = findInterval(shown$mean_sales, y_edge, all.inside = TRUE))[, .(n = .N), by = .(x, y)]
  bins[, `:=`(x0 = x_edge[x], x1 = x_edge[x + 1L], y0 = y_edge[y], y1 = y_edge[y + 1L], fill = grid_fill(log1p(n) / log1p(max(n))))]
  best <- shown[shown$top, ]
  best$mean_sales <- pmax(best$mean_sales, floor)
  best <- best[order(-best$sales), ]
  profile <- map_profile(object)
  corner <- data.frame(region = map_regions, x = rep(c(max(x_edge) * 1.08, 0.52), each = 2L), y = rep(c(max(y_edge) * 1.25, floor / 1.15), 2L), hjust = rep(c(1, 0), each = 2L), vjust = rep(c(0,
      1), 2L))
  corner <- corner[corner$region %in% profile$region, ]
  at <- match(corner$region, profile$region)
  corner$text <- sprintf("%s\n%s of customers\n%s of sales", corner$region, present_share(profile$share_of_customers[at]), present_share(profile$share_of_sales[at]))
  best$label <- ifelse(seq_len(nrow(best)) <= 3L, as.character(best$customer), "")
  ggplot2::ggplot() +
    ggplot2::geom_rect(data = as.data.frame(bins), ggplot2::aes(xmin = .data$x0, xmax = .data$x1, ymin = .data$y0, ymax = .data$y1, fill = .data$fill)) + ggplot2::scale_fill_identity() +
    ggplot2::geom_vline(xintercept = max(cut[["purchases"]] - 0.5, 0.5), colour = palette_of[["ink"]], linetype = "22") + ggplot2::geom_hline(yintercept = max(cut[["mean_sales"]], floor),
        colour = palette_of[["ink"]], linetype = "22") +
    ggplot2::geom_point(data = best, ggplot2::aes(.data$purchases, .data$mean_sales), shape = 21L, fill = palette_of[["ochre"]], colour = palette_of[["ink"]], size = 3) +
    ggplot2::geom_text(data = best, ggplot2::aes(.data$purchases, .data$mean_sales, label = .data$label), vjust = -0.8, size = 3.4, colour = palette_of[["ink"]]) +
    ggplot2::geom_text(data = corner, ggplot2::aes(.data$x, .data$y, label = .data$text, hjust = .data$hjust, vjust = .data$vjust), lineheight = 0.95, size = 4, colour = palette_of[["ink"]],
        fontface = "bold") +
    ggplot2::scale_x_log10(breaks = c(1, 2, 3, 5, 10, 20, 50, 100, 200, 500, 1000)[c(1, 2, 3, 5, 10, 20, 50, 100, 200, 500, 1000) <= most], limits = c(0.5, max(x_edge) * 1.1)) +
    ggplot2::scale_y_log10(labels = \(v) format(v, trim = TRUE, big.mark = "\u202f", scientific = FALSE, drop0trailing = TRUE), limits = c(floor / 2.8, max(y_edge) * 2.8)) +
    figure_words(object, sprintf("Mean order sales against purchases; darker: more customers (both scales logarithmic). Cut at %s and %s", n_of(round(cut[["purchases"]], 2), "purchase"),
        format_money(cut[["mean_sales"]], basis_of(object, "currency"))),
                 caption = paste0("Points: the ", format_count(nrow(best)), " customers with the highest sales, the first three named. n = ", format_count(nrow(object)), " customers.",
                                  if (nrow(shown) < nrow(object)) sprintf(" %s with mean sales of 0 or less are not drawn.", n_of(nrow(object) - nrow(shown), "customer")))) +
    theme_nubrek() + ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12)) + ggplot2::xlab("purchases")
}

#' @rdname autoplot.nubrek
#' @param step `[character(1)]` Of [tier_moves()]: default the last one.
#' @param noise `[nubrek_noise]` From [move_noise()]: cells that are more or fewer than by chance are marked.
#' @export
autoplot.nubrek_moves <- function(object, ..., step = NULL, noise = NULL) {
  rlang::check_dots_empty()
  steps <- basis_of(object, "steps")
  step <- step %||% steps[[length(steps)]]
  check_choice(step, steps)
  data <- plain_table(object)[object$step == step, ]
  places <- move_places(basis_of(object, "labels"))
  row_total <- tapply(data$customers, factor(data$from, places$from), sum)
  column_total <- tapply(data$customers, factor(data$to, places$to), sum)
  data$x <- match(data$to, places$to) + 0.35 * (data$to == "absent")
  data$y <- match(data$from, places$from) + 0.35 * (match(data$from, places$from) > length(basis_of(object, "labels")))
  data$fill <- ifelse(data$customers > 0L, grid_fill(data$share_of_from / max(data$share_of_from, 1e-9, na.rm = TRUE)), "#efe9dd")
  mark <- if (!is.null(noise)) noise$verdict[match(paste(data$from, data$to), paste(noise$from, noise$to))]
  sign <- if (is.null(mark)) "" else ifelse(mark %in% "more", " \u25b2", ifelse(mark %in% "fewer", " \u25bc", ""))
  money <- ifelse(data$change >= 0, "+", "\u2212")
  data$text <- ifelse(data$customers == 0L, "0", paste0(format_count(data$customers), sign, "  (", present_share(data$share_of_from), ")\n", money, formatC(abs(round(data$change)), format = "d",
      big.mark = "\u202f")))
  stays <- data[data$from == data$to, ]
  ggplot2::ggplot(data, ggplot2::aes(.data$x, .data$y)) + ggplot2::geom_tile(ggplot2::aes(fill = .data$fill), width = 0.97, height = 0.94) +
    ggplot2::geom_tile(data = stays, fill = NA, colour = palette_of[["ink"]], linewidth = 0.7, width = 0.95, height = 0.9) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text, colour = ink_on(.data$fill)), size = 4, lineheight = 1) + ggplot2::scale_fill_identity() + ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(position = "top", breaks = sort(unique(data$x)), labels = paste0(places$to, "\n", format_count(as.integer(column_total))), expand = ggplot2::expansion(0.01)) +
    ggplot2::scale_y_reverse(breaks = sort(unique(data$y)), labels = paste0(places$from, "\n", format_count(as.integer(row_total))), expand = ggplot2::expansion(0.01)) +
    figure_words(object, sprintf("From (rows) to (columns), %s: customers, percent of the row, change of their sales in %s", step, basis_of(object, "currency")),
                 title = if (is.null(noise)) describe(object)$finding else describe(noise)$finding,
                 caption = paste0("Framed: stayed. ", if (!is.null(noise)) "\u25b2 more, \u25bc fewer than by chance. ")) +
    theme_nubrek() + ggplot2::theme(panel.grid.major = ggplot2::element_blank(), axis.text = ggplot2::element_text(size = 12))
}

#' @rdname autoplot.nubrek
#' @export
autoplot.nubrek_outlook <- function(object, ...) {
  rlang::check_dots_empty()
  total <- attr(object, "total")
  data <- rbind(data.frame(tier = total$tier, what = "now", n = total$now), data.frame(tier = total$tier, what = "expected", n = total$expected))
  data$tier <- factor(data$tier, rev(total$tier))
  data$what <- factor(data$what, c("expected", "now"))
  ggplot2::ggplot(data, ggplot2::aes(.data$n, .data$tier, fill = .data$what)) + ggplot2::geom_col(position = ggplot2::position_dodge(0.75), width = 0.68) +
    ggplot2::geom_text(ggplot2::aes(label = paste(format_count(round(.data$n)), .data$what)), position = ggplot2::position_dodge(0.75), hjust = -0.05, size = 4, colour = palette_of[["ink"]]) +
    ggplot2::scale_fill_manual(values = c(now = palette_of[["petrol"]], expected = "#9cc0c2")) +
    ggplot2::scale_x_continuous(labels = format_count, limits = c(0, max(data$n) * 1.2), expand = ggplot2::expansion(0)) +
    figure_words(object, sprintf("Customers by tier now, and expected over the next %s at the same limits", n_of(round(basis_of(object, "years"), 2), "year"))) +
    theme_nubrek() + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 13))
}
