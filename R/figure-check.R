# Figures of models held against what came.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_spend_check
#' @exportS3Method ggplot2::autoplot nubrek_spend_check
autoplot.nubrek_spend_check <- function(object, ...) {
  rlang::check_dots_empty()
  label <- ifelse(is.finite(object$to), format(object$from, trim = TRUE), paste0(
    format(object$from, trim = TRUE), "+"
  ))
  data <- data.frame(
    place = seq_len(nrow(object)),
    label = label,
    observed = object$observed,
    expected = object$expected
  )
  bars_and_model(
    data,
    object,
    say(paste0(
      "Customers by the mean amount of their repeat purchases; each band starts at the number ",
      "below it"
    )),
    say(
      "n = %s customers with a repeat purchase; their mean is %.2f, by the model %.2f.",
      format_count(basis_of(object, "customers")),
      basis_of(object, "mean_observed"),
      basis_of(object, "mean_expected")
    )
  )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_spend_frequency
#' @exportS3Method ggplot2::autoplot nubrek_spend_frequency
autoplot.nubrek_spend_frequency <- function(object, ...) {
  rlang::check_dots_empty()
  currency <- basis_of(object, "currency", "")
  data <- data.frame(
    place = seq_len(nrow(object)),
    mean = object$mean_spend,
    lower = pmax(0, object$lower),
    upper = object$upper,
    n = object$customers
  )
  ggplot2::ggplot(data, ggplot2::aes(.data$place, .data$mean)) +
    ggplot2::geom_hline(
      yintercept = sum(data$mean * data$n) / sum(data$n), colour = "#5d6a74", linetype = "42"
    ) +
    ggplot2::geom_linerange(
      ggplot2::aes(ymin = .data$lower, ymax = .data$upper),
      colour = palette_of[["petrol"]],
      linewidth = 1.6,
      alpha = 0.45,
      na.rm = TRUE
    ) +
    ggplot2::geom_point(colour = palette_of[["petrol"]], size = 3) +
    ggplot2::geom_text(
      ggplot2::aes(
        y = ifelse(is.na(.data$lower), .data$mean, .data$lower),
        label = format_money(.data$mean, currency, 2L)
      ),
      vjust = 2,
      size = 3.8,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_x_continuous(
      breaks = data$place,
      labels = paste0(object$repeats, "\n", format_count(data$n), "\u00a0customers"),
      expand = ggplot2::expansion(c(0.06, 0.12))
    ) +
    ggplot2::scale_y_continuous(
      limits = c(0, NA), labels = format_count, expand = ggplot2::expansion(c(0, 0.1))
    ) +
    figure_words(
      object,
      paste0(
        say("Mean amount of a repeat purchase by the number of repeat purchases, with "),
        present_share(basis_of(object, "level")),
        say(" interval; dashed: all customers")
      ),
      caption = paste0(
        "n = ", format_count(basis_of(object, "customers")),
        say(" customers with a repeat purchase.")
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank())
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_calibration
#' @exportS3Method ggplot2::autoplot nubrek_calibration
autoplot.nubrek_calibration <- function(object, ...) {
  rlang::check_dots_empty()
  n <- nrow(object)
  data <- data.frame(
    place = object$group,
    label = paste0(object$group, ifelse(
      object$group == 1L, "\nmost expected", ifelse(object$group == n, "\nleast", "")
    )),
    observed = object$actual,
    expected = object$expected
  )
  bars_and_model(
    data,
    object,
    say(
      paste0(
        "Purchases in the %s after %s, of customers in %d groups of equal size by what was ",
        "expected of them"
      ),
      n_of(round(basis_of(object, "weeks")), "week"),
      format_day(basis_of(object, "cut")),
      n
    ),
    say("n = %s customers known then.", format_count(sum(object$customers))),
    say("bar: purchases that came")
  )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_captured
#' @exportS3Method ggplot2::autoplot nubrek_captured
autoplot.nubrek_captured <- function(object, ...) {
  rlang::check_dots_empty()
  drawn <- captured_lines(object)
  ggplot2::ggplot(drawn$long, ggplot2::aes(
    .data$customers, .data$sales, colour = .data$method, linetype = .data$method
  )) +
    ggplot2::geom_vline(xintercept = drawn$at, colour = palette_of[["rule"]]) +
    ggplot2::geom_line(ggplot2::aes(linewidth = .data$method == drawn$model)) +
    ggplot2::annotate(
      "text",
      x = 0.55,
      y = 0.4,
      label = paste("at", present_share(drawn$at), say("of customers:")),
      hjust = 0,
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::geom_segment(data = drawn$key, ggplot2::aes(
      x = 0.55, xend = 0.6, y = .data$y, yend = .data$y, linewidth = .data$method == drawn$model
    )) +
    ggplot2::geom_text(
      data = drawn$key,
      ggplot2::aes(x = 0.61, y = .data$y, label = .data$label),
      hjust = 0,
      size = 4,
      colour = ifelse(drawn$key$method == drawn$model, palette_of[["petrol"]], palette_of[["ink"]]),
      fontface = ifelse(drawn$key$method == drawn$model, "bold", "plain")
    ) +
    ggplot2::scale_colour_manual(values = drawn$colours) +
    ggplot2::scale_linetype_manual(values = drawn$lines) +
    ggplot2::scale_linewidth_manual(values = c(`FALSE` = 0.7, `TRUE` = 1.3)) +
    ggplot2::scale_x_continuous(labels = present_share, expand = ggplot2::expansion(c(0, 0.02))) +
    ggplot2::scale_y_continuous(
      labels = present_share, limits = c(0, 1), expand = ggplot2::expansion(c(0, 0.02))
    ) +
    figure_words(object, say(
      paste0(
        "Share of customers, those first whom a method puts first, against their share of the ",
        "sales in the %s after %s"
      ),
      n_of(round(basis_of(object, "weeks")), "week"),
      format_day(basis_of(object, "cut"))
    )) +
    theme_nubrek()
}

# What is drawn: the share captured by each method.
captured_lines <- function(object) {
  model <- basis_of(object, "model")
  methods <- setdiff(names(object), "share_of_customers")
  long <- do.call(
    rbind,
    lapply(
      methods,
      \(m) data.frame(
        customers = c(0, object$share_of_customers), sales = c(0, pmin(1, object[[m]])), method = m
      )
    )
  )
  colours <- stats::setNames(rep("#8a949b", length(methods)), methods)
  colours[[model]] <- palette_of[["petrol"]]
  colours[["best"]] <- palette_of[["moss"]]
  words <- c(best = say("what could have been found"))
  lines <- stats::setNames(rep_len(c("42", "12", "4212"), length(methods)), methods)
  lines[c(model, "best")] <- "solid"
  place <- object$share_of_customers[which.min(abs(object$share_of_customers - 0.1))]
  # a key in the corner that no curve enters
  key <- data.frame(
    method = methods,
    sales = vapply(methods, \(m) object[[m]][object$share_of_customers == place], 0)
  )
  key <- key[order(-key$sales), ]
  key$y <- 0.4 - 0.06 * seq_len(nrow(key))
  key$label <- paste(
    ifelse(key$method %in% names(words), words[key$method], key$method), present_share(key$sales)
  )
  list(model = model, long = long, colours = colours, lines = lines, at = place, key = key)
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_season
#' @exportS3Method ggplot2::autoplot nubrek_season
autoplot.nubrek_season <- function(object, ...) {
  rlang::check_dots_empty()
  data <- data.frame(place = 1:12, index = object$index, lower = object$lower, upper = object$upper)
  ggplot2::ggplot(data, ggplot2::aes(.data$place, .data$index)) +
    ggplot2::geom_hline(yintercept = 1, colour = "#5d6a74", linetype = "42") +
    ggplot2::geom_line(colour = palette_of[["petrol"]], linewidth = 0.5) +
    ggplot2::geom_linerange(
      ggplot2::aes(ymin = .data$lower, ymax = .data$upper),
      colour = palette_of[["petrol"]],
      linewidth = 1.8,
      alpha = 0.4
    ) +
    ggplot2::geom_point(colour = palette_of[["petrol"]], size = 3) +
    ggplot2::geom_text(
      ggplot2::aes(
        y = ifelse(.data$index >= 1, .data$upper, .data$lower), label = fixed(.data$index, 2L)
      ),
      vjust = ifelse(data$index >= 1, -0.8, 1.8),
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_x_continuous(breaks = 1:12, labels = substr(object$month, 1L, 3L)) +
    ggplot2::scale_y_continuous(limits = c(0, NA), expand = ggplot2::expansion(c(0, 0.1))) +
    figure_words(object, say(paste0(
      "Repeat purchases by month of the year, 1 is an average month, with 95 % interval; trend ",
      "and growth of the customer base taken off"
    ))) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank())
}
