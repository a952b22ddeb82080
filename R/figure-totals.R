# Totals of cohorts: how they stay, and what is to come.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_totals_fit
#' @exportS3Method ggplot2::autoplot nubrek_totals_fit
autoplot.nubrek_totals_fit <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(basis_of(object, "totals"))
  p <- stats::setNames(object$value, object$parameter)
  ages <- seq(1, max(rows$age) * 1.25 + 1, length.out = 100L)
  model <- data.frame(
    age = ages, share = staying(ages, p[["alpha"]], p[["beta"]]) * chance_active(p)
  )
  rows$share <- rows$active / rows$acquired
  rows <- rows[rows$age > 0L & rows$acquired > 0, ]
  ggplot2::ggplot(rows, ggplot2::aes(.data$age, .data$share)) +
    ggplot2::geom_line(
      ggplot2::aes(group = .data$cohort), colour = palette_of[["rule"]], linewidth = 0.5
    ) +
    ggplot2::geom_point(colour = palette_of[["petrol"]], size = 2, alpha = 0.6) +
    ggplot2::geom_line(data = model, colour = palette_of[["ochre"]], linewidth = 1.1) +
    ggplot2::scale_x_continuous(breaks = \(lim) unique(round(pretty(lim)))) +
    ggplot2::scale_y_continuous(
      labels = \(v) present_share(v), limits = c(0, NA), expand = ggplot2::expansion(c(0, 0.05))
    ) +
    figure_words(
      object,
      say("Share of each cohort active, by periods since it was acquired; line: the model")
    ) +
    theme_nubrek()
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_totals_forecast
#' @exportS3Method ggplot2::autoplot nubrek_totals_forecast
autoplot.nubrek_totals_forecast <- function(object, ...) {
  rlang::check_dots_empty()
  totals <- basis_of(basis_of(object, "model"), "totals")
  rows <- plain_table(totals)
  rows$at <- basis_of(totals, "place") + rows$age
  money <- !is.na(object$sales[[1L]])
  seen <- rowsum(if (money) rows$sales else rows$active, rows$at)
  last <- max(rows$at)
  came <- data.frame(at = as.integer(rownames(seen)), value = seen[, 1L])
  next_ones <- data.frame(
    at = last + object$ahead,
    value = if (money) object$sales else object$active,
    lower = if (money) object$sales_lower else object$lower,
    upper = if (money) object$sales_upper else object$upper
  )
  ggplot2::ggplot(came, ggplot2::aes(.data$at, .data$value)) +
    ggplot2::geom_col(fill = palette_of[["petrol"]], width = 0.7) +
    ggplot2::geom_col(data = next_ones, fill = palette_of[["ochre"]], width = 0.7, alpha = 0.6) +
    ggplot2::geom_linerange(
      ggplot2::aes(ymin = .data$lower, ymax = .data$upper), data = next_ones,
      colour = palette_of[["ink"]], linewidth = 0.8
    ) +
    ggplot2::scale_x_continuous(
      breaks = \(lim) Filter(\(v) v == round(v) && v >= 1, pretty(lim, 8L)),
      labels = \(v) ifelse(
        v <= last, basis_of(totals, "periods")[pmax(1, pmin(v, last))], paste0("+", v - last)
      )
    ) +
    ggplot2::scale_y_continuous(
      labels = \(v) number_text(round(v)), expand = ggplot2::expansion(c(0, 0.06))
    ) +
    figure_words(
      object,
      paste0(
        if (money) say("Sales by period") else say("Active customers by period"),
        say("; yellow: expected of those acquired so far, with %s interval", present_share(
          basis_of(object, "level")
        ))
      )
    ) +
    theme_nubrek()
}
