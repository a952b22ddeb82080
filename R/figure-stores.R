# Who stayed with a store, who went to another one, who is gone.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_stores
#' @exportS3Method ggplot2::autoplot nubrek_stores
autoplot.nubrek_stores <- function(object, ...) {
  rlang::check_dots_empty()
  nothing_to_draw(sum(object$active_before) == 0L, object)
  rows <- plain_table(object)[object$active_before > 0L, ]
  rows <- utils::head(rows[order(-rows$active_before), ], 20L)
  label <- factor(seen_text(rows$store), rev(seen_text(rows$store)))
  fates <- c("stayed", "elsewhere", "gone")
  words <- c(say("stayed"), say("in another store"), say("nowhere"))
  bars <- do.call(rbind, lapply(seq_along(fates), \(k) data.frame(
    label = label,
    fate = factor(words[[k]], words),
    share = rows[[fates[[k]]]] / rows$active_before,
    text = format_count(rows[[fates[[k]]]])
  )))
  ggplot2::ggplot(bars, ggplot2::aes(.data$share, .data$label, fill = .data$fate)) +
    ggplot2::geom_col(width = 0.7, position = ggplot2::position_stack(reverse = TRUE)) +
    ggplot2::geom_text(
      ggplot2::aes(label = ifelse(.data$share > 0.06, .data$text, "")),
      position = ggplot2::position_stack(vjust = 0.5, reverse = TRUE),
      colour = "#ffffff",
      size = 3.8
    ) +
    ggplot2::scale_fill_manual(values = stats::setNames(
      palette_of[c("petrol", "ochre", "brick")], words
    )) +
    ggplot2::scale_x_continuous(
      labels = \(v) present_share(v), expand = ggplot2::expansion(c(0, 0.04))
    ) +
    figure_words(
      object,
      say("Customers of each store before: where they bought now"),
      caption = say("n = %s customers of a store before.", format_count(sum(rows$active_before)))
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), legend.position = "top",
      legend.justification = "left", legend.title = ggplot2::element_blank()
    )
}
