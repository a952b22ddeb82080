#' @rdname autoplot.nubrek
#' @method autoplot nubrek_audit
#' @exportS3Method ggplot2::autoplot nubrek_audit
autoplot.nubrek_audit <- function(object, ...) {
  rlang::check_dots_empty()
  data <- as.data.table(plain_table(object))[,
    .(rows = sum(rows), money = sum(money)), by = .(reason, currency)
  ]
  data <- data[,
    .(rows = sum(rows), money = paste(format_money(money, currency, 0L), collapse = " and ")),
    by = reason
  ]
  data[,
    `:=`(share = rows / sum(rows), reason = factor(reason, rev(reason)), kept = ifelse(
      reason == "kept", "kept", "aside"
    ))
  ]
  data[, text := paste0(format_count(rows), " rows, ", present_share(share, 1L), ", ", money)]
  ggplot2::ggplot(data, ggplot2::aes(.data$share, .data$reason, fill = .data$kept)) +
    ggplot2::geom_col(width = 0.66) +
    ggplot2::geom_text(
      ggplot2::aes(
        label = .data$text,
        hjust = ifelse(.data$share > 0.5, 1.03, -0.03),
        colour = ifelse(.data$share > 0.5, "#ffffff", palette_of[["ink"]])
      ),
      size = 4
    ) +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_fill_manual(
      values = c(kept = palette_of[["petrol"]], aside = palette_of[["ochre"]])
    ) +
    ggplot2::scale_x_continuous(
      labels = \(v) present_share(v), expand = ggplot2::expansion(c(0, 0.02))
    ) +
    ggplot2::coord_cartesian(xlim = c(0, 1)) + # a limit would drop a bar that rounds beyond it
    figure_words(
      object,
      say("Where the rows went: share of all rows read, by what became of them"),
      caption = say("Money: of amounts that could be read.")
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}
