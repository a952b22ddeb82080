# Steps from goods to goods, what is bought together, who comes back after which first goods, and
# where those who bought once stand.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_steps
#' @exportS3Method ggplot2::autoplot nubrek_steps
autoplot.nubrek_steps <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  draw_pairs(
    object, data.frame(rows, from = rows$first, to = rows$second),
    say("Share of the second purchases after the first goods that hold the second ones")
  )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_companions
#' @exportS3Method ggplot2::autoplot nubrek_companions
autoplot.nubrek_companions <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  draw_pairs(
    object, data.frame(rows, from = rows$item, to = rows$with),
    say("Share of the purchases with the one that hold the other too")
  )
}

# The pairs that stand out most, with what everybody buys beside them.
draw_pairs <- function(object, rows, shows) {
  nothing_to_draw(sum(!is.na(rows$adjusted_p)) == 0L, object)
  rows <- rows[!is.na(rows$adjusted_p), ]
  rows <- utils::head(rows[order(rows$adjusted_p >= 0.05, -rows$lift), ], most_pairs)
  label <- paste0(seen_text(rows$from), " \u2192 ", seen_text(rows$to))
  rows$label <- factor(label, rev(unique(label)))
  rows$pale <- ifelse(rows$adjusted_p < 0.05, 1, 0.4)
  ggplot2::ggplot(rows, ggplot2::aes(y = .data$label)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$lower, xend = .data$upper, yend = .data$label, alpha = .data$pale),
      colour = palette_of[["petrol"]],
      linewidth = 2.6
    ) +
    ggplot2::geom_point(
      ggplot2::aes(.data$expected), colour = palette_of[["ochre"]], shape = "|", size = 6
    ) +
    ggplot2::geom_point(
      ggplot2::aes(.data$share, alpha = .data$pale), colour = palette_of[["ink"]], size = 2.6
    ) +
    ggplot2::scale_alpha_identity() +
    ggplot2::scale_x_continuous(labels = \(v) present_share(v)) +
    figure_words(
      object,
      paste0(shows, say("; bar: 95 % interval; stroke: what everybody buys then")),
      caption = paste0(
        if (nrow(object) > nrow(rows)) {
          say("The %d with the highest lift of %s.", nrow(rows), n_of(nrow(object), "pair"))
        },
        if (any(rows$pale < 1)) say(" Pale: not beyond noise.")
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}

most_pairs <- 12L

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_first_products
#' @exportS3Method ggplot2::autoplot nubrek_first_products
autoplot.nubrek_first_products <- function(object, ..., groups = 15L) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- utils::head(rows[is.finite(rows$rate_ratio) & !is.na(rows$adjusted_p), ], groups)
  nothing_to_draw(nrow(rows) == 0L, object)
  label <- paste0(seen_text(rows$first), " (", format_count(rows$customers), ")")
  rows$label <- factor(label, label[order(rows$rate_ratio)])
  rows$pale <- ifelse(rows$adjusted_p < 0.05, 1, 0.4)
  ggplot2::ggplot(rows, ggplot2::aes(.data$rate_ratio, .data$label, alpha = .data$pale)) +
    ggplot2::geom_vline(xintercept = 1, colour = palette_of[["ink"]], linewidth = 0.5) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$ratio_lower, xend = .data$ratio_upper, yend = .data$label),
      colour = palette_of[["petrol"]],
      linewidth = 2.6
    ) +
    ggplot2::geom_point(colour = palette_of[["ink"]], size = 2.6) +
    ggplot2::scale_alpha_identity() +
    ggplot2::scale_x_log10(labels = \(v) four_digits(v)) +
    figure_words(
      object,
      say("How many times as fast they come back as others alike (1); bar: 95 % interval"),
      caption = paste0(
        say("Customers in brackets."), if (any(rows$pale < 1)) say(" Pale: not beyond noise.")
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_due
#' @exportS3Method ggplot2::autoplot nubrek_due
autoplot.nubrek_due <- function(object, ...) {
  rlang::check_dots_empty()
  waiting <- basis_of(object, "waiting")
  nothing_to_draw(nrow(waiting) == 0L, object)
  windows <- basis_of(object, "windows")
  known <- names(sort(table(waiting$group), decreasing = TRUE))
  known <- utils::head(known, 6L)
  windows <- windows[windows$group %in% known, ]
  reach <- max(windows$until) * 1.6 + basis_of(object, "passed")
  waiting <- waiting[waiting$group %in% known & waiting$days <= reach, ]
  passed <- basis_of(object, "passed")
  waiting$group <- factor(waiting$group, known)
  windows$group <- factor(windows$group, known)
  drawn <- ggplot2::ggplot(waiting, ggplot2::aes(.data$days)) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = .data$from, xmax = .data$until, ymin = 0, ymax = Inf),
      data = windows,
      inherit.aes = FALSE,
      fill = palette_of[["ochre"]],
      alpha = 0.25
    ) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = .data$until, xmax = .data$until + passed, ymin = 0, ymax = Inf),
      data = windows,
      inherit.aes = FALSE,
      fill = palette_of[["rule"]],
      alpha = 0.5
    ) +
    ggplot2::geom_histogram(
      binwidth = 7, boundary = 0, fill = palette_of[["petrol"]], colour = palette_of[["paper"]],
      linewidth = 0.2
    ) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(c(0, 0.02))) +
    ggplot2::scale_y_continuous(
      labels = \(v) format_count(v), expand = ggplot2::expansion(c(0, 0.06))
    ) +
    figure_words(
      object,
      say("Customers with one purchase by the days since it, in weeks"),
      caption = say("Yellow: the window; grey: passed it in the last %s.", n_of(passed, "day"))
    ) +
    theme_nubrek()
  if (length(known) == 1L) return(drawn)
  drawn + ggplot2::facet_wrap(~group, ncol = 2L)
}
