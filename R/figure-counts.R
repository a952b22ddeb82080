#' @rdname autoplot.nubrek
#' @method autoplot nubrek_counts
#' @exportS3Method ggplot2::autoplot nubrek_counts
autoplot.nubrek_counts <- function(object, ..., fold_from = 12L) {
  rlang::check_dots_empty()
  data <- plain_table(object)
  folded <- attr(object, "folded")
  if (is.null(folded) && any(data$purchases >= fold_from)) {
    tail <- data$purchases >= fold_from
    data <- rbind(data[!tail, ], data.frame(
      purchases = fold_from,
      customers = sum(data$customers[tail]),
      share = sum(data$share[tail]),
      cumulative_share = 1
    ))
    folded <- fold_from
  }
  data$cumulative_share <- cumsum(data$share)
  data$label <- paste0(
    data$purchases,
    ifelse(data$purchases %in% folded, " or more", ""),
    "\n",
    present_share(data$cumulative_share)
  )
  data$label <- factor(data$label, data$label)
  data$kind <- ifelse(data$purchases == 1L, "one", "more")
  ggplot2::ggplot(data, ggplot2::aes(.data$label, .data$customers)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$kind), width = 0.72) +
    ggplot2::geom_text(
      ggplot2::aes(label = paste0(format_count(.data$customers), "\n", present_share(.data$share))),
      vjust = -0.25,
      size = 3.6,
      lineheight = 0.95,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_fill_manual(
      values = c(one = palette_of[["rule"]], more = palette_of[["petrol"]])
    ) +
    ggplot2::scale_y_continuous(
      limits = c(0, max(data$customers) * 1.17),
      expand = ggplot2::expansion(0),
      labels = format_count
    ) +
    figure_words(
      object,
      say(paste0(
        "Customers by number of purchases; below each number: share of customers with so many or ",
        "fewer"
      )),
      caption = paste0("n = ", format_count(sum(data$customers)),
        say(" customers with a purchase."))
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.x = ggplot2::element_blank(),
      axis.text.x = ggplot2::element_text(lineheight = 1.1)
    ) +
    ggplot2::xlab(say("purchases"))
}
