#' @rdname autoplot.nubrek
#' @export
autoplot.nubrek_tiers <- function(object, ...) {
  rlang::check_dots_empty()
  profile <- tier_profile(object)
  profile$tier <- factor(profile$tier, rev(profile$tier))
  currency <- basis_of(object, "currency")
  side <- function(what, share, text) data.frame(tier = profile$tier, what = what, share = share, text = text)
  data <- rbind(side("customers", profile$share_of_customers, paste0(format_count(profile$customers), ", ", present_share(profile$share_of_customers))),
                side("sales", profile$share_of_sales, paste0(format_money(profile$sales, currency), ", ", present_share(profile$share_of_sales))))
  data$what <- factor(data$what, c("customers", "sales"))
  ggplot2::ggplot(data, ggplot2::aes(.data$share, .data$tier, fill = .data$what)) +
    ggplot2::geom_col(width = 0.6) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text), hjust = -0.04, size = 4, colour = palette_of[["ink"]]) +
    ggplot2::facet_wrap(~ what, labeller = ggplot2::as_labeller(c(customers = "share of customers", sales = "share of their sales"))) +
    ggplot2::scale_fill_manual(values = c(customers = "#9aa5a8", sales = palette_of[["petrol"]])) +
    ggplot2::scale_x_continuous(limits = c(0, max(data$share) * 1.55), breaks = c(0, 0.25, 0.5, 0.75), labels = \(v) present_share(v), expand = ggplot2::expansion(0)) +
    figure_words(object, paste0("Tiers by ", basis_of(object, "measure")), caption = paste0("n = ", format_count(nrow(object)), " customers with a purchase.")) +
    theme_nubrek() + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(), strip.text = ggplot2::element_text(hjust = 0, size = 12),
                                    axis.text.y = ggplot2::element_text(size = 13))
}
