#' @rdname autoplot.nubrek
#' @method autoplot nubrek_backtest
#' @exportS3Method ggplot2::autoplot nubrek_backtest
autoplot.nubrek_backtest <- function(object, ...) {
  rlang::check_dots_empty()
  weeks <- attr(object, "weeks")
  cut_at <- basis_of(object, "cut")
  data <- rbind(
    data.frame(day = cut_at + weeks$week * 7, purchases = weeks$actual, what = "came"),
    data.frame(day = cut_at + weeks$week * 7, purchases = weeks$expected, what = "expected")
  )
  data <- rbind(data.frame(day = cut_at, purchases = 0, what = c("came", "expected")), data)
  last <- data[data$day == max(data$day), ]
  last$lift <- ifelse(seq_along(last$purchases) == which.max(last$purchases), -0.3, 1.3)
  ggplot2::ggplot(
    data, ggplot2::aes(.data$day, .data$purchases, colour = .data$what, linetype = .data$what)
  ) +
    event_marks(object) +
    ggplot2::geom_line(linewidth = 0.9) +
    ggplot2::geom_text(
      data = last,
      ggplot2::aes(
        label = paste0(.data$what, " ", format_count(round(.data$purchases))), vjust = .data$lift
      ),
      hjust = -0.06,
      size = 4
    ) +
    ggplot2::scale_colour_manual(values = c(came = palette_of[["ink"]], expected = "#4f9aa3")) +
    ggplot2::scale_linetype_manual(values = c(came = "solid", expected = "42")) +
    ggplot2::scale_x_date(date_labels = "%b %Y", expand = ggplot2::expansion(c(0.01, 0.19))) +
    ggplot2::scale_y_continuous(
      limits = c(0, NA), labels = format_count, expand = ggplot2::expansion(c(0, 0.12))
    ) +
    figure_words(
      object,
      paste0(
        say("Purchase days after "),
        format_day(cut_at),
        say(", cumulated: what came, and what the model fitted up to then expected")
      ),
      marks = TRUE,
      caption = paste0(
        "n = ",
        format_count(basis_of(object, "customers")),
        say(" customers known at "),
        format_day(cut_at),
        "."
      )
    ) +
    theme_nubrek()
}
