# Figures of judgement over cohorts: each against usual, and what has been paid back.

#' @rdname autoplot.nubrek
#' @param ages `[integer]` Of [against_usual()]: the ages drawn, at most four. Default: ages spread over those known.
#' @method autoplot nubrek_usual
#' @exportS3Method ggplot2::autoplot nubrek_usual
autoplot.nubrek_usual <- function(object, ..., ages = NULL) {
  rlang::check_dots_empty()
  throw_unless(checkmate::check_integerish(ages, lower = 0, any.missing = FALSE, min.len = 1L, max.len = 4L, null.ok = TRUE), "ages", rlang::current_env())
  by <- basis_of(object, "by")
  data <- plain_table(object)
  data <- data[is.null(ages) | data$age %in% ages, ]
  nothing_to_draw(nrow(data) == 0L, object)
  ages <- ages %||% telling_ages(data, basis_of(object, "clock"))
  data <- data[data$age %in% ages, ]
  clock <- basis_of(object, "clock")
  share <- grid_measures[[basis_of(object, "measure")]]$kind == "share"
  data$panel <- factor(paste(if (share) "age" else "up to age", data$age), paste(if (share) "age" else "up to age", sort(unique(data$age))))
  data$verdict <- factor(data$verdict, c("better", "as usual", "worse", "too few"))
  tone <- c(better = palette_of[["petrol"]], `as usual` = "#8a949b", worse = palette_of[["brick"]], `too few` = palette_of[["rule"]])
  form <- c(better = 24L, `as usual` = 21L, worse = 25L, `too few` = 4L)
  plot <- ggplot2::ggplot(data, ggplot2::aes(.data$cohort, .data$difference, colour = .data$verdict, fill = .data$verdict)) +
    ggplot2::geom_hline(yintercept = 0, colour = palette_of[["ink"]], linewidth = 0.4) +
    ggplot2::geom_linerange(ggplot2::aes(ymin = .data$lower, ymax = .data$upper), linewidth = 0.7, alpha = 0.7) + ggplot2::geom_point(ggplot2::aes(shape = .data$verdict), size = 2.4) +
    ggplot2::scale_colour_manual(values = tone) + ggplot2::scale_fill_manual(values = tone) + ggplot2::scale_shape_manual(values = form) +
    ggplot2::scale_x_date(date_labels = if (clock %in% c("day", "week", "month")) "%b\n%Y" else "%Y", expand = ggplot2::expansion(0.03)) +
    ggplot2::scale_y_continuous(labels = if (share) \(v) paste0(ifelse(v > 0, "+", ""), round(100 * v), "\u00a0pp") else \(v) paste0(ifelse(v > 0, "+", ""), v)) +
    figure_words(object, sprintf("Difference of each cohort from all earlier ones together: %s; line: %s interval", measure_words(object), present_share(basis_of(object, "level"))),
                 caption = "Triangles: better or worse than usual, beyond noise. Dots: not told from noise.") +
    theme_nubrek() + ggplot2::theme(strip.text = ggplot2::element_text(hjust = 0, size = 12, face = "bold"), panel.spacing = ggplot2::unit(14, "pt"))
  if (is.null(by)) plot + ggplot2::facet_wrap(~ panel, ncol = 2L) else plot + ggplot2::facet_grid(stats::reformulate("panel", by), scales = "free_y")
}

# Ages that most cohorts can be judged at, and later ones.
telling_ages <- function(data, clock) {
  wanted <- switch(clock, day = c(7L, 30L, 90L, 180L), week = c(1L, 4L, 13L, 26L), month = c(1L, 3L, 6L, 12L), quarter = c(1L, 2L, 4L, 6L), year = 1:4)
  known <- table(data$age)
  found <- intersect(wanted, as.integer(names(known)[known >= min(2L, max(known))]))
  if (length(found) > 0L) found else as.integer(names(known))[seq_len(min(4L, length(known)))]
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_payback
#' @exportS3Method ggplot2::autoplot nubrek_payback
autoplot.nubrek_payback <- function(object, ...) {
  rlang::check_dots_empty()
  by <- basis_of(object, "by")
  margin <- basis_of(object, "money") == "margin"
  pool <- payback_pool(object)
  nothing_to_draw(nrow(pool) == 0L, object)
  course <- payback_course(object)
  course <- course[course$complete & !course$older, ]
  group_of_row <- \(table) if (length(by) == 0L) rep("", nrow(table)) else do.call(paste, c(lapply(table[by], as.character), sep = ", "))
  pool$group <- group_of_row(pool)
  course$group <- group_of_row(course)
  biggest <- names(sort(tapply(pool$size, pool$group, max), decreasing = TRUE))
  shown <- utils::head(biggest, 9L)
  pool <- pool[pool$group %in% shown, ]
  course <- course[course$group %in% shown, ]
  far <- min(max(well_founded(pool)$age), max(3L, 2L * basis_of(object, "within")))
  pool <- pool[pool$age <= far, ]
  course <- course[course$age <= far, ]
  crossed <- if (margin) do.call(rbind, lapply(split(pool, pool$group), \(p) utils::head(p[p$value >= p$cost, ], 1L)))
  if (length(by) > 0L) {
    age <- crossed$age[match(shown, crossed$group)]
    strip <- paste0(shown, if (margin) ifelse(is.na(age), ": not yet", paste0(": age ", age)))
    for (one in c("pool", "course", "crossed")) if (!is.null(get(one))) { table <- get(one); table$group <- factor(strip[match(table$group, shown)], strip); assign(one, table) }
  }
  last <- do.call(rbind, lapply(split(pool, pool$group, drop = TRUE), utils::tail, 1L))
  if (length(by) > 0L) last <- last[1L, ]                  # said once
  last$label <- if (diff(range(pool$cost)) < 0.005) paste("cost", format_money(last$cost, basis_of(object, "currency"))) else "acquisition cost"
  clock <- basis_of(object, "clock")
  tone <- if (margin) palette_of[["moss"]] else palette_of[["petrol"]]
  plot <- ggplot2::ggplot(pool, ggplot2::aes(.data$age, .data$value)) +
    ggplot2::geom_line(data = course, ggplot2::aes(group = .data$cohort), colour = palette_of[["rule"]], linewidth = 0.4) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$lower, ymax = .data$upper), fill = tone, alpha = 0.22, na.rm = TRUE) +
    ggplot2::geom_line(colour = tone, linewidth = 1.1) + ggplot2::geom_line(ggplot2::aes(y = .data$cost), colour = palette_of[["brick"]], linetype = "42", linewidth = 0.8) +
    ggplot2::geom_text(data = last, ggplot2::aes(x = far, y = .data$cost, label = .data$label), colour = palette_of[["brick"]], hjust = 1, vjust = 1.5, size = 4) +
    (if (NROW(crossed) > 0L) ggplot2::geom_point(data = crossed, colour = palette_of[["ink"]], fill = tone, shape = 21L, size = 3.4)) +
    (if (NROW(crossed) > 0L && length(by) == 0L) ggplot2::annotate("text", x = crossed$age, y = crossed$value, label = sprintf("  paid back at age %d", crossed$age),
        hjust = if (crossed$age > far / 4) 1.03 else 0,
       vjust = if (crossed$age > far / 4) -0.9 else 2.4, size = 4.2, colour = palette_of[["ink"]])) +
    ggplot2::scale_x_continuous(breaks = \(lim) pretty(c(0, far), 6)[pretty(c(0, far), 6) <= far], expand = ggplot2::expansion(c(0.02, 0.02))) +
    ggplot2::scale_y_continuous(limits = c(min(0, course$value), NA), expand = ggplot2::expansion(c(0, 0.06))) +
    figure_words(object, paste0(if (margin) "Value to date: cumulative margin" else "Cumulative net sales (not margin)", " per acquired customer against the acquisition cost, by age in ", clock, "s"),
                 caption = paste0("Thick: all cohorts complete at that age, without those that may hold older customers; band: 95 % interval. ",
                   "Grey: single cohorts. Dashed: cost of the cohorts complete at that age.", if (length(by) > 0L && margin) " Beside the name: the age at payback.",
                                  if (length(biggest) > length(shown)) sprintf(" The %d largest of %d groups.", length(shown), length(biggest)))) +
    theme_nubrek() + ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12), strip.text = ggplot2::element_text(hjust = 0, size = 12, face = "bold")) + ggplot2::xlab(paste0("age in ",
        clock, "s"))
  if (length(by) == 0L) plot else plot + ggplot2::facet_wrap(~ group)
}
