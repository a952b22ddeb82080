# What an acquired customer brings, by age, observed and forecast, against the cost.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_worth
#' @exportS3Method ggplot2::autoplot nubrek_worth
autoplot.nubrek_worth <- function(object, ...) {
  rlang::check_dots_empty()
  grouped_by <- basis_of(object, "by")
  clock <- basis_of(object, "clock")
  nothing_to_draw(all(object$older), object)
  known <- basis_of(object, "money") != "sales"
  data <- worth_courses(object, grouped_by, known)
  tone <- money_tone(known)
  figure <- ggplot2::ggplot(data$course, ggplot2::aes(.data$age, .data$value)) +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$lower, ymax = .data$upper), fill = tone, alpha = 0.25, na.rm = TRUE
    ) +
    ggplot2::geom_line(colour = grDevices::adjustcolor(tone, 0.55), linewidth = 1.1) +
    ggplot2::geom_line(data = data$course[data$course$mostly, ], colour = tone, linewidth = 1.2) +
    cost_line() +
    cost_words(
      data$last, data$last$age, if (any(data$last$value < data$last$cost * 1.15)) -0.7 else 1.5
    ) +
    observed_border(data$course) +
    crossed_points(data$crossed, tone) +
    crossed_words(data$crossed, grouped_by, say("paid back at age %d  "), 1, -0.6) +
    ggplot2::scale_x_continuous(
      breaks = \(lim) unique(round(pretty(c(0, lim[[2L]]), 6))),
      expand = ggplot2::expansion(c(0.02, 0.02))
    ) +
    ggplot2::scale_y_continuous(limits = c(0, NA), expand = ggplot2::expansion(c(0, 0.08))) +
    worth_words(object, grouped_by, known, data$groups) +
    ggplot2::xlab(paste0(say("age in "), clock, "s")) +
    theme_nubrek() +
    ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12))
  if (length(grouped_by) == 0L) figure else figure + ggplot2::facet_wrap(~group) + panel_titles()
}

# What is drawn: the course of each group, where it reaches the cost, and its end.
worth_courses <- function(object, by, known) {
  course <- worth_course(object)
  course$group <- row_group(course, by)
  groups <- largest_groups(course)
  course <- course[course$group %in% groups$shown, ]
  crossed <- if (known) first_crossed(course)
  if (length(by) > 0L) {
    strips <- payback_strips(groups$shown, crossed, known && !all(is.na(course$cost)))
    course <- in_strips(course, groups$shown, strips)
    crossed <- in_strips(crossed, groups$shown, strips)
  }
  course$mostly <- course$observed >= 0.5
  last <- do.call(rbind, lapply(split(course, course$group, drop = TRUE), utils::tail, 1L))
  last <- last[!is.na(last$cost), ]
  if (length(by) > 0L) last <- utils::head(last, 1L)
  last$label <- if (length(by) > 0L) {
    rep("acquisition cost", nrow(last))
  } else {
    paste("acquisition cost", format_money(last$cost, basis_of(object, "currency"), 2L))[seq_len(
      nrow(last)
    )]
  }
  list(course = course, crossed = crossed, last = last, groups = groups)
}

# Between the ages mostly observed and those mostly forecast.
observed_border <- function(course) {
  border <- do.call(
    rbind,
    lapply(split(course, course$group, drop = TRUE), \(one) {
      if (any(!one$mostly) && any(one$mostly)) {
        data.frame(group = one$group[[1L]], age = max(one$age[one$mostly]) + 0.5)
      }
    })
  )
  if (NROW(border) == 0L) return(NULL)
  ggplot2::geom_vline(
    data = border,
    ggplot2::aes(xintercept = .data$age),
    colour = palette_of[["rule"]],
    linewidth = 0.8
  )
}

worth_words <- function(object, by, known, groups) {
  figure_words(
    object,
    say(
      paste0(
        "Cumulative %s per acquired customer (undiscounted, with %s interval) against the ",
        "acquisition cost, by age in %ss"
      ),
      if (known) "margin" else "net sales (not margin)",
      present_share(basis_of(object, "level", NULL) %||% 0.95),
      basis_of(object, "clock")
    ),
    caption = paste0(
      say(
        "The newest cohorts, those of a year, as far as all of them reach. Strong: observed for "
      ),
      say("most of the customers; light: mostly forecast."),
      if (length(by) > 0L && known) say(" Beside the name: the age at payback."),
      largest_words(groups)
    )
  )
}
