# Figures of the money to come. Observed is solid, forecast lighter, the border day marked.

ahead_colours <- c(observed = palette_of[["petrol"]], today = "#8fb8b5", coming = "#e3c58d")

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_outcome
#' @exportS3Method ggplot2::autoplot nubrek_outcome
autoplot.nubrek_outcome <- function(object, ...) {
  rlang::check_dots_empty()
  drawn <- outcome_bars(object)
  ggplot2::ggplot(drawn$bars, ggplot2::aes(.data$x, .data$sales)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$what), width = 0.82) +
    ggplot2::geom_linerange(
      data = drawn$ends,
      ggplot2::aes(.data$x, ymin = .data$lower, ymax = .data$upper),
      inherit.aes = FALSE,
      colour = palette_of[["ink"]],
      linewidth = 0.7
    ) +
    ggplot2::geom_vline(
      xintercept = drawn$border, colour = palette_of[["brick"]], linetype = "13", linewidth = 0.7
    ) +
    ggplot2::annotate(
      "text",
      x = drawn$border,
      y = drawn$top * 1.14,
      label = paste0(" ", format_day(basis_of(object, "as_of"))),
      hjust = 0,
      size = 4,
      colour = palette_of[["brick"]]
    ) +
    ggplot2::geom_tile(
      data = drawn$key,
      ggplot2::aes(.data$x + 0.25, .data$y, fill = .data$what),
      width = 0.6,
      height = drawn$top * 0.04,
      inherit.aes = FALSE
    ) +
    ggplot2::geom_text(
      data = drawn$key,
      ggplot2::aes(.data$x + 0.75, .data$y, label = .data$label),
      hjust = 0,
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_fill_manual(values = ahead_colours) +
    ggplot2::scale_x_continuous(
      breaks = seq(1L, length(drawn$periods), by = drawn$step),
      labels = \(at) gsub("-", "\u2011", period_label(drawn$periods[at], drawn$clock)),
      expand = ggplot2::expansion(0.01)
    ) +
    ggplot2::scale_y_continuous(
      labels = \(v) written(v, format = "d", big.mark = "\u202f"),
      limits = c(0, drawn$top * 1.2),
      expand = ggplot2::expansion(c(0, 0))
    ) +
    figure_words(object, say(
      "Net sales by %s%s; line: %s interval of the whole bar",
      drawn$clock,
      if (nzchar(drawn$currency)) paste(" in", drawn$currency) else "",
      present_share(basis_of(object, "level"))
    )) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank())
}

# What is drawn: bars of what was seen, of today's customers and of those to come.
outcome_bars <- function(object) {
  clock <- basis_of(object, "clock")
  history <- attr(object, "history")
  history <- utils::tail(history[!(history$partial & history$period < object$period[[1L]]), ], 25L)
  rows <- plain_table(object)
  seen <- stats::setNames(history$sales, format(history$period))
  base <- ifelse(format(rows$period) %in% names(seen), seen[format(rows$period)], 0)
  bars <- rbind(
    data.frame(period = history$period, sales = history$sales, what = "observed"),
    data.frame(period = rows$period, sales = rows$sales_today, what = "today"),
    data.frame(period = rows$period, sales = rows$sales - rows$sales_today, what = "coming")
  )
  bars$what <- factor(bars$what, c("coming", "today", "observed"))
  periods <- sort(unique(bars$period))
  bars$x <- match(bars$period, periods)
  ends <- data.frame(
    x = match(rows$period, periods),
    lower = base + rows$sales_lower,
    upper = base + rows$sales_upper
  )
  border <- match(rows$period[[1L]], periods) + if (rows$partial[[1L]]) 0 else -0.5
  currency <- basis_of(object, "currency")
  key <- data.frame(
    x = 0.6,
    what = c("observed", "today", if (sum(rows$new) > 0) "coming"),
    label = c(
      "observed",
      say("expected of today's customers"),
      if (sum(rows$new) > 0) say("expected of customers still to be won")
    )
  )
  top <- max(ends$upper, history$sales)
  key$y <- top * (1.2 - 0.06 * seq_len(nrow(key)))
  step <- max(1L, ceiling(length(periods) / 13))
  list(
    clock = clock, bars = bars, periods = periods, ends = ends, border = border,
    currency = currency, key = key, top = top, step = step
  )
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_outlook_grid
#' @exportS3Method ggplot2::autoplot nubrek_outlook_grid
autoplot.nubrek_outlook_grid <- function(object, ..., cohorts = 18L) {
  rlang::check_dots_empty()
  check_whole(cohorts)
  if (length(basis_of(object, "by")) > 0L) return(ggplot2::autoplot(cohort_value(object)))
  drawn <- outlook_cells(object, cohorts)
  ggplot2::ggplot(drawn$data, ggplot2::aes(.data$age, .data$y)) +
    outlook_tiles(drawn) +
    ggplot2::scale_fill_identity() +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(
      position = "top",
      breaks = seq(0, max(drawn$data$age), by = if (drawn$columns > 30L) 3L else 1L),
      expand = ggplot2::expansion(0.005)
    ) +
    ggplot2::scale_y_reverse(
      breaks = seq_along(drawn$shown),
      labels = paste0(
        period_label(drawn$shown, drawn$clock), "  (", format_count(drawn$first$size), ")"
      ),
      expand = ggplot2::expansion(add = 0.2)
    ) +
    figure_words(
      object,
      say(
        "Cumulative %s per acquired customer by age in %ss; cohort size in brackets",
        basis_of(object, "money"),
        drawn$clock
      ),
      caption = paste0(
        say("Right of the line, lighter and in italics: what the models expect (the present "),
        drawn$clock,
        say(" in part)."),
        if (length(unique(object$cohort)) > length(drawn$shown)) {
          say(" The %d newest cohorts.", length(drawn$shown))
        }
      )
    ) +
    theme_nubrek(12) +
    ggplot2::theme(
      panel.grid.major = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(hjust = 0, size = 10),
      axis.text.x = ggplot2::element_text(size = 10)
    )
}

# Cells, those still to come dotted, the line of today, and the numbers.
outlook_tiles <- function(drawn) {
  list(
    ggplot2::geom_tile(ggplot2::aes(fill = .data$fill), width = 0.96, height = 0.92),
    ggplot2::geom_tile(
      data = drawn$data[drawn$data$ahead, ],
      fill = NA,
      colour = palette_of[["paper"]],
      linetype = "11",
      linewidth = 0.5,
      width = 0.9,
      height = 0.84
    ),
    ggplot2::geom_segment(
      data = drawn$edge,
      ggplot2::aes(x = .data$x, xend = .data$x, y = .data$y - 0.5, yend = .data$y + 0.5),
      colour = palette_of[["brick"]],
      linewidth = 1
    ),
    ggplot2::geom_text(
      ggplot2::aes(label = .data$text, colour = ink_on(.data$fill), fontface = ifelse(
        .data$ahead, "italic", "plain"
      )),
      size = min(3.7, 175 / drawn$columns / (0.62 * max(nchar(drawn$data$text))))
    )
  )
}

# What is drawn: observed and forecast cells, where they stand.
outlook_cells <- function(object, cohorts) {
  clock <- basis_of(object, "clock")
  data <- plain_table(object)
  data <- data[!is.na(data$per_customer), ]
  nothing_to_draw(nrow(data) == 0L, object, rlang::caller_env())
  shown <- utils::tail(sort(unique(data$cohort)), cohorts)
  data <- data[data$cohort %in% shown, ]
  data$y <- match(data$cohort, shown)
  data$ahead <- data$what != "observed"
  data$fill <- grid_fill(data$per_customer / max(data$per_customer) * ifelse(data$ahead, 0.62, 1))
  digits <- if (max(data$per_customer) >= 100) 0L else if (max(data$age) > 16L) 0L else 1L
  data$text <- written(data$per_customer, format = "f", digits = digits, big.mark = "\u202f")
  edge <- do.call(
    rbind,
    lapply(split(data, data$y), \(r) data.frame(y = r$y[[1L]], x = min(r$age[r$ahead]) - 0.5))
  )
  first <- data[match(shown, data$cohort), ]
  columns <- max(data$age) + 1L
  list(clock = clock, data = data, shown = shown, edge = edge, first = first, columns = columns)
}

wrap_labels <- function(text, width) {
  vapply(text, \(t) paste(strwrap(t, width), collapse = "\n"), "", USE.NAMES = FALSE)
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_value
#' @exportS3Method ggplot2::autoplot nubrek_value
autoplot.nubrek_value <- function(object, ...) ggplot2::autoplot(value_shares(object), ...)

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_shares
#' @exportS3Method ggplot2::autoplot nubrek_shares
autoplot.nubrek_shares <- function(object, ...) {
  rlang::check_dots_empty()
  drawn <- share_lines(object)
  ggplot2::ggplot(drawn$long, ggplot2::aes(.data$group, .data$x)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$what), width = 0.8) +
    ggplot2::geom_text(
      data = data.frame(
        group = drawn$table$group,
        x = rowSums(drawn$table[drawn$columns]),
        label = present_share(drawn$table$share)
      ),
      ggplot2::aes(label = .data$label),
      vjust = -0.5,
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::geom_tile(
      data = drawn$key,
      ggplot2::aes(nrow(drawn$table) * 0.52, .data$y, fill = .data$what),
      width = 0.4,
      height = drawn$top * 0.045,
      inherit.aes = FALSE
    ) +
    ggplot2::geom_text(
      data = drawn$key,
      ggplot2::aes(nrow(drawn$table) * 0.52 + 0.35, .data$y, label = .data$label),
      hjust = 0,
      size = 4,
      colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_fill_manual(
      values = c(value_to_date = palette_of[["moss"]], value = "#bccda2", sales = "#8fb8b5")
    ) +
    ggplot2::scale_x_continuous(
      breaks = drawn$table$group,
      labels = ifelse(drawn$table$group == 1L, "1\nhighest", ifelse(
        drawn$table$group == nrow(drawn$table),
        paste0(nrow(drawn$table), "\nlowest"),
        drawn$table$group
      ))
    ) +
    ggplot2::scale_y_continuous(
      labels = \(v) written(v, format = "d", big.mark = "\u202f"),
      expand = ggplot2::expansion(c(0, 0.1))
    ) +
    figure_words(
      object,
      say(
        "Customers in %d equal groups by their %s, highest first%s; above: share of all",
        nrow(drawn$table),
        if (drawn$known) "lifetime value" else "expected sales",
        if (nzchar(drawn$currency)) paste(", in", drawn$currency) else ""
      ),
      caption = paste0("n = ", format_count(sum(drawn$table$customers)), say(" customers."))
    ) +
    theme_nubrek() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank())
}

# What is drawn: shares held, and what is said of them.
share_lines <- function(object) {
  known <- basis_of(object, "measure") != "sales"
  columns <- if (known) c("value_to_date", "value") else "sales"
  rows <- plain_table(object)
  long <- do.call(
    rbind, lapply(columns, \(name) data.frame(group = rows$group, x = rows[[name]], what = name))
  )
  long$what <- factor(long$what, rev(columns))
  top <- max(rowSums(rows[columns]))
  currency <- basis_of(object, "currency")
  key <- data.frame(
    what = columns,
    label = c(
      value_to_date = "margin so far",
      value = "margin to come, discounted",
      sales = "expected sales"
    )[columns],
    y = top * (0.98 - 0.07 * seq_along(columns))
  )
  list(
    known = known, columns = columns, table = rows, long = long, top = top, currency = currency,
    key = key
  )
}
