# Returns by group, customers by their first discount, growth at constant currency.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_returns_by
#' @exportS3Method ggplot2::autoplot nubrek_returns_by
autoplot.nubrek_returns_by <- function(object, ..., groups = 15L) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- rows[rows$gross > 0, ]
  nothing_to_draw(nrow(rows) == 0L, object)
  rows <- utils::head(rows[order(-rows$gross), ], groups)
  label <- seen_text(rows[[basis_of(object, "by")]])
  rows$label <- factor(label, rev(unique(label)))
  money <- \(v) number_text(round(v))
  ggplot2::ggplot(rows, ggplot2::aes(y = .data$label)) +
    ggplot2::geom_col(ggplot2::aes(.data$gross), fill = palette_of[["brick"]], width = 0.66) +
    ggplot2::geom_col(ggplot2::aes(.data$net), fill = palette_of[["petrol"]], width = 0.66) +
    ggplot2::geom_text(
      ggplot2::aes(.data$gross, label = paste0(" ", present_share(.data$return_share, 1L))),
      hjust = 0,
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_x_continuous(labels = money, expand = ggplot2::expansion(c(0, 0.1))) +
    figure_words(
      object,
      say("Gross sales; the end of each bar, and the share beside it, came back")
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_discounts
#' @exportS3Method ggplot2::autoplot nubrek_discounts
autoplot.nubrek_discounts <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  nothing_to_draw(all(is.na(rows$share)), object)
  label <- paste0(rows$first_discount, " (", format_count(rows$customers), ")")
  panels <- c(
    say("back within %s", n_of(basis_of(object, "within"), "day")),
    say("later purchases at full price")
  )
  drawn <- rbind(
    data.frame(label, panel = panels[[1L]], rows[c("share", "lower", "upper")]),
    data.frame(label, panel = panels[[2L]], share = rows$full_price, lower = NA, upper = NA)
  )
  drawn$label <- factor(drawn$label, rev(label))
  drawn$panel <- factor(drawn$panel, panels)
  ggplot2::ggplot(drawn[!is.na(drawn$share), ], ggplot2::aes(.data$share, .data$label)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$lower, xend = .data$upper, yend = .data$label),
      colour = palette_of[["petrol"]], linewidth = 3, alpha = 0.5, na.rm = TRUE
    ) +
    ggplot2::geom_point(size = 2.8, colour = palette_of[["ink"]]) +
    ggplot2::geom_text(
      ggplot2::aes(label = present_share(.data$share)), vjust = -1, size = 3.8,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::facet_wrap(~panel) +
    ggplot2::scale_x_continuous(
      labels = \(v) present_share(v), expand = ggplot2::expansion(0.12)
    ) +
    ggplot2::scale_y_discrete(expand = ggplot2::expansion(add = c(0.5, 0.7))) +
    figure_words(
      object,
      say("Customers by the discount of their first order; bar: 95 % interval"),
      caption = say("Customers in brackets.")
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_constant_currency
#' @exportS3Method ggplot2::autoplot nubrek_constant_currency
autoplot.nubrek_constant_currency <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- rows[!is.na(rows$growth), ]
  nothing_to_draw(nrow(rows) == 0L, object)
  rows$label <- factor(seen_text(rows$currency), rev(seen_text(rows$currency)))
  words <- c(say("as converted"), say("at the rates of before"))
  drawn <- data.frame(
    label = rep(rows$label, 2L), growth = c(rows$growth, rows$growth_constant),
    what = factor(rep(words, each = nrow(rows)), words)
  )
  ggplot2::ggplot(drawn, ggplot2::aes(.data$growth, .data$label, fill = .data$what)) +
    ggplot2::geom_vline(xintercept = 0, colour = palette_of[["ink"]], linewidth = 0.5) +
    ggplot2::geom_col(position = ggplot2::position_dodge(-0.72), width = 0.66) +
    ggplot2::scale_fill_manual(
      values = stats::setNames(palette_of[c("ochre", "petrol")], words)
    ) +
    ggplot2::scale_x_continuous(labels = \(v) present_share(v)) +
    figure_words(object, say("Growth of sales")) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), legend.position = "top",
      legend.justification = "left", legend.title = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(size = 12)
    )
}
