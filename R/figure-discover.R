# Groups beside everybody: as they were found, and as they were judged.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_groups
#' @exportS3Method ggplot2::autoplot nubrek_groups
autoplot.nubrek_groups <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- plain_table(object)
  rows <- utils::head(rows[!is.na(rows$mean), ], most_groups)
  nothing_to_draw(nrow(rows) == 0L, object)
  yes <- basis_of(object, "yes")
  name <- group_labels(rows)
  rows$name <- factor(name, rev(unique(name)))
  rows$pale <- ifelse(rows$confirmed, 1, 0.35)
  half <- (rows$upper - rows$lower) / 2
  number <- \(v) if (yes) present_share(v) else four_digits(v)
  ggplot2::ggplot(rows, ggplot2::aes(y = .data$name)) +
    ggplot2::geom_vline(
      xintercept = basis_of(object, "everybody"), colour = palette_of[["ink"]], linewidth = 0.5
    ) +
    ggplot2::geom_segment(
      ggplot2::aes(
        x = .data$mean - half, xend = .data$mean + half, yend = .data$name, alpha = 0.6 * .data$pale
      ),
      colour = palette_of[["petrol"]],
      linewidth = 1.3
    ) +
    ggplot2::geom_point(
      ggplot2::aes(x = .data$mean_found), colour = palette_of[["ochre"]], shape = 1, size = 3.4,
      stroke = 1.1
    ) +
    ggplot2::geom_point(
      ggplot2::aes(x = .data$mean, alpha = .data$pale), colour = palette_of[["petrol"]], size = 3.6
    ) +
    ggplot2::scale_alpha_identity() +
    ggplot2::scale_x_continuous(labels = \(v) if (yes) present_share(v) else format(v)) +
    figure_words(
      object,
      say(
        "%s of each group: ring where it was found, point with interval where it was judged",
        seen_text(basis_of(object, "target"))
      ),
      caption = say(
        "The line is everybody: %s. Pale: not confirmed. Customers in brackets.",
        number(basis_of(object, "everybody"))
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(size = 11, lineheight = 0.95)
    )
}

most_groups <- 8L

group_labels <- function(rows) {
  vapply(paste0(seen_text(rows$words), " (", format_count(rows$customers), ")"), \(text) {
    paste(strwrap(text, 50L), collapse = "\n")
  }, "", USE.NAMES = FALSE)
}

# Room for every line of the labels.
groups_height <- function(x) {
  rows <- utils::head(plain_table(x), most_groups)
  if (nrow(rows) == 0L) return(3)
  2.6 + sum(pmax(0.42, 0.1 + 0.2 * lengths(strsplit(group_labels(rows), "\n"))))
}
