# Whose money is where.

# All money of the customers as one field: the width of a column is what its class spends, the
# filled part our share of it.
#' @rdname autoplot.nubrek
#' @method autoplot nubrek_wallet
#' @exportS3Method ggplot2::autoplot nubrek_wallet
autoplot.nubrek_wallet <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- rows[!is.na(rows$class), ]
  nothing_to_draw(nrow(rows) == 0L, object)
  boxes <- wallet_boxes(rows, basis_of(object, "currency"))
  currency <- basis_of(object, "currency")
  ggplot2::ggplot(boxes) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = .data$left, xmax = .data$right, ymin = 0, ymax = 1),
      fill = palette_of[["rule"]],
      colour = palette_of[["paper"]],
      linewidth = 1.2
    ) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = .data$left, xmax = .data$right, ymin = 0, ymax = .data$share),
      fill = palette_of[["petrol"]],
      colour = palette_of[["paper"]],
      linewidth = 1.2
    ) +
    ggplot2::geom_text(
      ggplot2::aes(x = .data$place, y = 1.03, label = .data$label, hjust = .data$side),
      vjust = 0,
      size = 4,
      lineheight = 0.95,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_x_continuous(
      labels = \(v) format_money(v, currency), breaks = up_to(max(boxes$right)), expand = c(0.01, 0)
    ) +
    ggplot2::scale_y_continuous(
      labels = \(v) present_share(v), breaks = seq(0, 1, 0.25), limits = c(0, 1.2), expand = c(0, 0)
    ) +
    figure_words(
      object,
      say("Wide: what the customers of a class spend with everybody; filled: our share of it"),
      caption = say("n = %s customers of the panel.", format_count(nrow(rows)))
    ) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major = ggplot2::element_blank())
}

# A box for each class, with its label.
wallet_boxes <- function(rows, currency) {
  classes <- intersect(c("hold", "widen", "reach"), rows$class)
  weight <- rows$weight %||% rep(1, nrow(rows))
  sum_of <- \(name) vapply(classes, \(class) sum((weight * rows[[name]])[rows$class == class]), 0)
  wide <- sum_of("money_all")
  boxes <- data.frame(
    class = classes,
    left = cumsum(wide) - wide,
    right = cumsum(wide),
    share = ifelse(wide > 0, sum_of("money") / wide, 0),
    customers = vapply(classes, \(class) sum(rows$class == class), 0L),
    elsewhere = sum_of("elsewhere")
  )
  boxes$label <- say(
    "%s: %s\nwith others %s",
    boxes$class,
    n_of_each(boxes$customers),
    format_money(boxes$elsewhere, currency)
  )
  # a label at the edge stands inside it
  middle <- (boxes$left + boxes$right) / 2 / max(boxes$right)
  boxes$side <- ifelse(middle > 0.88, 1, ifelse(middle < 0.12, 0, 0.5))
  boxes$place <- middle * max(boxes$right)
  boxes$place[boxes$side == 1] <- boxes$right[boxes$side == 1]
  boxes$place[boxes$side == 0] <- boxes$left[boxes$side == 0]
  boxes
}

n_of_each <- function(n) {
  paste0(format_count(n), "\u00a0", ifelse(n == 1, "customer", "customers"))
}
