# Does the model hold? What was seen is ink, what the model says is petrol.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_tracking
#' @exportS3Method ggplot2::autoplot nubrek_tracking
autoplot.nubrek_tracking <- function(object, ...) {
  rlang::check_dots_empty()
  drawn <- tracking_lines(object)
  ggplot2::ggplot(
    drawn$data, ggplot2::aes(.data$day, .data$purchases, colour = .data$what, linetype = .data$what)
  ) +
    event_marks(object) +
    ggplot2::geom_line(linewidth = 0.7) +
    (if (any(object$part == "after it")) until_line(drawn$until)) +
    ggplot2::geom_text(
      data = drawn$last,
      ggplot2::aes(
        label = paste0(" ", .data$what, " ", format_count(round(.data$purchases))),
        vjust = .data$lift
      ),
      hjust = 0,
      size = 4
    ) +
    ggplot2::facet_wrap(~panel, ncol = 1L, scales = "free_y") +
    ggplot2::scale_colour_manual(values = model_colours) +
    ggplot2::scale_linetype_manual(values = c(came = "solid", expected = "42")) +
    ggplot2::scale_x_date(date_labels = "%b %Y", expand = ggplot2::expansion(c(0.01, 0.2))) +
    ggplot2::scale_y_continuous(
      limits = c(0, NA), labels = format_count, expand = ggplot2::expansion(c(0, 0.12))
    ) +
    figure_words(
      object,
      say(paste0(
        "Purchase days after the first one of each customer; expected of customers acquired when ",
        "these were, without looking at what they bought later"
      )),
      marks = TRUE,
      caption = paste0(
        "n = ",
        format_count(basis_of(object, "customers")),
        say(" customers that "),
        basis_of(object, "model"),
        say(" was fitted to.")
      )
    ) +
    theme_nubrek() +
    panel_titles()
}

# The last day that a fit saw.
until_line <- function(until) {
  list(
    ggplot2::geom_vline(
      xintercept = until, colour = palette_of[["brick"]], linetype = "13", linewidth = 0.7
    ),
    ggplot2::geom_text(
      data = data.frame(day = until, panel = say("in each week")),
      ggplot2::aes(.data$day, Inf, label = paste0("the fit saw up to ", format_day(until), "  ")),
      inherit.aes = FALSE,
      hjust = 1,
      vjust = 1.4,
      size = 3.8,
      colour = palette_of[["brick"]]
    )
  )
}

# What is drawn: expected and counted, week by week and added up.
tracking_lines <- function(object) {
  until <- basis_of(object, "until")
  data <- rbind(
    data.frame(
      day = object$week_end, purchases = object$actual, what = "came", panel = say("in each week")
    ),
    data.frame(
      day = object$week_end, purchases = object$expected, what = "expected",
      panel = say("in each week")
    ),
    data.frame(
      day = object$week_end,
      purchases = object$actual_so_far,
      what = "came",
      panel = say("since the first customer")
    ),
    data.frame(
      day = object$week_end,
      purchases = object$expected_so_far,
      what = "expected",
      panel = say("since the first customer")
    )
  )
  last <- data[data$day == max(data$day) & data$panel == "since the first customer", ]
  high <- which.max(last$purchases)
  last$lift <- replace(rep(1.3, 2L), high, -0.3)
  list(until = until, data = data, last = last)
}

panel_titles <- function() {
  ggplot2::theme(
    strip.text = ggplot2::element_text(
      hjust = 0, face = "bold", size = ggplot2::rel(0.95), colour = palette_of[["ink"]]
    )
  )
}

# Bars of what was seen, a dash across each for the model, both numbers above.
bars_and_model <- function(data, object, shows, caption, bar = say("bar: customers seen")) {
  data$top <- pmax(data$observed, data$expected)
  high <- max(data$top)
  ggplot2::ggplot(data, ggplot2::aes(.data$place, .data$observed)) +
    ggplot2::geom_col(fill = palette_of[["rule"]], width = 0.7) +
    ggplot2::geom_segment(
      ggplot2::aes(
        x = .data$place - 0.42, xend = .data$place + 0.42, y = .data$expected, yend = .data$expected
      ),
      colour = model_colours[["expected"]],
      linewidth = 1.3
    ) +
    ggplot2::geom_text(
      ggplot2::aes(y = .data$top, label = format_count(.data$observed)),
      vjust = -0.5,
      size = 3.7,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::geom_text(
      ggplot2::aes(y = .data$top, label = format_count(round(.data$expected))),
      vjust = -1.9,
      size = 3.7,
      colour = model_colours[["expected"]]
    ) +
    ggplot2::annotate(
      "text",
      x = nrow(data) + 0.4,
      y = high,
      label = bar,
      hjust = 1,
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::annotate(
      "text",
      x = nrow(data) + 0.4,
      y = 0.94 * high,
      label = say("dash: expected by the model"),
      hjust = 1,
      size = 4,
      colour = model_colours[["expected"]]
    ) +
    ggplot2::scale_x_continuous(
      breaks = data$place, labels = data$label, expand = ggplot2::expansion(c(0.02, 0.02))
    ) +
    ggplot2::scale_y_continuous(labels = format_count, expand = ggplot2::expansion(c(0, 0.2))) +
    figure_words(object, shows, caption = caption) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank())
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_expected
#' @exportS3Method ggplot2::autoplot nubrek_expected
autoplot.nubrek_expected <- function(object, ...) {
  rlang::check_dots_empty()
  data <- data.frame(
    place = seq_len(nrow(object)),
    label = sub(" or more", "+", object$repeats),
    observed = object$observed,
    expected = object$expected
  )
  bars_and_model(
    data,
    object,
    say("Customers by the number of purchase days after their first"),
    say(
      "n = %s customers. Chi-squared %.1f on %d degrees of freedom%s.",
      format_count(sum(object$observed)),
      basis_of(object, "chi_squared"),
      as.integer(basis_of(object, "freedom")),
      {
        p <- basis_of(object, "p")
        if (is.na(p)) "" else if (p < 0.001) ", p < 0.001" else paste0(", p = ", fixed(p, 3L))
      }
    )
  )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_spread
#' @exportS3Method ggplot2::autoplot nubrek_spread
autoplot.nubrek_spread <- function(object, ...) {
  rlang::check_dots_empty()
  bands <- attr(object, "bands")
  words <- c(
    purchases_a_year = say("purchases a year while they stay"),
    buying_chance = say("chance of buying at an occasion"),
    stay_years = say("years they stay on average"),
    leaving_chance = purchase_models()[[basis_of(object, "model")]]$leaving_told$axis
  )
  chance <- grepl("chance", bands$of)
  writer <- \(x, share) ifelse(share, paste0(100 * x, "\u00a0%"), format_short(x))
  bands$label <- ifelse(is.infinite(bands$to), paste(writer(bands$from, chance), "or more"), ifelse(
    bands$from == 0,
    paste("below", writer(bands$to, chance)),
    paste(writer(bands$from, chance), "to", writer(bands$to, chance))
  ))
  bands$place <- stats::ave(seq_along(bands$of), bands$of, FUN = seq_along)
  bands$panel <- factor(words[bands$of], words)
  ggplot2::ggplot(bands, ggplot2::aes(
    .data$share, stats::reorder(paste(.data$of, .data$place, .data$label, sep = "|"), -.data$place)
  )) +
    ggplot2::geom_col(fill = palette_of[["petrol"]], width = 0.75) +
    ggplot2::geom_text(
      ggplot2::aes(label = present_share(.data$share)),
      hjust = -0.15,
      size = 3.8,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::facet_wrap(~panel, scales = "free_y") +
    ggplot2::scale_y_discrete(labels = \(x) sub(".*[|]", "", x)) +
    ggplot2::scale_x_continuous(labels = NULL, expand = ggplot2::expansion(c(0, 0.18))) +
    figure_words(object, say("Share of customers, by the fitted model"), caption = paste0(
      "By ",
      basis_of(object, "model"),
      if (isTRUE(basis_of(object, "base"))) say(", of the base group"),
      say(". The two are independent in the model.")
    )) +
    theme_nubrek() +
    panel_titles() +
    ggplot2::theme(panel.grid.major = ggplot2::element_blank())
}

format_short <- function(x) {
  format(x, trim = TRUE, drop0trailing = TRUE, digits = 3L, scientific = FALSE) |>
    vapply(identity, "")
}
