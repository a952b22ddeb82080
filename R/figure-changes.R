# What moved the numbers: the parts of each change beside each other.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_changes
#' @exportS3Method ggplot2::autoplot nubrek_changes
autoplot.nubrek_changes <- function(object, ...) {
  rlang::check_dots_empty()
  drawn <- change_bars(object)
  nothing_to_draw(nrow(drawn$parts) == 0L, object)
  ggplot2::ggplot(drawn$parts, ggplot2::aes(y = .data$label)) +
    ggplot2::geom_vline(xintercept = 0, colour = palette_of[["ink"]], linewidth = 0.4) +
    ggplot2::geom_segment(
      ggplot2::aes(
        x = .data$from, xend = .data$to, yend = .data$label, colour = .data$part
      ),
      linewidth = 6
    ) +
    ggplot2::geom_segment(
      data = drawn$whole,
      ggplot2::aes(x = .data$lower, xend = .data$upper, yend = .data$label),
      colour = palette_of[["ink"]],
      linewidth = 0.5,
      position = ggplot2::position_nudge(y = -0.28)
    ) +
    ggplot2::geom_text(
      data = drawn$whole,
      ggplot2::aes(x = .data$most, label = .data$text),
      hjust = 0,
      size = 3.8,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_colour_manual(values = change_colours, breaks = names(change_colours)) +
    ggplot2::scale_x_continuous(
      labels = \(v) present_share(v),
      limits = drawn$ends,
      expand = ggplot2::expansion(c(0.02, 0.3))
    ) +
    figure_words(
      object,
      say("Change of each number, percent of what it was, by its parts; thin: 95 % interval")
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      legend.position = "top",
      legend.justification = "left",
      legend.title = ggplot2::element_blank()
    )
}

# Parts from left to right, those down beside those up, in percent of the value before.
change_bars <- function(object) {
  rows <- plain_table(object)
  rows <- rows[is.na(rows$by) & !is.na(rows$change) & rows$before != 0, ]
  label <- change_label(rows$number)
  label <- factor(label, rev(label))
  parts <- rbindlist(lapply(seq_len(nrow(rows)), \(i) {
    x <- unlist(rows[i, c("definitions", "corrected", "time", "new_orders")]) / rows$before[[i]]
    x[is.na(x)] <- 0
    up <- cumsum(pmax(x, 0))
    down <- cumsum(pmin(x, 0))
    data.table(
      label = label[[i]],
      part = names(change_colours),
      from = ifelse(x > 0, up - x, down - x),
      to = ifelse(x > 0, up, down)
    )[x != 0]
  }))
  decimals <- ifelse(abs(rows$now) >= 1e4, 0L, basis_of(object, "decimals"))
  whole <- data.frame(
    label = label,
    lower = rows$lower / rows$before,
    upper = rows$upper / rows$before,
    text = paste0(
      change_text(rows$before, rows$kind, decimals), " \u2192 ",
      change_text(rows$now, rows$kind, decimals)
    )
  )
  ends <- range(0, parts$from, parts$to, whole$lower, whole$upper)
  whole$most <- ends[[2L]] + 0.03 * diff(ends)
  list(parts = as.data.frame(parts), whole = whole, ends = c(ends[[1L]], whole$most[[1L]]))
}
