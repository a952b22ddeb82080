# Figures of judgement over cohorts: each against usual, and what has been paid back.

#' @rdname autoplot.nubrek
#' @param ages `[integer]` Of [against_usual()]: the ages drawn, at most four. Default: ages spread
#'   over those known.
#' @method autoplot nubrek_usual
#' @exportS3Method ggplot2::autoplot nubrek_usual
autoplot.nubrek_usual <- function(object, ..., ages = NULL) {
  rlang::check_dots_empty()
  drawn <- usual_cells(object, ages)
  figure <- ggplot2::ggplot(drawn$data, ggplot2::aes(
    .data$cohort, .data$difference, colour = .data$verdict, fill = .data$verdict
  )) +
    event_marks(object) +
    ggplot2::geom_hline(yintercept = 0, colour = palette_of[["ink"]], linewidth = 0.4) +
    ggplot2::geom_linerange(
      ggplot2::aes(ymin = .data$lower, ymax = .data$upper), linewidth = 0.7, alpha = 0.7
    ) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$verdict), size = 2.4) +
    ggplot2::scale_colour_manual(values = drawn$tone) +
    ggplot2::scale_fill_manual(values = drawn$tone) +
    ggplot2::scale_shape_manual(values = drawn$form) +
    ggplot2::scale_x_date(
      date_labels = if (drawn$clock %in% c("day", "week", "month")) "%b\n%Y" else "%Y",
      expand = ggplot2::expansion(0.03)
    ) +
    ggplot2::scale_y_continuous(
      labels = if (drawn$share) {
        \(v) paste0(ifelse(v > 0, "+", ""), round(100 * v), "\u00a0pp")
      } else {
        \(v) paste0(ifelse(v > 0, "+", ""), v)
      }
    ) +
    figure_words(
      object,
      say(
        "Difference of each cohort from all earlier ones together: %s; line: %s interval",
        measure_words(object),
        present_share(basis_of(object, "level"))
      ),
      marks = TRUE,
      caption = say(
        "Triangles: better or worse than usual, beyond noise. Dots: not told from noise."
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      strip.text = ggplot2::element_text(hjust = 0, size = 12, face = "bold"),
      panel.spacing = ggplot2::unit(14, "pt")
    )
  if (is.null(drawn$by)) {
    figure + ggplot2::facet_wrap(~panel, ncol = 2L)
  } else {
    figure + ggplot2::facet_grid(stats::reformulate("panel", drawn$by), scales = "free_y")
  }
}

# What is drawn: cohorts by age, against the usual course.
usual_cells <- function(object, ages) {
  throw_unless(
    checkmate::check_integerish(
      ages, lower = 0, any.missing = FALSE, min.len = 1L, max.len = 4L, null.ok = TRUE
    ),
    "ages",
    rlang::caller_env()
  )
  grouped_by <- basis_of(object, "by")
  data <- plain_table(object)
  data <- data[is.null(ages) | data$age %in% ages, ]
  nothing_to_draw(nrow(data) == 0L, object, rlang::caller_env())
  ages <- ages %||% telling_ages(data, basis_of(object, "clock"))
  data <- data[data$age %in% ages, ]
  clock <- basis_of(object, "clock")
  share <- grid_measures[[basis_of(object, "measure")]]$kind == "share"
  data$panel <- factor(
    paste(if (share) "age" else say("up to age"), data$age),
    paste(if (share) "age" else say("up to age"), sort(unique(data$age)))
  )
  data$verdict <- factor(data$verdict, c("better", "as usual", "worse", "too few"))
  tone <- c(
    better = palette_of[["petrol"]],
    `as usual` = "#8a949b",
    worse = palette_of[["brick"]],
    `too few` = palette_of[["rule"]]
  )
  form <- c(better = 24L, `as usual` = 21L, worse = 25L, `too few` = 4L)
  list(by = grouped_by, data = data, clock = clock, share = share, tone = tone, form = form)
}

# Ages that most cohorts can be judged at, and later ones.
telling_ages <- function(data, clock) {
  wanted <- switch(clock,
    day = c(7L, 30L, 90L, 180L),
    week = c(1L, 4L, 13L, 26L),
    month = c(1L, 3L, 6L, 12L),
    quarter = c(1L, 2L, 4L, 6L),
    year = 1:4
  )
  known <- table(data$age)
  found <- intersect(wanted, as.integer(names(known)[known >= min(2L, max(known))]))
  if (length(found) > 0L) found else as.integer(names(known))[seq_len(min(4L, length(known)))]
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_payback
#' @exportS3Method ggplot2::autoplot nubrek_payback
autoplot.nubrek_payback <- function(object, ...) {
  rlang::check_dots_empty()
  grouped_by <- basis_of(object, "by")
  margin <- basis_of(object, "money") == "margin"
  nothing_to_draw(nrow(payback_pool(object)) == 0L, object)
  data <- payback_courses(object, grouped_by, margin)
  far <- data$far
  late <- NROW(data$crossed) == 1L && data$crossed$age > far / 4
  tone <- money_tone(margin)
  figure <- ggplot2::ggplot(data$pool, ggplot2::aes(.data$age, .data$value)) +
    ggplot2::geom_line(
      data = data$course,
      ggplot2::aes(group = .data$cohort),
      colour = palette_of[["rule"]],
      linewidth = 0.4
    ) +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$lower, ymax = .data$upper), fill = tone, alpha = 0.22, na.rm = TRUE
    ) +
    ggplot2::geom_line(colour = tone, linewidth = 1.1) +
    cost_line() +
    cost_words(data$last, far, 1.5) +
    crossed_points(data$crossed, tone) +
    crossed_words(
      data$crossed,
      grouped_by,
      say("  paid back at age %d"),
      if (late) 1.03 else 0,
      if (late) -0.9 else 2.4
    ) +
    ggplot2::scale_x_continuous(
      breaks = \(lim) pretty(c(0, far), 6)[pretty(c(0, far), 6) <= far],
      expand = ggplot2::expansion(c(0.02, 0.02))
    ) +
    ggplot2::scale_y_continuous(
      limits = c(min(0, data$course$value), NA), expand = ggplot2::expansion(c(0, 0.06))
    ) +
    payback_words(object, grouped_by, margin, data$groups) +
    theme_nubrek() +
    ggplot2::theme(
      axis.title.x = ggplot2::element_text(size = 12),
      strip.text = ggplot2::element_text(hjust = 0, size = 12, face = "bold")
    ) +
    ggplot2::xlab(paste0(say("age in "), basis_of(object, "clock"), "s"))
  if (length(grouped_by) == 0L) figure else figure + ggplot2::facet_wrap(~group)
}

# What is drawn: the pooled course of each group, single cohorts, where the cost is reached, and the
# end of each, up to the age that well-founded cohorts reach.
payback_courses <- function(object, by, margin) {
  pool <- payback_pool(object)
  course <- payback_course(object)
  course <- course[course$complete & !course$older, ]
  pool$group <- row_group(pool, by)
  course$group <- row_group(course, by)
  groups <- largest_groups(pool)
  pool <- pool[pool$group %in% groups$shown, ]
  course <- course[course$group %in% groups$shown, ]
  far <- min(max(well_founded(pool)$age), max(3L, 2L * basis_of(object, "within")))
  pool <- pool[pool$age <= far, ]
  course <- course[course$age <= far, ]
  crossed <- if (margin) first_crossed(pool)
  if (length(by) > 0L) {
    # in small panels every third age tells as much of single cohorts
    if (far > 12L) course <- course[course$age %% 3L == 0L, ]
    strips <- payback_strips(groups$shown, crossed, margin)
    pool <- in_strips(pool, groups$shown, strips)
    course <- in_strips(course, groups$shown, strips)
    crossed <- in_strips(crossed, groups$shown, strips)
  }
  last <- do.call(rbind, lapply(split(pool, pool$group, drop = TRUE), utils::tail, 1L))
  if (length(by) > 0L) last <- last[1L, ] # said once
  last$label <- if (diff(range(pool$cost)) < 0.005) {
    paste("cost", format_money(last$cost, basis_of(object, "currency")))
  } else {
    "acquisition cost"
  }
  list(pool = pool, course = course, crossed = crossed, last = last, far = far, groups = groups)
}

payback_words <- function(object, by, margin, groups) {
  figure_words(
    object,
    paste0(
      if (margin) {
        say("Value to date: cumulative margin")
      } else {
        say("Cumulative net sales (not margin)")
      },
      say(" per acquired customer against the acquisition cost, by age in "),
      basis_of(object, "clock"),
      "s"
    ),
    caption = paste0(
      say("Thick: all cohorts complete at that age, without those that may hold older customers; "),
      say("band: 95 % interval. "),
      say("Grey: single cohorts. Dashed: cost of the cohorts complete at that age."),
      if (length(by) > 0L && margin) say(" Beside the name: the age at payback."),
      largest_words(groups)
    )
  )
}
