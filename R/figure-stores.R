# Who stayed with a store, who went to another one, who is gone.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_stores
#' @exportS3Method ggplot2::autoplot nubrek_stores
autoplot.nubrek_stores <- function(object, ...) {
  rlang::check_dots_empty()
  nothing_to_draw(sum(object$active_before) == 0L, object)
  rows <- plain_table(object)[object$active_before > 0L, ]
  rows <- utils::head(rows[order(-rows$active_before), ], 20L)
  label <- factor(seen_text(rows$store), rev(seen_text(rows$store)))
  fates <- c("stayed", "elsewhere", "gone")
  words <- c(say("stayed"), say("in another store"), say("nowhere"))
  bars <- do.call(rbind, lapply(seq_along(fates), \(k) data.frame(
    label = label,
    fate = factor(words[[k]], words),
    share = rows[[fates[[k]]]] / rows$active_before,
    text = format_count(rows[[fates[[k]]]])
  )))
  ggplot2::ggplot(bars, ggplot2::aes(.data$share, .data$label, fill = .data$fate)) +
    ggplot2::geom_col(width = 0.7, position = ggplot2::position_stack(reverse = TRUE)) +
    ggplot2::geom_text(
      ggplot2::aes(label = ifelse(.data$share > 0.06, .data$text, "")),
      position = ggplot2::position_stack(vjust = 0.5, reverse = TRUE),
      colour = "#ffffff",
      size = 3.8
    ) +
    ggplot2::scale_fill_manual(values = stats::setNames(
      palette_of[c("petrol", "ochre", "brick")], words
    )) +
    name_axis() +
    ggplot2::scale_x_continuous(
      labels = \(v) present_share(v), expand = ggplot2::expansion(c(0, 0.04))
    ) +
    figure_words(
      object,
      say("Customers of each store before: where they bought now"),
      caption = say("n = %s customers of a store before.", format_count(sum(rows$active_before)))
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), legend.position = "top",
      legend.justification = "left", legend.title = ggplot2::element_blank()
    )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_store_clock
#' @exportS3Method ggplot2::autoplot nubrek_store_clock
autoplot.nubrek_store_clock <- function(object, ..., groups = 8L) {
  rlang::check_dots_empty()
  nothing_to_draw(nrow(object) == 0L, object)
  stores <- basis_of(object, "stores")
  shown <- utils::head(stores$store, groups)
  rows <- plain_table(object)
  rows <- rows[rows$store %in% shown, ]
  named <- factor(seen_text(shown), seen_text(shown))
  rows$store <- named[match(rows$store, shown)]
  ends <- rbind(
    data.frame(store = stores$store[stores$opened], day = stores$first[stores$opened],
      text = rep(say("opened"), sum(stores$opened))),
    data.frame(store = stores$store[stores$closed], day = stores$last[stores$closed],
      text = rep(say("closed"), sum(stores$closed)))
  )
  ends <- ends[ends$store %in% shown, ]
  ends$store <- named[match(ends$store, shown)]
  ggplot2::ggplot(rows, ggplot2::aes(.data$period, .data$sales)) +
    event_marks(object) +
    ggplot2::geom_area(fill = palette_of[["petrol"]], alpha = 0.25) +
    ggplot2::geom_line(colour = palette_of[["petrol"]], linewidth = 0.7) +
    ggplot2::geom_vline(
      ggplot2::aes(xintercept = .data$day), data = ends, colour = palette_of[["brick"]],
      linewidth = 0.6
    ) +
    ggplot2::geom_text(
      ggplot2::aes(.data$day, Inf, label = paste0(.data$text, " ")), data = ends, hjust = 1,
      vjust = 1.4, size = 3.6, colour = palette_of[["brick"]]
    ) +
    ggplot2::facet_wrap(~store, ncol = 2L) +
    ggplot2::scale_x_date(date_labels = "%b\n%Y", expand = ggplot2::expansion(0.02)) +
    ggplot2::scale_y_continuous(
      labels = \(v) number_text(round(v)), expand = ggplot2::expansion(c(0, 0.06))
    ) +
    figure_words(
      object,
      say("Sales of each store, by %s", basis_of(object, "clock")),
      caption = if (nrow(stores) > length(shown)) {
        say("The %d largest of %s.", length(shown), n_of(nrow(stores), "store"))
      },
      marks = TRUE
    ) +
    theme_nubrek()
}
