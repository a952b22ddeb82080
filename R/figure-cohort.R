#' @rdname autoplot.nubrek
#' @export
autoplot.nubrek_grid <- function(object, ..., measure = "retention") autoplot(grid_measure(object, measure), ...)

#' @rdname autoplot.nubrek
#' @export
autoplot.nubrek_measure <- function(object, ...) {
  rlang::check_dots_empty()
  clock <- basis_of(object, "clock")
  share <- identical(basis_of(object, "measure"), "retention")
  data <- plain_table(object)
  cohorts <- sort(unique(data$cohort))
  cohorts <- utils::tail(cohorts, 36L)
  data <- data[data$cohort %in% cohorts, ]
  label <- paste0(period_label(cohorts, clock), ifelse(data$older[match(cohorts, data$cohort)], " \u2020", ""), "  (", format_count(data$size[match(cohorts, data$cohort)]), ")")
  bottom <- bottom_lines(object)
  if (!share) bottom <- bottom[0L, ]
  data <- rbind(data.frame(row = label[match(data$cohort, cohorts)], data[c("age", "value", "complete")]),
                data.frame(row = bottom$line, age = bottom$age, value = bottom$value, complete = rep(TRUE, nrow(bottom))))
  data$row <- factor(data$row, rev(c(label, unique(bottom$line))))
  # at age 0 everybody is active; the ramp serves the ages after it
  ramp <- data$age > 0L | !share
  top <- max(data$value[ramp], 1e-9, na.rm = TRUE)
  data$fill <- ifelse(ramp & !is.na(data$value), grid_fill(data$value / top), "#efe9dd")
  data$text <- if (share) formatC(100 * data$value, format = "f", digits = 0L) else formatC(round(data$value), format = "f", digits = 0L, big.mark = "\u202f")
  data$ink <- ink_on(data$fill)
  size <- min(3.6, 96 / length(unique(data$row)), 120 / (max(data$age) + 1))
  partial <- data[!data$complete, ]
  ggplot2::ggplot(data, ggplot2::aes(.data$age, .data$row)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$fill), width = 0.96, height = 0.92) +
    ggplot2::geom_tile(data = partial, fill = NA, colour = palette_of[["brick"]], linetype = "22", linewidth = 0.4, width = 0.9, height = 0.84) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text, colour = .data$ink), size = max(2.2, size)) +
    ggplot2::scale_fill_identity() + ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(position = "top", breaks = \(lim) seq(0, floor(lim[[2L]]), by = if (lim[[2L]] > 18) 3 else 1), expand = ggplot2::expansion(0.005)) +
    figure_words(object, paste0(if (share) "Percent of each cohort that bought" else grid_measures[[basis_of(object, "measure")]]$label,
                                ", by ", clock, "s since the first purchase; cohort size in brackets"),
                 caption = "Dashed: period observed in part. \u2020 may hold older customers. Empty: not observed.") +
    theme_nubrek(12) + ggplot2::theme(panel.grid.major = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(hjust = 0, size = 9))
}
