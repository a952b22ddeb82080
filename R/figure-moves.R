# Figures of who moved, and who will stay.

#' @method autoplot nubrek_moves
#' @exportS3Method ggplot2::autoplot nubrek_moves
autoplot.nubrek_moves <- function(object, ..., step = NULL, noise = NULL) {
  rlang::check_dots_empty()
  drawn <- moves_drawn(object, step, noise)
  ggplot2::ggplot(drawn$data, ggplot2::aes(.data$x, .data$y)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$fill), width = 0.97, height = 0.94) +
    ggplot2::geom_tile(
      data = drawn$stays,
      fill = NA,
      colour = palette_of[["ink"]],
      linewidth = 0.7,
      width = 0.95,
      height = 0.9
    ) +
    ggplot2::geom_text(
      ggplot2::aes(label = .data$text, colour = ink_on(.data$fill)), size = 4, lineheight = 1
    ) +
    ggplot2::scale_fill_identity() +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(
      position = "top",
      breaks = sort(unique(drawn$data$x)),
      labels = paste0(drawn$places$to, "\n", format_count(as.integer(drawn$column_total))),
      expand = ggplot2::expansion(0.01)
    ) +
    ggplot2::scale_y_reverse(
      breaks = sort(unique(drawn$data$y)),
      labels = paste0(drawn$places$from, "\n", format_count(as.integer(drawn$row_total))),
      expand = ggplot2::expansion(0.01)
    ) +
    figure_words(
      object,
      say(
        "From (rows) to (columns), %s: customers, percent of the row, change of their sales in %s",
        drawn$step,
        basis_of(object, "currency")
      ),
      title = if (is.null(noise)) describe(object)$finding else describe(noise)$finding,
      caption = paste0(
        say("Framed: stayed. "),
        if (!is.null(noise)) say("\u25b2 more, \u25bc fewer than by chance. ")
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major = ggplot2::element_blank(), axis.text = ggplot2::element_text(size = 12)
    )
}

# What is drawn: cells with their sums, and the labels.
moves_drawn <- function(object, step, noise) {
  steps <- basis_of(object, "steps")
  step <- step %||% steps[[length(steps)]]
  check_choice(step, steps, call = rlang::caller_env())
  data <- plain_table(object)[object$step == step, ]
  places <- move_places(basis_of(object, "labels"))
  row_total <- tapply(data$customers, factor(data$from, places$from), sum)
  column_total <- tapply(data$customers, factor(data$to, places$to), sum)
  data$x <- match(data$to, places$to) + 0.35 * (data$to == "absent")
  data$y <- match(data$from, places$from) +
    0.35 * (match(data$from, places$from) > length(basis_of(object, "labels")))
  data$fill <- ifelse(
    data$customers > 0L,
    grid_fill(data$share_of_from / max(data$share_of_from, 1e-9, na.rm = TRUE)),
    "#efe9dd"
  )
  mark <- if (!is.null(noise)) {
    noise$verdict[match(paste(data$from, data$to), paste(noise$from, noise$to))]
  }
  marks <- if (is.null(mark)) {
    ""
  } else {
    ifelse(mark %in% "more", " \u25b2", ifelse(mark %in% "fewer", " \u25bc", ""))
  }
  money <- ifelse(data$change >= 0, "+", "\u2212")
  data$text <- ifelse(data$customers == 0L, "0", paste0(
    format_count(data$customers),
    marks,
    "  (",
    present_share(data$share_of_from),
    ")\n",
    money,
    written(abs(round(data$change)), format = "d", big.mark = "\u202f")
  ))
  stays <- data[data$from == data$to, ]
  list(
    step = step, data = data, places = places, row_total = row_total, column_total = column_total,
    stays = stays
  )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_outlook
#' @exportS3Method ggplot2::autoplot nubrek_outlook
autoplot.nubrek_outlook <- function(object, ...) {
  rlang::check_dots_empty()
  total <- attr(object, "total")
  data <- rbind(
    data.frame(tier = total$tier, what = "now", n = total$now),
    data.frame(tier = total$tier, what = "expected", n = total$expected)
  )
  data$tier <- factor(data$tier, rev(total$tier))
  data$what <- factor(data$what, c("expected", "now"))
  ggplot2::ggplot(data, ggplot2::aes(.data$n, .data$tier, fill = .data$what)) +
    ggplot2::geom_col(position = ggplot2::position_dodge(0.75), width = 0.68) +
    ggplot2::geom_text(
      ggplot2::aes(label = paste(format_count(round(.data$n)), .data$what)),
      position = ggplot2::position_dodge(0.75),
      hjust = -0.05,
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_fill_manual(values = c(now = palette_of[["petrol"]], expected = "#9cc0c2")) +
    ggplot2::scale_x_continuous(
      labels = format_count, limits = c(0, max(data$n) * 1.2), expand = ggplot2::expansion(0)
    ) +
    figure_words(object, say(
      "Customers by tier now, and expected over the next %s at the same limits",
      n_of(round(basis_of(object, "years"), 2), "year")
    )) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 13)
    )
}
