#' @rdname autoplot.nubrek
#' @method autoplot nubrek_tiers
#' @exportS3Method ggplot2::autoplot nubrek_tiers
autoplot.nubrek_tiers <- function(object, ..., shape = "ladder") {
  rlang::check_dots_empty()
  check_choice(shape, c("ladder", "curve"))
  if (shape == "curve") concentration_curve(object) else tier_ladder(object)
}

# How much of the sales the best customers bring, with the edges of the tiers.
concentration_curve <- function(object) {
  sales <- sort(object$sales, decreasing = TRUE)
  n <- length(sales)
  place <- unique(round(seq(1, n, length.out = min(n, 400L))))
  line <- data.frame(customers = c(0, place / n), sales = c(0, cumsum(sales)[place] / sum(sales)))
  profile <- tier_profile(object)
  edge <- data.frame(
    tier = profile$tier,
    customers = cumsum(profile$share_of_customers),
    sales = cumsum(profile$share_of_sales)
  )
  edge <- edge[-nrow(edge), ]
  edge$label <- say(
    "%s and up: %s of customers, %s of sales",
    edge$tier,
    present_share(edge$customers),
    present_share(edge$sales)
  )
  edge$label[seq_len(min(1L, nrow(edge)))] <- sub(
    " and up", "", edge$label[seq_len(min(1L, nrow(edge)))]
  )
  ggplot2::ggplot(line, ggplot2::aes(.data$customers, .data$sales)) +
    ggplot2::annotate(
      "segment", x = 0, y = 0, xend = 1, yend = 1, colour = palette_of[["rule"]], linewidth = 0.7
    ) +
    ggplot2::annotate(
      "text", x = 0.72, y = 0.66, label = say("if all brought the same"), colour = "#5d6a74",
      size = 3.8,
      hjust = 0
    ) +
    ggplot2::geom_line(colour = palette_of[["petrol"]], linewidth = 1.1) +
    ggplot2::geom_point(data = edge, size = 3, colour = palette_of[["ink"]]) +
    ggplot2::geom_text(
      data = edge,
      ggplot2::aes(label = .data$label),
      hjust = 0,
      nudge_x = 0.015,
      vjust = 1.4,
      size = 4.2,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_x_continuous(
      labels = \(v) present_share(v), expand = ggplot2::expansion(c(0.01, 0.02))
    ) +
    ggplot2::scale_y_continuous(
      labels = \(v) present_share(v), expand = ggplot2::expansion(c(0, 0.04))
    ) +
    figure_words(
      object,
      say("Share of sales brought by the best customers, ranked by sales"),
      say(
        "The best 20 %% of customers bring %s of sales.",
        present_share(stats::approx(line$customers, line$sales, 0.2)$y)
      ),
      caption = paste0("n = ", format_count(n), say(" customers with a purchase."))
    ) +
    theme_nubrek() +
    ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12)) +
    ggplot2::xlab(say("share of customers, best first"))
}

tier_ladder <- function(object) {
  profile <- tier_profile(object)
  profile$tier <- factor(profile$tier, rev(profile$tier))
  currency <- basis_of(object, "currency")
  side <- function(what, share, text) {
    data.frame(tier = profile$tier, what = what, share = share, text = text)
  }
  data <- rbind(
    side("customers", profile$share_of_customers, paste0(
      format_count(profile$customers), ", ", present_share(profile$share_of_customers)
    )),
    side("sales", profile$share_of_sales, paste0(
      format_money(profile$sales, currency), ", ", present_share(profile$share_of_sales)
    ))
  )
  data$what <- factor(data$what, c("customers", "sales"))
  ggplot2::ggplot(data, ggplot2::aes(.data$share, .data$tier, fill = .data$what)) +
    ggplot2::geom_col(width = 0.6) +
    ggplot2::geom_text(
      ggplot2::aes(label = .data$text), hjust = -0.04, size = 4, colour = palette_of[["ink"]]
    ) +
    ggplot2::facet_wrap(~what, labeller = ggplot2::as_labeller(c(
      customers = say("share of customers"), sales = say("share of their sales")
    ))) +
    ggplot2::scale_fill_manual(values = c(customers = "#9aa5a8", sales = palette_of[["petrol"]])) +
    ggplot2::scale_x_continuous(
      limits = c(0, max(data$share) * 1.55),
      breaks = c(0, 0.25, 0.5, 0.75),
      labels = \(v) present_share(v),
      expand = ggplot2::expansion(0)
    ) +
    figure_words(
      object,
      paste0(say("Tiers by "), basis_of(object, "measure")),
      caption = paste0("n = ", format_count(nrow(object)), say(" customers with a purchase."))
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      strip.text = ggplot2::element_text(hjust = 0, size = 12),
      axis.text.y = ggplot2::element_text(size = 13)
    )
}
