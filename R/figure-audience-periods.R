# Audiences over time.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_audience_periods
#' @exportS3Method ggplot2::autoplot nubrek_audience_periods
autoplot.nubrek_audience_periods <- function(object, ...) {
  rlang::check_dots_empty()
  called <- basis_of(object, "names")
  if (length(called) > length(strip_colours) + 1L) {
    abort_nubrek("At most six audiences are drawn side by side.", "argument")
  }
  rows <- plain_table(object)
  rows <- rows[!rows$partial & rows$known >= 10L, ]
  nothing_to_draw(nrow(rows) == 0L, object)
  money <- say("sales per customer, %s", basis_of(object, "currency"))
  drawn <- rbind(
    data.frame(rows[c("who", "period")], panel = say("share who bought"),
      value = rows$active_share),
    data.frame(rows[c("who", "period")], panel = money, value = rows$sales_per_customer)
  )
  drawn$panel <- factor(drawn$panel, c("share who bought", money))
  drawn$who <- factor(drawn$who, called)
  tones <- c(unname(strip_colours)[seq_len(length(called) - 1L)], "#8d97a0")
  ends <- drawn[drawn$period == max(drawn$period), ]
  ends <- do.call(rbind, lapply(split(ends, ends$panel), apart_labels, drawn))
  ggplot2::ggplot(drawn, ggplot2::aes(.data$period, .data$value, colour = .data$who)) +
    event_marks(object) +
    ggplot2::geom_line(linewidth = 0.9) +
    ggplot2::geom_text(
      data = ends,
      ggplot2::aes(y = .data$place, label = .data$who),
      hjust = 0,
      nudge_x = 0.01 * as.double(diff(range(drawn$period))),
      size = 3.8
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1L, scales = "free_y") +
    ggplot2::scale_colour_manual(values = tones) +
    ggplot2::scale_x_date(
      breaks = \(lim) Filter(\(day) day <= max(drawn$period), pretty(range(drawn$period), 6L)),
      labels = \(day) format(day, "%Y-%m"),
      expand = ggplot2::expansion(c(0.01, 0.26))
    ) +
    ggplot2::scale_y_continuous(
      limits = c(0, NA),
      labels = \(v) if (max(v, na.rm = TRUE) <= 1) present_share(v) else number_text(v),
      expand = ggplot2::expansion(c(0, 0.06))
    ) +
    figure_words(
      object,
      say("By %s, of those who had bought before it began", basis_of(object, "clock")),
      marks = TRUE,
      caption = say(paste0(
        "Complete periods with ten such customers or more. Who is chosen for what he did stands ",
        "out while he did it; only what comes after the choice tells of the audience."
      ))
    ) +
    theme_nubrek() +
    ggplot2::theme(strip.text = ggplot2::element_text(hjust = 0, face = "bold"))
}

# Labels at the ends of lines, moved apart where they would touch.
apart_labels <- function(ends, drawn) {
  least <- max(drawn$value[drawn$panel == ends$panel[[1L]]], na.rm = TRUE) * 0.075
  ends <- ends[order(ends$value), ]
  ends$place <- ends$value
  for (i in seq_len(nrow(ends))[-1L]) {
    ends$place[[i]] <- max(ends$place[[i]], ends$place[[i - 1L]] + least)
  }
  ends
}
