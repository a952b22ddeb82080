# Audiences beside each other: overlap as strips of one line of customers, contrast as distances.

# The customers of all audiences stand in one line, sorted so that those of each combination stand
# together; each audience is a strip, filled where they are in it (a linear diagram, Rodgers et al.
# 2015).
#' @rdname autoplot.nubrek
#' @method autoplot nubrek_overlap
#' @exportS3Method ggplot2::autoplot nubrek_overlap
autoplot.nubrek_overlap <- function(object, ...) {
  rlang::check_dots_empty()
  called <- basis_of(object, "names")
  blocks <- overlap_blocks(object)
  nothing_to_draw(sum(blocks$width) == 0, object)
  if (length(called) > length(strip_colours)) {
    abort_nubrek("At most six audiences are drawn side by side.", "argument")
  }
  strips <- strips_of(blocks, length(called))
  by_level <- !is.null(basis_of(object, "by"))
  whole <- max(blocks$to)
  figure <- ggplot2::ggplot(strips) +
    ggplot2::geom_segment(
      data = data.frame(strip = seq_along(called)),
      ggplot2::aes(x = 0, xend = whole, y = .data$strip, yend = .data$strip),
      colour = palette_of[["rule"]],
      linewidth = 0.6
    ) +
    ggplot2::geom_rect(ggplot2::aes(
      xmin = .data$from,
      xmax = .data$to,
      ymin = .data$strip - 0.3,
      ymax = .data$strip + 0.3,
      fill = factor(.data$strip)
    )) +
    ggplot2::geom_vline(
      data = blocks,
      ggplot2::aes(xintercept = .data$to),
      colour = palette_of[["paper"]],
      linewidth = 0.8
    ) +
    ggplot2::geom_text(
      data = blocks[blocks$width >= whole * 0.012, ],
      ggplot2::aes(
        x = (.data$from + .data$to) / 2,
        # narrow ones stand lower, so that the wide ones have room
        y = length(called) + ifelse(.data$width < whole * 0.05, 0.72, 0.45),
        label = .data$label
      ),
      size = 3.9,
      vjust = 1,
      colour = palette_of[["ink"]]
    ) +
    chance_layers(object, blocks) +
    ggplot2::scale_fill_manual(values = unname(strip_colours)) +
    ggplot2::scale_y_reverse(
      breaks = seq_along(called), labels = called, limits = c(length(called) + 0.95, 0.35)
    ) +
    ggplot2::scale_x_continuous(
      labels = if (by_level) \(v) present_share(v) else format_count,
      expand = ggplot2::expansion(c(0, 0.02))
    ) +
    overlap_words(object, by_level) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12)
    )
  if (!by_level) return(figure)
  figure + ggplot2::facet_wrap(ggplot2::vars(.data$level), ncol = 1L, strip.position = "top")
}

# The blocks of each audience.
strips_of <- function(blocks, n) {
  do.call(rbind, lapply(seq_len(n), \(k) {
    inside <- blocks[bitwAnd(blocks$cell, 2^(k - 1)) > 0, ]
    if (nrow(inside) > 0L) cbind(inside, strip = k)
  }))
}

overlap_words <- function(object, by_level) {
  outside <- sum(object$customers[overlap_cells(object) == 0L])
  figure_words(
    object,
    paste0(
      say(
        "The customers of all audiences in one line, those of one combination together; a strip is "
      ),
      say("filled where they are in the audience"),
      if (by_level) say("; shares of each level")
    ),
    caption = say(
      "n = %s customers; %s of them in none of the audiences, not drawn.",
      format_count(basis_of(object, "population")),
      format_count(outside)
    )
  )
}

# Combinations in an order in which neighbours differ by one audience, as far as that goes.
overlap_blocks <- function(object) {
  cells <- overlap_cells(object)
  by <- basis_of(object, "by")
  level <- if (is.null(by)) rep("", nrow(object)) else object[[by]]
  blocks <- data.frame(
    cell = cells,
    level = factor(level, unique(level)),
    width = if (is.null(by)) as.double(object$customers) else object$share,
    label = if (is.null(by)) format_count(object$customers) else present_share(object$share)
  )
  n <- 2^length(basis_of(object, "names"))
  walk <- bitwXor(seq_len(n) - 1L, bitwShiftR(seq_len(n) - 1L, 1L))
  blocks <- blocks[blocks$cell > 0L, ]
  blocks <- blocks[order(blocks$level, match(blocks$cell, walk)), ]
  blocks$to <- as.vector(unlist(tapply(blocks$width, blocks$level, cumsum)))
  blocks$from <- blocks$to - blocks$width
  blocks[blocks$width > 0, ]
}

# How wide the overlap of two would be by chance.
chance_layers <- function(object, blocks) {
  expected <- basis_of(object, "expected")
  both <- blocks[blocks$cell == 3L, ]
  if (is.null(expected) || !is.null(basis_of(object, "by")) || nrow(both) == 0L) return(NULL)
  middle <- (both$from + both$to) / 2
  list(
    ggplot2::annotate(
      "segment",
      x = middle - expected / 2,
      xend = middle + expected / 2,
      y = 1.5,
      yend = 1.5,
      colour = palette_of[["ink"]],
      linewidth = 1.6
    ),
    ggplot2::annotate(
      "text",
      x = middle + expected / 2,
      y = 1.5,
      label = say("  by chance %s", format_count(round(expected))),
      hjust = 0,
      size = 3.7,
      colour = palette_of[["ink"]]
    )
  )
}

#' @param what `[character(1)]` Of a comparison: its `"differences"` or its `"overlap"`.
#' @rdname autoplot.nubrek
#' @method autoplot nubrek_audience_comparison
#' @exportS3Method ggplot2::autoplot nubrek_audience_comparison
autoplot.nubrek_audience_comparison <- function(object, what = "differences", ...) {
  check_choice(what, c("differences", "overlap"))
  ggplot2::autoplot(
    if (what == "overlap") attr(object, "overlap") else audience_differences(object), ...
  )
}

# How far measures and levels lie apart, with their intervals, the rule's own pale and last.
#' @rdname autoplot.nubrek
#' @method autoplot nubrek_contrast
#' @exportS3Method ggplot2::autoplot nubrek_contrast
autoplot.nubrek_contrast <- function(object, ...) {
  rlang::check_dots_empty()
  rows <- contrast_rows(object)
  reach <- range(0, rows$low, rows$high)
  room <- diff(reach)
  ggplot2::ggplot(rows, ggplot2::aes(y = .data$place, colour = .data$tone)) +
    ggplot2::geom_vline(xintercept = 0, colour = palette_of[["ink"]], linewidth = 0.4) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$place), linewidth = 1.1
    ) +
    ggplot2::geom_point(
      ggplot2::aes(x = .data$standardised, shape = .data$beyond), size = 3, stroke = 1.1
    ) +
    ggplot2::scale_shape_manual(values = c(`FALSE` = 16, `TRUE` = 1)) +
    ggplot2::geom_text(
      ggplot2::aes(label = .data$label),
      x = reach[[2L]] + room * 0.03,
      hjust = 0,
      size = 3.8
    ) +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_y_reverse(breaks = rows$place, labels = rows$words) +
    ggplot2::scale_x_continuous(
      limits = c(reach[[1L]], reach[[2L]] + room * 0.42),
      breaks = Filter(\(x) x >= reach[[1L]] && x <= reach[[2L]], pretty(reach, 5L)),
      expand = ggplot2::expansion(c(0.02, 0))
    ) +
    figure_words(
      object,
      say(paste0(
        "Distance in standard deviations with its 95 % interval, to the right: more inside; ",
        "beside it the mean or share inside and outside"
      )),
      caption = say(
        paste0(
          "%s against %s customers. Grey: may be chance. Pale: what the rule itself uses, or is ",
          "computed from it; hollow: farther away than drawn."
        ),
        format_count(basis_of(object, "sizes")[[1L]]),
        format_count(basis_of(object, "sizes")[[2L]])
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

# The rows that are drawn: the farthest that the rule does not make, then a few that it makes, which
# may lie beyond what is drawn.
contrast_rows <- function(object) {
  rows <- plain_table(object)
  rows <- rows[is.finite(rows$standardised) & rows$level != "(missing)", ]
  rows <- rbind(
    utils::head(rows[!rows$from_rule, ], 12L), utils::head(rows[rows$from_rule, ], 3L)
  )
  nothing_to_draw(nrow(rows) == 0L, object)
  scale <- ifelse(rows$difference == 0, 0, rows$standardised / rows$difference)
  rows$low <- rows$lower * scale
  rows$high <- rows$upper * scale
  if (!all(rows$from_rule)) {
    reach <- 1.3 * max(abs(c(rows$low, rows$high)[!rows$from_rule]))
    rows$beyond <- rows$from_rule & abs(rows$standardised) > reach
    inside <- \(x) pmax(-reach, pmin(reach, x))
    rows[c("standardised", "low", "high")] <- lapply(rows[c("standardised", "low", "high")], inside)
  } else {
    rows$beyond <- FALSE
  }
  rows$place <- seq_len(nrow(rows)) + 0.5 * rows$from_rule
  what <- gsub("_", " ", rows$what)
  rows$words <- ifelse(rows$level == "", what, paste0(what, ": ", seen_text(rows$level)))
  side <- \(x) ifelse(rows$level == "", four_digits(x), present_share(x))
  rows$label <- paste(side(rows$inside), "against", side(rows$outside))
  rows$tone <- ifelse(
    rows$from_rule, "#a9a294", ifelse(rows$adjusted_p < 0.05, palette_of[["petrol"]], "#7d8790")
  )
  rows
}
