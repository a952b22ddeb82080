# Figures of the wait for the next purchase.

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_waits
#' @exportS3Method ggplot2::autoplot nubrek_waits
autoplot.nubrek_waits <- function(object, ..., measure = "share_of_row") {
  rlang::check_dots_empty()
  check_choice(measure, names(wait_measures))
  nothing_to_draw(nrow(object) == 0L, object)
  clock <- basis_of(object, "clock")
  drawn <- wait_cells(object, measure)
  ggplot2::ggplot(drawn$cells, ggplot2::aes(.data$x, .data$y)) +
    cell_layers(drawn$cells[drawn$cells$partial, ], drawn$size, 0.9, 0.84) +
    ggplot2::scale_x_continuous(
      position = "top",
      breaks = c(drawn$steps, drawn$last + 1.6, drawn$last + 3.2),
      labels = c(drawn$steps, "not yet", "all"),
      expand = ggplot2::expansion(0.005)
    ) +
    ggplot2::scale_y_reverse(
      breaks = c(seq_along(drawn$cohorts), length(drawn$cohorts) + 1.4),
      expand = ggplot2::expansion(add = 0.2),
      labels = c(paste0(
        period_label(drawn$cohorts, clock),
        "  (",
        format_count(as.integer(drawn$of_cohort[format(drawn$cohorts)])),
        ")"
      ), "all")
    ) +
    figure_words(
      object,
      say(
        "%s by %ss until the %s purchase, with totals; cohort size in brackets",
        wait_measures[[measure]],
        clock,
        ordinal(basis_of(object, "nth"))
      ),
      caption = paste0(
        say("Dashed: period observed in part. Empty: not observed yet."), few_words(drawn$cells)
      )
    ) +
    theme_nubrek(12) +
    ggplot2::theme(panel.grid.major = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(
      hjust = 0, size = 9
    ))
}

# What is drawn: cells with their sums, the cohorts and their sizes, where things stand.
wait_cells <- function(object, measure) {
  data <- plain_table(object)
  data$value <- data[[measure]]
  every <- sort(unique(data$cohort))
  cohorts <- utils::tail(every, 36L)
  last <- max(data$waited, 0L, na.rm = TRUE)
  of_cohort <- tapply(data$customers, factor(format(data$cohort), format(every)), sum)
  totals <- wait_sums(data, measure, cohorts, of_cohort, last)
  data <- data[data$cohort %in% cohorts, ]
  cells <- rbind(
    data.frame(
      x = data$waited,
      y = match(data$cohort, cohorts),
      value = data$value,
      sum = FALSE,
      partial = is.na(data$at_risk) & !is.na(data$waited)
    ),
    totals
  )
  late <- is.na(cells$x)
  cells$x[late] <- last + 1.6
  top <- max(cells$value[!cells$sum & !late], 1e-9, na.rm = TRUE)
  cells$fill <- ifelse(
    cells$sum, "#efe9dd", ifelse(late, "#d8d1c4", grid_fill(cells$value / top))
  )
  cells$text <- if (measure == "customers") {
    format_count(cells$value)
  } else {
    fixed(100 * cells$value, if (measure == "share_of_table") 1L else 0L, "")
  }
  few <- which(of_cohort[format(cohorts)] < few_customers)
  cells <- with_ink(cells, cells$y %in% few & !cells$sum)
  cells <- cells[!is.na(cells$value), ]
  steps <- seq(0, last, by = if (last > 18) 3 else 1)
  size <- max(
    2.2, min(3.6, 96 / length(cohorts), 150 / (last + 3) / max(2, 0.6 * max(nchar(cells$text))))
  )
  list(
    cells = cells, cohorts = cohorts, of_cohort = of_cohort, last = last, steps = steps, size = size
  )
}

# The bottom row, over all cohorts, and the last column, over all waits of those that are shown.
wait_sums <- function(data, measure, cohorts, of_cohort, last) {
  everybody <- sum(data$customers)
  total <- \(n) if (measure == "customers") n else n / everybody
  of_wait <- as.data.frame(as.data.table(data)[, .(customers = sum(customers)), by = waited])
  bottom <- length(cohorts) + 1.4
  rbind(
    data.frame(
      x = of_wait$waited,
      y = bottom,
      value = if (measure == "share_of_column") 1 else total(of_wait$customers),
      sum = TRUE,
      partial = FALSE
    ),
    data.frame(
      x = last + 3.2,
      y = c(seq_along(cohorts), bottom),
      value = c(
        if (measure == "share_of_row") {
          rep(1, length(cohorts))
        } else {
          total(of_cohort[format(cohorts)])
        },
        total(everybody)
      ),
      sum = TRUE,
      partial = FALSE
    )
  )
}

#' @method autoplot nubrek_curve
#' @exportS3Method ggplot2::autoplot nubrek_curve
autoplot.nubrek_curve <- function(object, ..., groups = 5L) {
  rlang::check_dots_empty()
  drawn <- curve_steps(object, groups)
  ggplot2::ggplot(
    drawn$data, ggplot2::aes(.data$days, .data$share, colour = .data$group, fill = .data$group)
  ) +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$lower, ymax = .data$upper), alpha = 0.16, colour = NA, na.rm = TRUE
    ) +
    ggplot2::geom_step(linewidth = 0.8) +
    ggplot2::geom_text(
      data = drawn$ends,
      ggplot2::aes(x = drawn$longest * 1.012, y = .data$y, label = .data$label),
      hjust = 0,
      size = 4.2
    ) +
    ggplot2::scale_colour_manual(values = drawn$tone) +
    ggplot2::scale_fill_manual(values = drawn$tone) +
    ggplot2::scale_x_continuous(
      limits = c(0, drawn$longest * if (length(drawn$shown) > 1L) 1.24 else 1.09),
      breaks = c(0, 30, 90, 180, 365, 548, 730, 1095)[
        c(0, 30, 90, 180, 365, 548, 730, 1095) <= drawn$longest
      ],
      expand = ggplot2::expansion(c(0.01, 0))
    ) +
    ggplot2::scale_y_continuous(
      limits = c(0, NA), labels = \(v) present_share(v), expand = ggplot2::expansion(c(0, 0.05))
    ) +
    figure_words(
      object,
      say(paste0(
        "Share of customers with a %s purchase by days since the first (Kaplan-Meier), band: %s ",
        "interval"
      ), ordinal(basis_of(object, "nth")), present_share(basis_of(object, "level"))),
      caption = say(
        "n = %s customers, of whom %s have made it; the others count as long as they were seen.%s",
        format_count(basis_of(object, "customers")),
        format_count(basis_of(object, "back")),
        if (length(drawn$big) > length(drawn$shown)) {
          say(" Of %d groups the highest, the lowest and the largest.", length(drawn$big))
        } else {
          ""
        }
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12)) +
    ggplot2::xlab(say("days since the first purchase"))
}

# What is drawn: the curves, where each ends, and how far.
curve_steps <- function(object, groups) {
  nothing_to_draw(nrow(object) == 0L, object, rlang::caller_env())
  data <- plain_table(object)
  big <- tapply(data$at_risk, factor(data$group, unique(data$group)), max)
  far <- by_day_90(data)
  shown <- unique(c(
    names(far)[c(which.max(far), which.min(far))], names(sort(big, decreasing = TRUE))
  ))[seq_len(min(groups, length(big)))] # those the title speaks of, and the largest
  data <- data[data$group %in% shown, ]
  start <- data.frame(
    group = unique(data$group), days = 0L, share = 0, lower = 0, upper = 0, at_risk = NA_integer_
  )
  data <- rbind(start[!start$group %in% data$group[data$days == 0L], ], data)
  data <- data[order(match(data$group, shown), data$days), ]
  tone <- stats::setNames(
    palette_of[c("petrol", "ochre", "mauve", "moss", "brick", "ink")][seq_along(shown)], shown
  )
  ends <- do.call(rbind, lapply(split(data, factor(data$group, shown)), utils::tail, 1L))
  ends$label <- if (length(shown) > 1L) {
    paste0(shortened(ends$group, 14L), " ", present_share(ends$share))
  } else {
    present_share(ends$share)
  }
  ends$y <- spread_labels(ends$share, 0.055 * max(data$share))
  longest <- max(data$days)
  list(data = data, big = big, shown = shown, tone = tone, ends = ends, longest = longest)
}
