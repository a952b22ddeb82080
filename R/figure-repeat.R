# Figures of the gaps, the waits, who is new, and sales by attribute.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_gaps
#' @exportS3Method ggplot2::autoplot nubrek_gaps
autoplot.nubrek_gaps <- function(object, ...) {
  rlang::check_dots_empty()
  counts <- attr(object, "counts")
  total <- sum(counts)
  nothing_to_draw(total == 0L, object)
  longest <- max(1L, which(cumsum(counts) >= 0.98 * total)[[1L]])
  width <- max(1L, ceiling(longest / 60))
  bin <- (seq_along(counts) - 1L) %/% width
  data <- data.frame(from = unique(bin) * width, n = as.vector(rowsum(as.double(counts), bin)))
  data <- data[data$from <= longest, ]
  middle <- basis_of(object, "median_of_gaps")
  average <- basis_of(object, "mean_of_gaps")
  top <- max(data$n)
  ggplot2::ggplot(data, ggplot2::aes(.data$from + width / 2, .data$n)) +
    ggplot2::geom_col(fill = palette_of[["petrol"]], width = width * 0.9) +
    ggplot2::annotate(
      "segment",
      x = c(middle, average),
      xend = c(middle, average),
      y = 0,
      yend = top * c(1.08, 0.92),
      colour = palette_of[["ink"]],
      linewidth = 0.5,
      linetype = "22"
    ) +
    ggplot2::annotate(
      "text",
      x = c(middle, average) + longest / 100,
      y = top * c(1.06, 0.9),
      label = c(paste("median", n_of(middle, "day")), paste("mean", n_of(round(average), "day"))),
      hjust = 0,
      size = 4.2,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(c(0.01, 0.02))) +
    ggplot2::scale_y_continuous(
      limits = c(0, top * 1.12), expand = ggplot2::expansion(0), labels = format_count
    ) +
    figure_words(
      object,
      paste0(say("Gaps between consecutive purchases, in bars of "), n_of(width, "day")),
      caption = say(
        "n = %s gaps; the longest 2 %% (beyond %s days) are not drawn.",
        format_count(total),
        format_count(longest)
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.x = ggplot2::element_blank(), axis.title.x = ggplot2::element_text(size = 12)
    ) +
    ggplot2::xlab(say("days between two purchases"))
}

nothing_to_draw <- function(empty, x, call = rlang::caller_env()) {
  told <- describe(x)
  if (empty) {
    abort_nubrek(c(
      "There is nothing to draw.", "x" = "{told$finding %||% told$heading}"
    ), "no_purchases", call = call)
  }
}

# Labels at the right, moved apart so that none covers another.
spread_labels <- function(y, apart) {
  place <- order(y)
  for (i in seq_along(place)[-1L]) {
    y[place[[i]]] <- max(y[place[[i]]], y[place[[i - 1L]]] + apart)
  }
  y
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_new
#' @exportS3Method ggplot2::autoplot nubrek_new
autoplot.nubrek_new <- function(object, ...) {
  rlang::check_dots_empty()
  grouped_by <- basis_of(object, "by")
  rows <- plain_table(object)
  kinds <- names(new_colours)[c(TRUE, TRUE, any(rows$reactivation_possible))]
  data <- do.call(
    rbind,
    lapply(
      kinds,
      \(kind) data.frame(
        period = rows$period,
        partial = rows$partial,
        group = if (is.null(grouped_by)) "" else rows[[grouped_by]],
        kind = kind,
        n = rows[[kind]]
      )
    )
  )
  data$kind <- factor(data$kind, rev(kinds))
  width <- if (length(unique(data$period)) > 1L) {
    as.numeric(min(diff(sort(unique(data$period))))) * 0.86
  } else {
    20
  }
  tall <- tapply(data$n, paste(data$group, data$period), sum)
  figure <- ggplot2::ggplot(data, ggplot2::aes(.data$period + width / 0.86 / 2, .data$n)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$kind, alpha = .data$partial), width = width) +
    event_marks(object) +
    ggplot2::scale_fill_manual(values = new_colours, breaks = kinds) +
    ggplot2::scale_alpha_manual(values = c(`FALSE` = 1, `TRUE` = 0.45), guide = "none") +
    ggplot2::scale_y_continuous(
      labels = format_count, limits = c(0, max(tall) * 1.05), expand = ggplot2::expansion(0)
    ) +
    ggplot2::scale_x_date(date_labels = "%b\n%Y", expand = ggplot2::expansion(0.01)) +
    figure_words(
      object,
      paste0(
        say("Customers with a purchase, by "),
        basis_of(object, "clock"),
        if (!is.null(basis_of(object, "lookback"))) {
          say("; returning: last purchase within %s before", n_of(
            basis_of(object, "lookback"),
            if (basis_of(object, "unit") == "days") "day" else basis_of(object, "clock")
          ))
        }
      ),
      caption = if (any(rows$partial)) say("Pale: period observed in part."),
      marks = TRUE
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.x = ggplot2::element_blank(),
      legend.position = "top",
      legend.justification = 0,
      legend.title = ggplot2::element_blank(),
      legend.margin = ggplot2::margin(0, 0, 0, 0),
      strip.text = ggplot2::element_text(hjust = 0, size = 11)
    )
  if (is.null(grouped_by)) figure else figure + ggplot2::facet_wrap(~group)
}

#' @rdname autoplot.nubrek
#' @param groups `[integer(1)]` So many of the largest groups are drawn.
#' @method autoplot nubrek_sales
#' @exportS3Method ggplot2::autoplot nubrek_sales
autoplot.nubrek_sales <- function(object, ..., groups = 12L) {
  rlang::check_dots_empty()
  drawn <- sales_bars(object, groups)
  ggplot2::ggplot(drawn$data, ggplot2::aes(.data$sales, .data$label)) +
    ggplot2::geom_col(fill = palette_of[["petrol"]], width = 0.62) +
    (
      if (drawn$compared) {
        ggplot2::geom_errorbarh(
          ggplot2::aes(xmin = .data$sales_before, xmax = .data$sales_before),
          height = 0.8,
          linewidth = 1.2,
          colour = palette_of[["ochre"]]
        )
      }
    ) +
    ggplot2::geom_text(
      ggplot2::aes(
        x = if (drawn$compared) pmax(.data$sales, .data$sales_before, 0) else pmax(.data$sales, 0),
        label = .data$text
      ),
      hjust = -0.03,
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    name_axis() +
    ggplot2::scale_x_continuous(
      limits = c(min(0, drawn$data$sales), drawn$top * if (drawn$compared) 1.6 else 1.42),
      labels = \(v) format_count(round(v)),
      expand = ggplot2::expansion(c(0, 0))
    ) +
    figure_words(
      object,
      paste0(
        say("Net sales by "),
        paste(gsub("_", " ", drawn$by), collapse = " and "),
        if (drawn$compared) say("; ochre line: the earlier time")
      ),
      caption = if (nrow(object) > nrow(drawn$data)) {
        say("The %d largest of %d groups.", nrow(drawn$data), nrow(object))
      }
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
}

# What is drawn: the largest groups, with the time before.
sales_bars <- function(object, groups) {
  grouped_by <- basis_of(object, "by")
  compared <- !is.null(basis_of(object, "against"))
  data <- utils::head(plain_table(object), groups)
  data$label <- do.call(paste, c(lapply(data[grouped_by], as.character), sep = ", "))
  data$label <- factor(data$label, rev(data$label))
  data$text <- paste0(
    format_money(data$sales, basis_of(object, "currency")),
    "  ",
    if (!compared) {
      present_share(data$share)
    } else {
      paste0(
        "(",
        ifelse(data$change >= 0, "+", "\u2212"),
        format_money(abs(data$change), ""),
        ifelse(is.na(data$change_percent), "", paste0(", ", present_share(data$change_percent))),
        ")"
      )
    }
  )
  top <- max(data$sales, if (compared) data$sales_before, 0)
  list(by = grouped_by, compared = compared, data = data, top = top)
}
