# How much better than naive rules, at several times; and the models side by side.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_rolling
#' @exportS3Method ggplot2::autoplot nubrek_rolling
autoplot.nubrek_rolling <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  data <- rbind(
    data.frame(cut = rows$cut, error = rows$error, who = "model"),
    data.frame(cut = rows$cut, error = rows$naive_error, who = "naive")
  )
  data$cut <- factor(format_day(data$cut), rev(format_day(rows$cut)))
  data$text <- ifelse(
    data$who == "model", four_digits(data$error),
    paste0(four_digits(data$error), "  (", rep(rows$naive, 2L), ")")
  )
  data$right <- data$error >= rev_pairs(data$error)
  apart <- 0.02 * diff(range(data$error, 0.98 * data$error))
  ggplot2::ggplot(data, ggplot2::aes(.data$error, .data$cut)) +
    ggplot2::geom_line(
      ggplot2::aes(group = .data$cut), colour = palette_of[["rule"]], linewidth = 2.4
    ) +
    ggplot2::geom_point(ggplot2::aes(colour = .data$who, shape = .data$who), size = 4) +
    ggplot2::geom_text(
      ggplot2::aes(
        x = .data$error + ifelse(.data$right, apart, -apart),
        label = .data$text,
        hjust = ifelse(.data$right, 0, 1)
      ),
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_colour_manual(
      values = c(model = palette_of[["petrol"]], naive = palette_of[["ochre"]])
    ) +
    ggplot2::scale_shape_manual(values = c(model = 16L, naive = 17L)) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(c(0.2, 0.75))) +
    figure_words(
      object,
      say(paste0(
        "Error per customer after each cut; dot: the model, triangle: the best naive rule; ",
        "further left is better"
      )),
      caption = say("Root mean square error of purchases per customer.")
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}

# Of two halves of a vector, each value's partner.
rev_pairs <- function(x) {
  half <- length(x) %/% 2L
  c(x[half + seq_len(half)], x[seq_len(half)])
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_comparison
#' @exportS3Method ggplot2::autoplot nubrek_comparison
autoplot.nubrek_comparison <- function(object, ...) {
  rlang::check_dots_empty()
  data <- plain_table(object)
  data <- data[!is.na(data$behind), ]
  nothing_to_draw(nrow(data) == 0L, object)
  data$model <- factor(data$model, rev(data$model[order(data$behind)]))
  data$lower <- pmax(0, data$behind - 1.96 * data$behind_error)
  data$upper <- data$behind + 1.96 * data$behind_error
  data$text <- paste0(
    four_digits(data$behind), ifelse(data$recommended %in% TRUE, "  recommended", "")
  )
  most <- max(data$upper, 1e-6)
  ggplot2::ggplot(data, ggplot2::aes(.data$behind, .data$model)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$lower, xend = .data$upper, yend = .data$model),
      colour = palette_of[["petrol"]],
      linewidth = 3.4
    ) +
    ggplot2::geom_point(size = 2.6, colour = palette_of[["ink"]]) +
    ggplot2::geom_text(
      ggplot2::aes(x = .data$upper, label = .data$text), hjust = 0, nudge_x = most * 0.02, size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_x_continuous(
      limits = c(0, most * 1.35), expand = ggplot2::expansion(c(0.01, 0))
    ) +
    figure_words(
      object,
      say(paste0(
        "How far each model is behind the best in the mean log of the probability given to what ",
        "came; bar: 95 % interval"
      )),
      caption = say(
        "Held against the %.0f weeks after %s.", basis_of(object, "weeks"),
        format_day(basis_of(object, "cut"))
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}
