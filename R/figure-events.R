# Events: marked on figures by the calendar, and figures of their own.

# Those within the time of a result, with a letter for each name.
events_within <- function(object) {
  events <- basis_of(object, "events", NULL)
  if (is.null(events)) return(NULL)
  events <- events[
    events$from <= basis_of(object, "as_of") & events$until >= basis_of(object, "history_start"),
  ]
  if (nrow(events) == 0L) return(NULL)
  events$letter <- LETTERS[(match(events$event, unique(events$event)) - 1L) %% 26L + 1L]
  events
}

# Strips over the days of the events, their letters above; a list of layers, empty without events.
event_marks <- function(object) {
  events <- events_within(object)
  if (is.null(events)) return(list())
  list(
    ggplot2::geom_rect(
      ggplot2::aes(xmin = .data$from, xmax = .data$until + 1, ymin = -Inf, ymax = Inf),
      data = events,
      inherit.aes = FALSE,
      fill = palette_of[["ochre"]],
      alpha = 0.18
    ),
    ggplot2::geom_text(
      ggplot2::aes(.data$from + (.data$until - .data$from) / 2, Inf, label = .data$letter),
      data = events,
      inherit.aes = FALSE,
      vjust = 1.3,
      size = 3.4,
      colour = palette_of[["ink"]]
    )
  )
}

event_words <- function(object) {
  events <- events_within(object)
  if (is.null(events)) return(NULL)
  named <- !duplicated(events$event)
  say("Events: %s.", paste(
    events$letter[named], seen_text(events$event[named]), collapse = ", "
  ))
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_event_sales
#' @exportS3Method ggplot2::autoplot nubrek_event_sales
autoplot.nubrek_event_sales <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- rows[!is.na(rows$usual), ]
  nothing_to_draw(nrow(rows) == 0L, object)
  rows <- utils::tail(rows, 15L)
  label <- paste(seen_text(rows$event), format(rows$from, "%Y-%m-%d"))
  rows$label <- factor(label, rev(unique(label)))
  money <- \(v) number_text(round(v))
  ggplot2::ggplot(rows, ggplot2::aes(y = .data$label)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$usual_lower, xend = .data$usual_upper, yend = .data$label),
      colour = palette_of[["ochre"]],
      alpha = 0.5,
      linewidth = 5
    ) +
    ggplot2::geom_point(ggplot2::aes(.data$sales), colour = palette_of[["petrol"]], size = 3.6) +
    ggplot2::geom_text(
      ggplot2::aes(.data$sales, label = money(.data$sales)),
      vjust = -1,
      size = 3.8,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_x_continuous(
      labels = money, limits = c(0, NA), expand = ggplot2::expansion(c(0.01, 0.08))
    ) +
    ggplot2::scale_y_discrete(expand = ggplot2::expansion(add = c(0.5, 0.7))) +
    figure_words(
      object,
      say("Sales in the days of each event; bar: what such days usually sell, 95 % of the time")
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_event_cohorts
#' @exportS3Method ggplot2::autoplot nubrek_event_cohorts
autoplot.nubrek_event_cohorts <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- rows[!is.na(rows$share), ]
  nothing_to_draw(nrow(rows) == 0L, object)
  rows$label <- factor(seen_text(rows$event), rev(unique(seen_text(rows$event))))
  words <- c(
    inside = say("acquired during the event"), beside = say("acquired beside it"),
    `years before` = say("acquired in earlier years")
  )
  rows$won <- factor(words[rows$won], words)
  rows$y <- as.integer(rows$label) + ifelse(rows$won == words[[1L]], 0.12, -0.12)
  ggplot2::ggplot(rows, ggplot2::aes(.data$share, .data$y, colour = .data$won)) +
    ggplot2::geom_linerange(
      ggplot2::aes(xmin = .data$lower, xmax = .data$upper), linewidth = 2.4, alpha = 0.5,
      na.rm = TRUE
    ) +
    ggplot2::geom_point(size = 3) +
    ggplot2::scale_y_continuous(
      breaks = seq_along(levels(rows$label)), labels = levels(rows$label),
      expand = ggplot2::expansion(add = 0.5)
    ) +
    ggplot2::scale_colour_manual(
      values = stats::setNames(palette_of[c("ochre", "petrol", "moss")], words)
    ) +
    ggplot2::scale_x_continuous(labels = \(v) present_share(v)) +
    figure_words(
      object,
      say("Share back within %s; bar: 95 %% interval", n_of(basis_of(object, "within"), "day")),
      caption = say(
        "Beside: first purchase in the four weeks before or after. Holidays: against themselves."
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), legend.position = "top",
      legend.justification = "left", legend.title = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(size = 12)
    )
}
