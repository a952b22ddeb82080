# What a customer won today is worth, by group.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_value_by
#' @exportS3Method ggplot2::autoplot nubrek_value_by
autoplot.nubrek_value_by <- function(object, ...) {
  rlang::check_dots_empty()
  drawn <- value_panels(object)
  ggplot2::ggplot(drawn$long, ggplot2::aes(.data$x, .data$place)) +
    ggplot2::geom_blank(data = drawn$room) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$panel, alpha = .data$clear), width = 0.7) +
    value_marks(drawn, palette_of[["ink"]]) +
    ggplot2::facet_wrap(~panel, nrow = 1L, scales = "free_x") +
    ggplot2::scale_y_discrete(limits = rev(drawn$label)) +
    ggplot2::scale_fill_manual(values = drawn$tone) +
    ggplot2::scale_alpha_manual(values = c(`TRUE` = 1, `FALSE` = 0.45)) +
    ggplot2::scale_x_continuous(
      breaks = scales::breaks_extended(3), expand = ggplot2::expansion(c(0, 0.06))
    ) +
    figure_words(
      object,
      say(
        paste0(
          "%s of a customer won today by %s, with %s interval (dashed: everybody), and by how ",
          "much it differs through staying, cadence and order value; customers in brackets"
        ),
        if (drawn$worth == "value") "Discounted margin" else "Net sales",
        gsub("_", " ", drawn$by),
        present_share(basis_of(object, "level"))
      ),
      caption = paste0(
        say("The three differences add up. Pale: not clearly different from everybody."),
        if (nrow(object) > length(drawn$shown)) {
          say(" The %d largest of %d groups.", length(drawn$shown), nrow(object))
        }
      )
    ) +
    theme_nubrek() +
    panel_titles() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      panel.spacing = ggplot2::unit(12, "pt"),
      axis.text.x = ggplot2::element_text(size = 9.5)
    )
}

# Intervals, everybody's value, and the numbers in and beside the bars.
value_marks <- function(drawn, ink) {
  inside <- drawn$long$panel == drawn$worth_name
  list(
    ggplot2::geom_linerange(
      data = drawn$ends,
      ggplot2::aes(y = .data$place, xmin = .data$lower, xmax = .data$upper),
      inherit.aes = FALSE,
      colour = ink,
      linewidth = 0.8
    ),
    ggplot2::geom_vline(
      data = drawn$everybody, ggplot2::aes(xintercept = .data$x), colour = ink, linetype = "42"
    ),
    ggplot2::geom_text(
      data = drawn$long[inside, ],
      ggplot2::aes(x = 0, label = .data$text),
      hjust = -0.15,
      size = 3.8,
      colour = "#ffffff",
      fontface = "bold"
    ),
    ggplot2::geom_text(
      data = drawn$long[!inside, ],
      ggplot2::aes(label = .data$text, hjust = .data$side),
      size = 3.5,
      colour = ink
    )
  )
}

# What is drawn: `long` in panels, the ends of the intervals, everybody, room for the numbers.
value_panels <- function(object) {
  grouped_by <- basis_of(object, "by")
  rows <- plain_table(object)
  worth <- if (basis_of(object, "money") == "sales") "sales" else "value"
  biggest <- order(-rows$customers)
  shown <- sort(utils::head(biggest, 14L))
  rows <- rows[shown, ]
  rows$clear <- rows$clear %in% TRUE # not known is not clear
  label <- wrap_labels(paste0(
    rows[[grouped_by]], ifelse(rows$small, " (few)", ""), "  (", format_count(rows$customers), ")"
  ), 30L)
  place <- factor(label, rev(label))
  panels <- c("worth", "through staying", "through cadence", say("through order value"))
  worth_name <- say("%s over %s", if (worth == "value") "value" else "sales", n_of(
    basis_of(object, "years"), "year"
  ))
  long <- rbind(
    data.frame(place, panel = panels[[1L]], x = rows[[worth]], clear = TRUE),
    do.call(
      rbind,
      Map(
        \(name, panel) data.frame(place, panel = panel, x = rows[[name]], clear = rows$clear),
        names(part_words),
        panels[-1L]
      )
    )
  )
  long$panel <- factor(long$panel, panels, c(worth_name, "staying", "cadence", "order value"))
  long$text <- ifelse(long$panel == worth_name, format_money(long$x, "", 0L), paste0(
    ifelse(long$x > 0, "+", ""), written(long$x, format = "f", digits = 1L)
  ))
  ends <- data.frame(
    place,
    panel = factor(worth_name, levels(long$panel)),
    lower = rows$value_lower,
    upper = rows$value_upper
  )
  tone <- stats::setNames(c(
    palette_of[["moss"]], palette_of[["petrol"]], palette_of[["mauve"]], palette_of[["ochre"]]
  ), levels(long$panel))
  # differences share one scale, with room for the numbers
  most <- max(abs(long$x[long$panel != worth_name]), 1e-9)
  room <- data.frame(
    place = place[[1L]],
    panel = factor(rep(levels(long$panel)[-1L], each = 2L), levels(long$panel)),
    x = rep(c(-1.8, 1.8) * most, 3L)
  )
  long$side <- ifelse(long$panel == worth_name, -0.15, ifelse(long$x >= 0, -0.15, 1.15))
  everybody <- data.frame(
    panel = factor(worth_name, levels(long$panel)), x = attr(object, "everybody")$value
  )
  list(
    long = long, ends = ends, everybody = everybody, room = room, tone = tone, label = label,
    worth = worth, worth_name = worth_name, by = grouped_by, shown = shown
  )
}
