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
  mean <- basis_of(object, "mean_of_gaps")
  top <- max(data$n)
  ggplot2::ggplot(data, ggplot2::aes(.data$from + width / 2, .data$n)) +
    ggplot2::geom_col(fill = palette_of[["petrol"]], width = width * 0.9) +
    ggplot2::annotate("segment", x = c(middle, mean), xend = c(middle, mean), y = 0, yend = top * c(1.08, 0.92), colour = palette_of[["ink"]], linewidth = 0.5, linetype = "22") +
    ggplot2::annotate("text", x = c(middle, mean) + longest / 100, y = top * c(1.06, 0.9), label = c(paste("median", n_of(middle, "day")), paste("mean", n_of(round(mean), "day"))), hjust = 0,
        size = 4.2,
                      colour = palette_of[["ink"]]) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(c(0.01, 0.02))) + ggplot2::scale_y_continuous(limits = c(0, top * 1.12), expand = ggplot2::expansion(0), labels = format_count) +
    figure_words(object, paste0("Gaps between consecutive purchases, in bars of ", n_of(width, "day")),
                 caption = sprintf("n = %s gaps; the longest 2 %% (beyond %s days) are not drawn.", format_count(total), format_count(longest))) +
    theme_nubrek() + ggplot2::theme(panel.grid.major.x = ggplot2::element_blank(), axis.title.x = ggplot2::element_text(size = 12)) + ggplot2::xlab("days between two purchases")
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_waits
#' @exportS3Method ggplot2::autoplot nubrek_waits
autoplot.nubrek_waits <- function(object, ..., measure = "share_of_row") {
  rlang::check_dots_empty()
  check_choice(measure, names(wait_measures))
  nothing_to_draw(nrow(object) == 0L, object)
  clock <- basis_of(object, "clock")
  data <- plain_table(object)
  data$value <- data[[measure]]
  every <- sort(unique(data$cohort))
  cohorts <- utils::tail(every, 36L)
  last <- max(data$waited, 0L, na.rm = TRUE)
  all <- sum(data$customers)
  of_wait <- as.data.frame(as.data.table(data)[, .(customers = sum(customers)), by = waited])
  of_cohort <- tapply(data$customers, factor(format(data$cohort), format(every)), sum)
  total <- \(n) if (measure == "customers") n else n / all
  data <- data[data$cohort %in% cohorts, ]
  cells <- rbind(
    data.frame(x = data$waited, y = match(data$cohort, cohorts), value = data$value, sum = FALSE, partial = is.na(data$at_risk) & !is.na(data$waited)),
    data.frame(x = of_wait$waited, y = length(cohorts) + 1.4, value = if (measure == "share_of_column") 1 else total(of_wait$customers), sum = TRUE, partial = FALSE),
    data.frame(x = last + 3.2, y = c(seq_along(cohorts), length(cohorts) + 1.4), sum = TRUE, partial = FALSE,
               value = c(if (measure == "share_of_row") rep(1, length(cohorts)) else total(of_cohort[format(cohorts)]), total(all))))
  late <- is.na(cells$x)
  cells$x[late] <- last + 1.6
  top <- max(cells$value[!cells$sum & !late], 1e-9, na.rm = TRUE)
  cells$fill <- ifelse(cells$sum, "#efe9dd", ifelse(late, palette_of[["rule"]], grid_fill(cells$value / top)))
  cells$text <- if (measure == "customers") format_count(cells$value) else fixed(100 * cells$value, if (measure == "share_of_table") 1L else 0L, "")
  cells <- cells[!is.na(cells$value), ]
  steps <- seq(0, last, by = if (last > 18) 3 else 1)
  size <- max(2.2, min(3.6, 96 / length(cohorts), 150 / (last + 3) / max(2, 0.6 * max(nchar(cells$text)))))
  ggplot2::ggplot(cells, ggplot2::aes(.data$x, .data$y)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$fill), width = 0.96, height = 0.92) +
    ggplot2::geom_tile(data = cells[cells$partial, ], fill = NA, colour = palette_of[["brick"]], linetype = "22", linewidth = 0.4, width = 0.9, height = 0.84) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text, colour = ink_on(.data$fill)), size = size) +
    ggplot2::scale_fill_identity() + ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(position = "top", breaks = c(steps, last + 1.6, last + 3.2), labels = c(steps, "not yet", "all"), expand = ggplot2::expansion(0.005)) +
    ggplot2::scale_y_reverse(breaks = c(seq_along(cohorts), length(cohorts) + 1.4), expand = ggplot2::expansion(add = 0.2),
                             labels = c(paste0(period_label(cohorts, clock), "  (", format_count(as.integer(of_cohort[format(cohorts)])), ")"), "all")) +
    figure_words(object, sprintf("%s by %ss until the %s purchase, with totals; cohort size in brackets", wait_measures[[measure]], clock, ordinal(basis_of(object, "nth"))),
                 caption = "Dashed: period observed in part. Empty: not observed yet.") +
    theme_nubrek(12) + ggplot2::theme(panel.grid.major = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(hjust = 0, size = 9))
}

#' @method autoplot nubrek_curve
#' @exportS3Method ggplot2::autoplot nubrek_curve
autoplot.nubrek_curve <- function(object, ..., groups = 5L) {
  rlang::check_dots_empty()
  nothing_to_draw(nrow(object) == 0L, object)
  data <- plain_table(object)
  big <- tapply(data$at_risk, factor(data$group, unique(data$group)), max)
  far <- by_day_90(data)
  shown <- unique(c(names(far)[c(which.max(far), which.min(far))], names(sort(big, decreasing = TRUE))))[seq_len(min(groups, length(big)))]      # those the title speaks of, and the largest
  data <- data[data$group %in% shown, ]
  start <- data.frame(group = unique(data$group), days = 0L, share = 0, lower = 0, upper = 0, at_risk = NA_integer_)
  data <- rbind(start[!start$group %in% data$group[data$days == 0L], ], data)
  data <- data[order(match(data$group, shown), data$days), ]
  tone <- stats::setNames(palette_of[c("petrol", "ochre", "mauve", "moss", "brick", "ink")][seq_along(shown)], shown)
  ends <- do.call(rbind, lapply(split(data, factor(data$group, shown)), utils::tail, 1L))
  ends$label <- if (length(shown) > 1L) paste0(ends$group, " ", present_share(ends$share)) else present_share(ends$share)
  ends$y <- spread_labels(ends$share, 0.055 * max(data$share))
  longest <- max(data$days)
  ggplot2::ggplot(data, ggplot2::aes(.data$days, .data$share, colour = .data$group, fill = .data$group)) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$lower, ymax = .data$upper), alpha = 0.16, colour = NA, na.rm = TRUE) +
    ggplot2::geom_step(linewidth = 0.8) +
    ggplot2::geom_text(data = ends, ggplot2::aes(x = longest * 1.012, y = .data$y, label = .data$label), hjust = 0, size = 4.2) +
    ggplot2::scale_colour_manual(values = tone) + ggplot2::scale_fill_manual(values = tone) +
    ggplot2::scale_x_continuous(limits = c(0, longest * if (length(shown) > 1L) 1.24 else 1.09), breaks = c(0, 30, 90, 180, 365, 548, 730, 1095)[c(0, 30, 90, 180, 365, 548, 730,
        1095) <= longest], expand = ggplot2::expansion(c(0.01, 0))) +
    ggplot2::scale_y_continuous(limits = c(0, NA), labels = \(v) present_share(v), expand = ggplot2::expansion(c(0, 0.05))) +
    figure_words(object, sprintf("Share of customers with a %s purchase by days since the first (Kaplan-Meier), band: %s interval", ordinal(basis_of(object, "nth")),
        present_share(basis_of(object, "level"))),
                 caption = sprintf("n = %s customers, of whom %s have made it; the others count as long as they were seen.%s", format_count(basis_of(object, "customers")),
                     format_count(basis_of(object, "back")),
                                   if (length(big) > length(shown)) sprintf(" Of %d groups the highest, the lowest and the largest.", length(big)) else "")) +
    theme_nubrek() + ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12)) + ggplot2::xlab("days since the first purchase")
}

nothing_to_draw <- function(empty, x, call = rlang::caller_env()) {
  said <- describe(x)
  if (empty) abort_nubrek(c("There is nothing to draw.", "x" = "{said$finding %||% said$heading}"), "no_purchases", call = call)
}

# Labels at the right, moved apart so that none covers another.
spread_labels <- function(y, apart) {
  at <- order(y)
  for (i in seq_along(at)[-1L]) y[at[[i]]] <- max(y[at[[i]]], y[at[[i - 1L]]] + apart)
  y
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_new
#' @exportS3Method ggplot2::autoplot nubrek_new
autoplot.nubrek_new <- function(object, ...) {
  rlang::check_dots_empty()
  by <- basis_of(object, "by")
  table <- plain_table(object)
  kinds <- names(new_colours)[c(TRUE, TRUE, any(table$reactivation_possible))]
  data <- do.call(rbind, lapply(kinds, \(kind) data.frame(period = table$period, partial = table$partial, group = if (is.null(by)) "" else table[[by]], kind = kind, n = table[[kind]])))
  data$kind <- factor(data$kind, rev(kinds))
  width <- if (length(unique(data$period)) > 1L) as.numeric(min(diff(sort(unique(data$period))))) * 0.86 else 20
  label <- data.frame(kind = factor(kinds, rev(kinds)), group = if (is.null(by)) "" else sort(unique(data$group))[[1L]], x = min(data$period), y = NA)
  tall <- tapply(data$n, paste(data$group, data$period), sum)
  plot <- ggplot2::ggplot(data, ggplot2::aes(.data$period, .data$n)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$kind, alpha = .data$partial), width = width) +
    ggplot2::scale_fill_manual(values = new_colours, breaks = kinds) + ggplot2::scale_alpha_manual(values = c(`FALSE` = 1, `TRUE` = 0.45), guide = "none") +
    ggplot2::scale_y_continuous(labels = format_count, limits = c(0, max(tall) * 1.05), expand = ggplot2::expansion(0)) + ggplot2::scale_x_date(date_labels = "%b\n%Y",
        expand = ggplot2::expansion(0.01)) +
    figure_words(object, paste0("Customers with a purchase, by ", basis_of(object, "clock"), if (!is.null(basis_of(object, "lookback"))) sprintf("; returning: last purchase within %s before",
                 n_of(basis_of(object, "lookback"), if (basis_of(object, "unit") == "days") "day" else basis_of(object, "clock")))),
                     caption = if (any(table$partial)) "Pale: period observed in part.") +
    theme_nubrek() + ggplot2::theme(panel.grid.major.x = ggplot2::element_blank(), legend.position = "top", legend.justification = 0, legend.title = ggplot2::element_blank(),
        legend.margin = ggplot2::margin(0, 0, 0, 0),
                                    strip.text = ggplot2::element_text(hjust = 0, size = 11))
  if (is.null(by)) plot else plot + ggplot2::facet_wrap(~ group)
}

#' @rdname autoplot.nubrek
#' @param groups `[integer(1)]` So many of the largest groups are drawn.
#' @method autoplot nubrek_sales
#' @exportS3Method ggplot2::autoplot nubrek_sales
autoplot.nubrek_sales <- function(object, ..., groups = 12L) {
  rlang::check_dots_empty()
  by <- basis_of(object, "by")
  compared <- !is.null(basis_of(object, "against"))
  data <- utils::head(plain_table(object), groups)
  data$label <- do.call(paste, c(lapply(data[by], as.character), sep = ", "))
  data$label <- factor(data$label, rev(data$label))
  data$text <- paste0(format_money(data$sales, basis_of(object, "currency")), "  ", if (!compared) present_share(data$share) else
    paste0("(", ifelse(data$change >= 0, "+", "\u2212"), format_money(abs(data$change), ""), ifelse(is.na(data$change_percent), "", paste0(", ", present_share(data$change_percent))), ")"))
  top <- max(data$sales, if (compared) data$sales_before, 0)
  ggplot2::ggplot(data, ggplot2::aes(.data$sales, .data$label)) +
    ggplot2::geom_col(fill = palette_of[["petrol"]], width = 0.62) +
    (if (compared) ggplot2::geom_errorbarh(ggplot2::aes(xmin = .data$sales_before, xmax = .data$sales_before), height = 0.8, linewidth = 1.2, colour = palette_of[["ochre"]])) +
    ggplot2::geom_text(ggplot2::aes(x = if (compared) pmax(.data$sales, .data$sales_before, 0) else pmax(.data$sales, 0), label = .data$text), hjust = -0.03, size = 4,
        colour = palette_of[["ink"]]) +
    ggplot2::scale_x_continuous(limits = c(min(0, data$sales), top * 1.42), labels = \(v) format_count(round(v)), expand = ggplot2::expansion(c(0, 0))) +
    figure_words(object, paste0("Net sales by ", paste(gsub("_", " ", by), collapse = " and "), if (compared) "; ochre line: the earlier time"),
                 caption = if (nrow(object) > nrow(data)) sprintf("The %d largest of %d groups.", nrow(data), nrow(object))) +
    theme_nubrek() + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(size = 12))
}
