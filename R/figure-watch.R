# What a watch sees: the share of before and of now, and how near it is to firing.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_watch
#' @exportS3Method ggplot2::autoplot nubrek_watch
autoplot.nubrek_watch <- function(object, ..., groups = 15L) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- rows[rows$customers > 0L, ]
  nothing_to_draw(nrow(rows) == 0L, object)
  rows <- utils::head(rows[order(-rows$fired, -rows$evidence / rows$needed), ], groups)
  now <- share_interval(round(rows$rate * rows$customers), rows$customers)
  label <- paste0(seen_text(rows$group), " (", format_count(rows$customers), ")")
  rows$label <- factor(label, rev(unique(label)))
  rows$lower <- now$lower
  rows$upper <- now$upper
  rows$text <- ifelse(rows$fired, say("statistically significant"), say(
    "%s of the evidence needed", present_share(pmin(1, rows$evidence / rows$needed))
  ))
  rows$tone <- ifelse(rows$fired, palette_of[["brick"]], palette_of[["petrol"]])
  rows$stroke <- ifelse(is.na(rows$expected), rows$rate_before, rows$expected)
  edge <- max(rows$upper, rows$stroke)
  ggplot2::ggplot(rows, ggplot2::aes(y = .data$label)) +
    ggplot2::geom_segment(
      ggplot2::aes(
        x = .data$lower, xend = .data$upper, yend = .data$label, colour = .data$tone
      ),
      linewidth = 2.6, alpha = 0.5
    ) +
    ggplot2::geom_point(
      ggplot2::aes(.data$stroke), colour = palette_of[["ochre"]], shape = "|", size = 6
    ) +
    ggplot2::geom_point(ggplot2::aes(.data$rate, colour = .data$tone), size = 2.8) +
    ggplot2::geom_text(
      ggplot2::aes(edge, label = paste0("  ", .data$text)), hjust = 0, size = 3.8,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(
      labels = \(v) present_share(v), expand = ggplot2::expansion(c(0.02, 0.35))
    ) +
    figure_words(
      object,
      paste0(
        if (basis_of(object, "what") == "basket") {
          say("Share of purchases above the middle of the year before")
        } else {
          say("Share back within %s", n_of(basis_of(object, "within"), "day"))
        },
        say(
          " since %s; bar: 95 %% interval of one look; stroke: expected without a change",
          format_day(basis_of(object, "from"))
        )
      ),
      caption = say("Customers in brackets. The evidence may be looked at as often as one likes.")
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}
