# The count of an audience, condition by condition.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_audience
#' @exportS3Method ggplot2::autoplot nubrek_audience
autoplot.nubrek_audience <- function(object, ...) {
  rlang::check_dots_empty()
  bars <- course_bars(object)
  ggplot2::ggplot(bars, ggplot2::aes(y = .data$step)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$customers, xend = .data$before, yend = .data$step),
      colour = palette_of[["rule"]],
      linewidth = 9,
      na.rm = TRUE
    ) +
    ggplot2::geom_segment(
      ggplot2::aes(x = 0, xend = .data$customers, yend = .data$step),
      colour = palette_of[["petrol"]],
      linewidth = 9
    ) +
    ggplot2::geom_text(
      ggplot2::aes(x = pmax(.data$customers, .data$before, na.rm = TRUE), label = .data$label),
      hjust = 0,
      nudge_x = max(bars$customers) * 0.012,
      size = 3.8,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_y_reverse(
      breaks = bars$step, labels = bars$words, expand = ggplot2::expansion(add = 0.6)
    ) +
    ggplot2::scale_x_continuous(
      limits = c(0, max(bars$customers)),
      oob = scales::oob_keep,
      breaks = up_to(bars$customers[[1L]]),
      labels = format_count,
      expand = ggplot2::expansion(c(0, 0))
    ) +
    figure_words(
      object,
      paste0(
        if (!is.null(basis_of(object, "name"))) {
          say("Audience \u201c%s\u201d: ", seen_text(basis_of(object, "name")))
        },
        say(
          "customers left after each condition, with their sales to date; pale: whom it takes away"
        )
      ),
      caption = say("n = %s customers.", format_count(bars$customers[[1L]]))
    ) +
    ggplot2::coord_cartesian(clip = "off") + # the labels of the longest bars stand in the margin
    theme_nubrek() +
    ggplot2::theme(
      plot.margin = ggplot2::margin(14, 6 * max(nchar(bars$label)), 10, 14),
      panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(hjust = 1, size = 10.5, lineheight = 0.95)
    )
}

# A bar for everybody and for each condition.
course_bars <- function(object) {
  course <- attr(object, "course")
  bars <- data.frame(
    step = seq_len(nrow(course) + 1L),
    words = c("everybody", course$condition),
    customers = c(basis_of(object, "population"), course$customers),
    sales = c(basis_of(object, "sales_of_all"), course$sales)
  )
  bars$words <- vapply(
    bars$words, \(text) paste(strwrap(text, 52L), collapse = "\n"), "", USE.NAMES = FALSE
  )
  bars$label <- sprintf(
    "%s  \u00b7  %s", format_count(bars$customers), format_money(bars$sales, basis_of(
      object, "currency"
    ))
  )
  bars$before <- c(NA, bars$customers[-nrow(bars)])
  bars
}

# Ticks that go no further than the longest bar.
up_to <- function(most) Filter(\(tick) tick <= most, pretty(c(0, most), 4L))
