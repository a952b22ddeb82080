# Figures of rates with their intervals.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_rate
#' @exportS3Method ggplot2::autoplot nubrek_rate
autoplot.nubrek_rate <- function(object, ..., groups = 20L) {
  rlang::check_dots_empty()
  nothing_to_draw(sum(object$customers) == 0L, object)
  drawn <- rate_points(object, groups)
  ggplot2::ggplot(drawn$data, ggplot2::aes(.data$rate, .data$label)) +
    ggplot2::geom_vline(
      xintercept = drawn$everybody, colour = palette_of[["ink"]], linetype = "22", linewidth = 0.4
    ) +
    ggplot2::geom_segment(
      ggplot2::aes(
        x = .data$lower, xend = .data$upper, yend = .data$label, alpha = .data$few
      ),
      colour = palette_of[["petrol"]],
      linewidth = 3.4
    ) +
    ggplot2::geom_point(ggplot2::aes(alpha = .data$few), size = 2.6, colour = palette_of[["ink"]]) +
    ggplot2::geom_text(
      ggplot2::aes(x = drawn$ends[[2L]], label = .data$text, alpha = .data$few),
      hjust = 1,
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_alpha_manual(values = c(`FALSE` = 1, `TRUE` = 0.35)) +
    name_axis() +
    ggplot2::scale_x_continuous(
      limits = drawn$ends, labels = \(v) present_share(v), expand = ggplot2::expansion(0.01)
    ) +
    figure_words(
      object,
      paste0(
        say("Share of customers who bought again"),
        if (length(drawn$by) > 0L) paste0(", by ",
          paste(gsub("_", " ", drawn$by), collapse = " and ")),
        say("; bar: 95 % interval; dashed: everybody")
      ),
      caption = paste0(
        "n = ", format_count(sum(object$customers)), say(" customers."),
        if (any(drawn$data$few)) say(" Pale: fewer than 30 customers."),
        if (nrow(object) > nrow(drawn$data)) {
          say(" The %d largest of %d groups.", nrow(drawn$data), nrow(object))
        }
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}

# What is drawn: the largest groups, the highest rate on top.
rate_points <- function(object, groups) {
  rows <- plain_table(object)
  by <- rate_groups(rows)
  data <- utils::head(rows[order(-rows$customers), ], groups)
  data <- data[data$customers > 0L, ]
  data$label <- if (length(by) == 0L) {
    "all customers"
  } else {
    do.call(paste,
      c(lapply(data[by], \(x) ifelse(is.na(x), "(missing)", as.character(x))), sep = ", "))
  }
  data$label <- factor(data$label, data$label[order(data$rate)])
  data$few <- data$customers < few_customers
  data$text <- say("%s of %s", present_share(data$rate), format_count(data$customers))
  ends <- c(min(data$lower), max(data$upper))
  span <- max(diff(ends), 0.05)
  list(
    data = data,
    by = by,
    everybody = sum(rows$repeat_customers) / sum(rows$customers),
    span = span,
    ends = c(max(0, ends[[1L]] - span * 0.1), ends[[2L]] + span * 0.32)
  )
}

rates_height <- function(x) 0.9 + 0.3 * min(20L, nrow(x))
