# Campaigns: what can be seen, and what was.

# The smallest effect that can be seen, by the share held back, beside what is assumed.
#' @rdname autoplot.nubrek
#' @method autoplot nubrek_plan
#' @exportS3Method ggplot2::autoplot nubrek_plan
autoplot.nubrek_plan <- function(object, ...) {
  rlang::check_dots_empty()
  n <- basis_of(object, "customers")
  noise <- basis_of(object, "spread") * sqrt(1 - basis_of(object, "explained"))
  reach <- (stats::qnorm(0.975) + stats::qnorm(basis_of(object, "power"))) * noise
  share <- seq(0.02, 0.6, by = 0.005)
  normal <- \(share) reach * sqrt(1 / (n * share) + 1 / (n * (1 - share)))
  asked <- data.frame(share = object$control_share, seen = object$detectable)
  # between the shares that were worked out the curve is as far from that of normal means as there
  off <- asked$seen / normal(asked$share)
  if (nrow(asked) > 1L) off <- stats::approx(log(asked$share), off, log(share), rule = 2)$y
  curve <- data.frame(share, seen = normal(share) * off)
  asked$label <- paste0(four_digits(asked$seen), "  (", format_count(object$held_back), ")")
  expected <- abs(object$expected[[1L]])
  lines <- data.frame(
    y = c(expected, object$break_even[[1L]]),
    label = c("assumed effect", say("pays for the contacts")),
    tone = c(palette_of[["ochre"]], palette_of[["moss"]])
  )
  lines <- lines[is.finite(lines$y) & lines$y > 0, ]
  ggplot2::ggplot(curve, ggplot2::aes(.data$share, .data$seen)) +
    ggplot2::geom_hline(
      data = lines, ggplot2::aes(yintercept = .data$y, colour = .data$tone), linewidth = 0.9
    ) +
    ggplot2::geom_text(
      data = lines,
      ggplot2::aes(x = 0.615, y = .data$y, label = .data$label, colour = .data$tone),
      hjust = 0,
      vjust = -0.6,
      size = 3.9
    ) +
    ggplot2::geom_line(colour = palette_of[["petrol"]], linewidth = 1.1) +
    ggplot2::geom_point(data = asked, colour = palette_of[["petrol"]], size = 3) +
    ggplot2::geom_text(
      data = asked, ggplot2::aes(label = .data$label), vjust = -1.1, hjust = 0.1, size = 3.8
    ) +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(
      labels = \(v) present_share(v), breaks = seq(0, 0.6, 0.1), limits = c(0, 0.78)
    ) +
    ggplot2::scale_y_continuous(
      limits = c(0, max(asked$seen, lines$y) * 1.15),
      oob = scales::oob_keep,
      expand = ggplot2::expansion(c(0, 0.02))
    ) +
    ggplot2::coord_cartesian(ylim = c(0, max(asked$seen, lines$y) * 1.15)) +
    figure_words(
      object,
      say(
        "The smallest effect on %s per customer to be seen in %s days, by the share held back",
        gsub("_", " ", basis_of(object, "outcome")),
        basis_of(object, "days")
      ),
      caption = say(
        "%s customers; beside a point the effect, and how many are held back.", format_count(n)
      )
    ) +
    theme_nubrek()
}

# The effect of each outcome by what those held back did, then on sales week by week.
#' @rdname autoplot.nubrek
#' @method autoplot nubrek_effect
#' @exportS3Method ggplot2::autoplot nubrek_effect
autoplot.nubrek_effect <- function(object, ...) {
  rlang::check_dots_empty()
  course <- attr(object, "course")
  course <- rbind(
    data.frame(outcome = c("purchases", "sales"), days = 0, effect = 0, lower = 0, upper = 0),
    course
  )
  words <- c(
    purchases = say("purchases per contacted customer"),
    sales = say("sales per contacted customer, %s", basis_of(object, "currency"))
  )
  course$panel <- factor(words[course$outcome], words[c("sales", "purchases")])
  ends <- course[course$days == max(course$days), ]
  ends$label <- paste0(
    signed(ends$effect), "\n", signed(ends$lower), " to ", signed(ends$upper)
  )
  ggplot2::ggplot(course, ggplot2::aes(.data$days, .data$effect)) +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$lower, ymax = .data$upper),
      fill = palette_of[["petrol"]],
      alpha = 0.18
    ) +
    ggplot2::geom_hline(yintercept = 0, colour = palette_of[["ink"]], linewidth = 0.4) +
    ggplot2::geom_line(colour = palette_of[["petrol"]], linewidth = 1.1) +
    ggplot2::geom_text(
      data = ends,
      ggplot2::aes(label = .data$label),
      hjust = 0,
      nudge_x = max(course$days) * 0.015,
      size = 3.8,
      lineheight = 0.95
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1L, scales = "free_y") +
    ggplot2::scale_x_continuous(
      breaks = Filter(\(day) day <= max(course$days), pretty(course$days, 6L)),
      expand = ggplot2::expansion(c(0, 0.2))
    ) +
    figure_words(
      object,
      if (is_running(object)) {
        say(
          paste0(
            "Day %s of %s: difference between contacted customers and the control group, with an ",
            "interval that allows for a check every day"
          ),
          basis_of(object, "days"), basis_of(object, "wanted")
        )
      } else {
        say(
          paste0(
            "Difference between contacted customers and the control group since %s, with 95 %% ",
            "interval"
          ),
          format_day(basis_of(object, "day"))
        )
      },
      caption = paste0(
        say(
          "Adjusted for the same number of days before the contact; everybody as drawn, reached or "
        ),
        say("not. "), net_words(object)
      )
    ) +
    ggplot2::xlab(say("days since the contact")) +
    theme_nubrek() +
    ggplot2::theme(strip.text = ggplot2::element_text(hjust = 0, face = "bold"))
}

# What customers of a target did before they were chosen, and after it by themselves.
#' @rdname autoplot.nubrek
#' @method autoplot nubrek_targets
#' @exportS3Method ggplot2::autoplot nubrek_targets
autoplot.nubrek_targets <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- rows[!is.na(rows$after), ]
  nothing_to_draw(nrow(rows) == 0L, object)
  name <- paste0(seen_text(rows$target), "\n", format_count(rows$customers), say(" today"))
  rows$name <- factor(name, rev(name))
  points <- rbind(
    data.frame(name = rows$name, x = rows$before, when = say("before they are chosen")),
    data.frame(name = rows$name, x = rows$after, when = say("after, without a campaign"))
  )
  rows$label <- paste0(
    ifelse(rows$by_itself < 0, "\u2212", "+"), four_digits(abs(rows$by_itself))
  )
  ggplot2::ggplot(rows) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$before, xend = .data$after, y = .data$name, yend = .data$name),
      colour = palette_of[["ink"]],
      linewidth = 0.8,
      arrow = ggplot2::arrow(length = ggplot2::unit(7, "pt"), type = "closed")
    ) +
    ggplot2::geom_point(
      data = points[points$when == "before they are chosen", ],
      ggplot2::aes(.data$x, .data$name),
      colour = palette_of[["ochre"]],
      size = 4
    ) +
    ggplot2::geom_text(
      ggplot2::aes(x = pmax(.data$before, .data$after), y = .data$name, label = .data$label),
      hjust = 0,
      nudge_x = max(points$x) * 0.02,
      size = 4
    ) +
    ggplot2::scale_x_continuous(
      limits = c(0, max(points$x) * 1.12), expand = ggplot2::expansion(c(0.02, 0))
    ) +
    figure_words(
      object,
      say(
        "Purchases a customer in %s days: from the point, before they are chosen, to after it",
        basis_of(object, "days")
      ),
      caption = say(paste0(
        "Of customers who met the same rule in the past, without a campaign: what a comparison of ",
        "before and after would credit one with."
      ))
    ) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

# The effect of every campaign with its interval, the latest first.
#' @rdname autoplot.nubrek
#' @method autoplot nubrek_campaigns
#' @exportS3Method ggplot2::autoplot nubrek_campaigns
autoplot.nubrek_campaigns <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- rows[!is.na(rows$effect), ]
  nothing_to_draw(nrow(rows) == 0L, object)
  name <- paste0(
    seen_text(rows$campaign), ifelse(nzchar(rows$offer), paste0(", ", seen_text(rows$offer)), ""),
    "\n", format_day(rows$day)
  )
  rows$name <- factor(name, rev(unique(name)))
  rows$label <- paste0(
    signed(rows$effect), ifelse(
      is.na(rows$chance_paid), "",
      paste0(say("; chance that it paid "), present_share(rows$chance_paid))
    )
  )
  ggplot2::ggplot(rows, ggplot2::aes(.data$effect, .data$name)) +
    ggplot2::geom_vline(xintercept = 0, colour = palette_of[["ink"]], linewidth = 0.4) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$lower, xend = .data$upper, yend = .data$name),
      colour = palette_of[["petrol"]],
      linewidth = 1.4,
      alpha = 0.5
    ) +
    ggplot2::geom_point(colour = palette_of[["petrol"]], size = 3.6) +
    ggplot2::geom_text(ggplot2::aes(label = .data$label), vjust = -1.1, size = 3.9) +
    figure_words(
      object,
      say(
        "Effect on %s per contacted customer, with its %s interval",
        gsub("_", " ", basis_of(object, "outcome")),
        present_share(basis_of(object, "level"))
      ),
      caption = say("Adjusted for what was done before; everybody as drawn, reached or not.")
    ) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}
