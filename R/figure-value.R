# Figures of the money to come. Observed is solid, forecast lighter, the border day marked.

ahead_colours <- c(observed = palette_of[["petrol"]], today = "#8fb8b5", coming = "#e3c58d")

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_outcome
#' @exportS3Method ggplot2::autoplot nubrek_outcome
autoplot.nubrek_outcome <- function(object, ...) {
  rlang::check_dots_empty()
  clock <- basis_of(object, "clock")
  history <- attr(object, "history")
  history <- utils::tail(history[!(history$partial & history$period < object$period[[1L]]), ], 25L)
  table <- plain_table(object)
  seen <- stats::setNames(history$sales, format(history$period))
  base <- ifelse(format(table$period) %in% names(seen), seen[format(table$period)], 0)
  bars <- rbind(data.frame(period = history$period, sales = history$sales, what = "observed"), data.frame(period = table$period, sales = table$sales_today, what = "today"),
                data.frame(period = table$period, sales = table$sales - table$sales_today, what = "coming"))
  bars$what <- factor(bars$what, c("coming", "today", "observed"))
  periods <- sort(unique(bars$period))
  bars$x <- match(bars$period, periods)
  ends <- data.frame(x = match(table$period, periods), lower = base + table$sales_lower, upper = base + table$sales_upper)
  border <- match(table$period[[1L]], periods) + if (table$partial[[1L]]) 0 else -0.5
  currency <- basis_of(object, "currency")
  key <- data.frame(x = 0.6, what = c("observed", "today", if (sum(table$new) > 0) "coming"), label = c("observed", "expected of today's customers",
    if (sum(table$new) > 0) "expected of customers still to be won"))
  top <- max(ends$upper, history$sales)
  key$y <- top * (1.2 - 0.06 * seq_len(nrow(key)))
  step <- max(1L, ceiling(length(periods) / 13))
  ggplot2::ggplot(bars, ggplot2::aes(.data$x, .data$sales)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$what), width = 0.82) +
    ggplot2::geom_linerange(data = ends, ggplot2::aes(.data$x, ymin = .data$lower, ymax = .data$upper), inherit.aes = FALSE, colour = palette_of[["ink"]], linewidth = 0.7) +
    ggplot2::geom_vline(xintercept = border, colour = palette_of[["brick"]], linetype = "13", linewidth = 0.7) +
    ggplot2::annotate("text", x = border, y = top * 1.14, label = paste0(" ", format_day(basis_of(object, "as_of"))), hjust = 0, size = 4, colour = palette_of[["brick"]]) +
    ggplot2::geom_tile(data = key, ggplot2::aes(.data$x + 0.25, .data$y, fill = .data$what), width = 0.6, height = top * 0.04, inherit.aes = FALSE) +
    ggplot2::geom_text(data = key, ggplot2::aes(.data$x + 0.75, .data$y, label = .data$label), hjust = 0, size = 4, colour = palette_of[["ink"]]) +
    ggplot2::scale_fill_manual(values = ahead_colours) +
    ggplot2::scale_x_continuous(breaks = seq(1L, length(periods), by = step), labels = \(at) gsub("-", "\u2011", period_label(periods[at], clock)), expand = ggplot2::expansion(0.01)) +
    ggplot2::scale_y_continuous(labels = \(v) formatC(v, format = "d", big.mark = "\u202f"), limits = c(0, top * 1.2), expand = ggplot2::expansion(c(0, 0))) +
    figure_words(object, sprintf("Net sales by %s%s; line: %s interval of the whole bar", clock, if (nzchar(currency)) paste(" in", currency) else "", present_share(basis_of(object, "level")))) +
    theme_nubrek() + ggplot2::theme(panel.grid.major.x = ggplot2::element_blank())
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_outlook_grid
#' @exportS3Method ggplot2::autoplot nubrek_outlook_grid
autoplot.nubrek_outlook_grid <- function(object, ..., cohorts = 18L) {
  rlang::check_dots_empty()
  check_whole(cohorts)
  clock <- basis_of(object, "clock")
  by <- basis_of(object, "by")
  if (length(by) > 0L) return(ggplot2::autoplot(cohort_value(object)))
  data <- plain_table(object)
  data <- data[!is.na(data$per_customer), ]
  nothing_to_draw(nrow(data) == 0L, object)
  shown <- utils::tail(sort(unique(data$cohort)), cohorts)
  data <- data[data$cohort %in% shown, ]
  data$y <- match(data$cohort, shown)
  data$ahead <- data$what != "observed"
  data$fill <- grid_fill(data$per_customer / max(data$per_customer) * ifelse(data$ahead, 0.62, 1))
  digits <- if (max(data$per_customer) >= 100) 0L else if (max(data$age) > 16L) 0L else 1L
  data$text <- formatC(data$per_customer, format = "f", digits = digits, big.mark = "\u202f")
  edge <- do.call(rbind, lapply(split(data, data$y), \(r) data.frame(y = r$y[[1L]], x = min(r$age[r$ahead]) - 0.5)))
  first <- data[match(shown, data$cohort), ]
  columns <- max(data$age) + 1L
  ggplot2::ggplot(data, ggplot2::aes(.data$age, .data$y)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$fill), width = 0.96, height = 0.92) +
    ggplot2::geom_tile(data = data[data$ahead, ], fill = NA, colour = palette_of[["paper"]], linetype = "11", linewidth = 0.5, width = 0.9, height = 0.84) +
    ggplot2::geom_segment(data = edge, ggplot2::aes(x = .data$x, xend = .data$x, y = .data$y - 0.5, yend = .data$y + 0.5), colour = palette_of[["brick"]], linewidth = 1) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text, colour = ink_on(.data$fill), fontface = ifelse(.data$ahead, "italic", "plain")), size = min(3.7,
      175 / columns / (0.62 * max(nchar(data$text))))) +
    ggplot2::scale_fill_identity() + ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(position = "top", breaks = seq(0, max(data$age), by = if (columns > 30L) 3L else 1L), expand = ggplot2::expansion(0.005)) +
    ggplot2::scale_y_reverse(breaks = seq_along(shown), labels = paste0(period_label(shown, clock), "  (", format_count(first$size), ")"), expand = ggplot2::expansion(add = 0.2)) +
    figure_words(object, sprintf("Cumulative %s per acquired customer by age in %ss; cohort size in brackets", basis_of(object, "money"), clock),
                 caption = paste0("Right of the line, lighter and in italics: what the models expect (the present ", clock, " in part).", if (length(unique(object$cohort)) > length(shown))
                   sprintf(" The %d newest cohorts.", length(shown)))) +
    theme_nubrek(12) + ggplot2::theme(panel.grid.major = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(hjust = 0, size = 10), axis.text.x = ggplot2::element_text(size = 10))
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_worth
#' @exportS3Method ggplot2::autoplot nubrek_worth
autoplot.nubrek_worth <- function(object, ...) {
  rlang::check_dots_empty()
  by <- basis_of(object, "by")
  clock <- basis_of(object, "clock")
  nothing_to_draw(all(object$older), object)
  course <- worth_course(object)
  known <- basis_of(object, "money") != "sales"
  course$group <- if (length(by) == 0L) "" else do.call(paste, c(lapply(course[by], as.character), sep = ", "))
  biggest <- names(sort(tapply(course$size, course$group, max), decreasing = TRUE))
  shown <- utils::head(biggest, 9L)
  course <- course[course$group %in% shown, ]
  crossed <- if (known) do.call(rbind, lapply(split(course, course$group), \(p) utils::head(p[which(p$value >= p$cost), ], 1L)))
  if (length(by) > 0L) {
    age <- crossed$age[match(shown, crossed$group)]
    strip <- paste0(shown, if (known && !all(is.na(course$cost))) ifelse(is.na(age), ": not yet", paste0(": age ", age)))
    course$group <- factor(strip[match(course$group, shown)], strip)
    if (NROW(crossed) > 0L) crossed$group <- factor(strip[match(crossed$group, shown)], strip)
  }
  tone <- if (known) palette_of[["moss"]] else palette_of[["petrol"]]
  light <- grDevices::adjustcolor(tone, 0.55)
  course$mostly <- course$observed >= 0.5
  last <- do.call(rbind, lapply(split(course, course$group, drop = TRUE), utils::tail, 1L))
  last <- last[!is.na(last$cost), ]
  if (length(by) > 0L) last <- utils::head(last, 1L)
  border <- do.call(rbind, lapply(split(course, course$group, drop = TRUE), \(p) if (any(!p$mostly) && any(p$mostly)) data.frame(group = p$group[[1L]], age = max(p$age[p$mostly]) + 0.5)))
  plot <- ggplot2::ggplot(course, ggplot2::aes(.data$age, .data$value)) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$lower, ymax = .data$upper), fill = tone, alpha = 0.25, na.rm = TRUE) +
    ggplot2::geom_line(colour = light, linewidth = 1.1) + ggplot2::geom_line(data = course[course$mostly, ], colour = tone, linewidth = 1.2) +
    ggplot2::geom_line(ggplot2::aes(y = .data$cost), colour = palette_of[["brick"]], linetype = "42", linewidth = 0.8, na.rm = TRUE) +
    (if (nrow(last) > 0L) ggplot2::geom_text(data = last, ggplot2::aes(y = .data$cost, label = if (length(by) > 0L) "acquisition cost" else paste("acquisition cost",
      format_money(.data$cost, basis_of(object,
        "currency"), 2L))), colour = palette_of[["brick"]], hjust = 1, vjust = if (any(last$value < last$cost * 1.15)) -0.7 else 1.5, size = 4)) +
    (if (NROW(border) > 0L) ggplot2::geom_vline(data = border, ggplot2::aes(xintercept = .data$age), colour = palette_of[["rule"]], linewidth = 0.8)) +
    (if (NROW(crossed) > 0L) ggplot2::geom_point(data = crossed, colour = palette_of[["ink"]], fill = tone, shape = 21L, size = 3.4)) +
    (if (NROW(crossed) > 0L && length(by) == 0L) ggplot2::annotate("text", x = crossed$age, y = crossed$value, label = sprintf("paid back at age %d  ", crossed$age), hjust = 1,
      vjust = -0.6, size = 4.2,
      colour = palette_of[["ink"]])) +
    ggplot2::scale_x_continuous(breaks = \(lim) unique(round(pretty(c(0, lim[[2L]]), 6))), expand = ggplot2::expansion(c(0.02, 0.02))) +
    ggplot2::scale_y_continuous(limits = c(0, NA), expand = ggplot2::expansion(c(0, 0.08))) +
    figure_words(object, sprintf("Cumulative %s per acquired customer (undiscounted, with %s interval) against the acquisition cost, by age in %ss", if (known) "margin" else "net sales (not margin)",
        present_share(basis_of(object, "level") %||% 0.95), clock),
      caption = paste0("The newest cohorts, those of a year, as far as all of them reach. Strong: observed for most of the customers; light: mostly forecast.",
        if (length(by) > 0L && known) " Beside the name: the age at payback.",
        if (length(biggest) > length(shown)) sprintf(" The %d largest of %d groups.", length(shown), length(biggest)))) +
    ggplot2::xlab(paste0("age in ", clock, "s")) + theme_nubrek() + ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12))
  if (length(by) == 0L) plot else plot + ggplot2::facet_wrap(~group) + panel_titles()
}

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_value_by
#' @exportS3Method ggplot2::autoplot nubrek_value_by
autoplot.nubrek_value_by <- function(object, ...) {
  rlang::check_dots_empty()
  by <- basis_of(object, "by")
  table <- plain_table(object)
  worth <- if (basis_of(object, "money") == "sales") "sales" else "value"
  biggest <- order(-table$customers)
  shown <- sort(utils::head(biggest, 14L))
  table <- table[shown, ]
  label <- wrap_labels(paste0(table[[by]], ifelse(table$small, " (few)", ""), "  (", format_count(table$customers), ")"), 30L)
  place <- factor(label, rev(label))
  panels <- c("worth", "through staying", "through cadence", "through order value")
  worth_name <- sprintf("%s over %s", if (worth == "value") "value" else "sales", n_of(basis_of(object, "years"), "year"))
  long <- rbind(data.frame(place, panel = panels[[1L]], x = table[[worth]], clear = TRUE), do.call(rbind, Map(\(name, panel) data.frame(place, panel = panel, x = table[[name]], clear = table$clear),
    names(part_words), panels[-1L])))
  long$panel <- factor(long$panel, panels, c(worth_name, "staying", "cadence", "order value"))
  long$text <- ifelse(long$panel == worth_name, format_money(long$x, "", 0L), paste0(ifelse(long$x > 0, "+", ""), formatC(long$x, format = "f", digits = 1L)))
  ends <- data.frame(place, panel = factor(worth_name, levels(long$panel)), lower = table$value_lower, upper = table$value_upper)
  tone <- stats::setNames(c(palette_of[["moss"]], palette_of[["petrol"]], palette_of[["mauve"]], palette_of[["ochre"]]), levels(long$panel))
  # differences share one scale, with room for the numbers
  most <- max(abs(long$x[long$panel != worth_name]), 1e-9)
  room <- data.frame(place = place[[1L]], panel = factor(rep(levels(long$panel)[-1L], each = 2L), levels(long$panel)), x = rep(c(-1.8, 1.8) * most, 3L))
  long$side <- ifelse(long$panel == worth_name, -0.15, ifelse(long$x >= 0, -0.15, 1.15))
  everybody <- data.frame(panel = factor(worth_name, levels(long$panel)), x = attr(object, "everybody")$value)
  ggplot2::ggplot(long, ggplot2::aes(.data$x, .data$place)) +
    ggplot2::geom_blank(data = room) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$panel, alpha = .data$clear), width = 0.7) +
    ggplot2::geom_linerange(data = ends, ggplot2::aes(y = .data$place, xmin = .data$lower, xmax = .data$upper), inherit.aes = FALSE, colour = palette_of[["ink"]], linewidth = 0.8) +
    ggplot2::geom_vline(data = everybody, ggplot2::aes(xintercept = .data$x), colour = palette_of[["ink"]], linetype = "42") +
    ggplot2::geom_text(data = long[long$panel == worth_name, ], ggplot2::aes(x = 0, label = .data$text), hjust = -0.15, size = 3.8, colour = "#ffffff", fontface = "bold") +
    ggplot2::geom_text(data = long[long$panel != worth_name, ], ggplot2::aes(label = .data$text, hjust = .data$side), size = 3.5, colour = palette_of[["ink"]]) +
    ggplot2::facet_wrap(~panel, nrow = 1L, scales = "free_x") +
    ggplot2::scale_y_discrete(limits = rev(label)) +
    ggplot2::scale_fill_manual(values = tone) + ggplot2::scale_alpha_manual(values = c(`TRUE` = 1, `FALSE` = 0.45)) +
    ggplot2::scale_x_continuous(breaks = scales::breaks_extended(3), expand = ggplot2::expansion(c(0, 0.06))) +
    figure_words(object, sprintf(paste0("%s of a customer won today by %s, with %s interval (dashed: everybody), and by how much it differs through staying, cadence ",
      "and order value; customers in brackets"), if (worth == "value") "Discounted margin" else "Net sales",
        gsub("_", " ", by), present_share(basis_of(object, "level"))),
      caption = paste0("The three differences add up. Pale: not clearly different from everybody.", if (nrow(object) > length(shown)) sprintf(" The %d largest of %d groups.",
        length(shown), nrow(object)))) +
    theme_nubrek() + panel_titles() + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(), panel.spacing = ggplot2::unit(12, "pt"), axis.text.x = ggplot2::element_text(size = 9.5))
}

wrap_labels <- function(text, width) vapply(text, \(t) paste(strwrap(t, width), collapse = "\n"), "", USE.NAMES = FALSE)

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_value
#' @exportS3Method ggplot2::autoplot nubrek_value
autoplot.nubrek_value <- function(object, ...) ggplot2::autoplot(value_shares(object), ...)

#' @rdname autoplot.nubrek
#' @method autoplot nubrek_shares
#' @exportS3Method ggplot2::autoplot nubrek_shares
autoplot.nubrek_shares <- function(object, ...) {
  rlang::check_dots_empty()
  known <- basis_of(object, "measure") != "sales"
  columns <- if (known) c("value_to_date", "value") else "sales"
  table <- plain_table(object)
  long <- do.call(rbind, lapply(columns, \(name) data.frame(group = table$group, x = table[[name]], what = name)))
  long$what <- factor(long$what, rev(columns))
  top <- max(rowSums(table[columns]))
  currency <- basis_of(object, "currency")
  key <- data.frame(what = columns, label = c(value_to_date = "margin so far", value = "margin to come, discounted", sales = "expected sales")[columns], y = top * (0.98 - 0.07 * seq_along(columns)))
  ggplot2::ggplot(long, ggplot2::aes(.data$group, .data$x)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$what), width = 0.8) +
    ggplot2::geom_text(data = data.frame(group = table$group, x = rowSums(table[columns]), label = present_share(table$share)), ggplot2::aes(label = .data$label), vjust = -0.5, size = 4,
      colour = palette_of[["ink"]]) +
    ggplot2::geom_tile(data = key, ggplot2::aes(nrow(table) * 0.52, .data$y, fill = .data$what), width = 0.4, height = top * 0.045, inherit.aes = FALSE) +
    ggplot2::geom_text(data = key, ggplot2::aes(nrow(table) * 0.52 + 0.35, .data$y, label = .data$label), hjust = 0, size = 4, colour = palette_of[["ink"]]) +
    ggplot2::scale_fill_manual(values = c(value_to_date = palette_of[["moss"]], value = "#bccda2", sales = "#8fb8b5")) +
    ggplot2::scale_x_continuous(breaks = table$group, labels = ifelse(table$group == 1L, "1\nhighest", ifelse(table$group == nrow(table), paste0(nrow(table), "\nlowest"), table$group))) +
    ggplot2::scale_y_continuous(labels = \(v) formatC(v, format = "d", big.mark = "\u202f"), expand = ggplot2::expansion(c(0, 0.1))) +
    figure_words(object, sprintf("Customers in %d equal groups by their %s, highest first%s; above: share of all", nrow(table), if (known) "lifetime value" else "expected sales",
      if (nzchar(currency)) paste(", in",
        currency) else ""), caption = paste0("n = ", format_count(sum(table$customers)), " customers.")) +
    theme_nubrek() + ggplot2::theme(panel.grid.major.x = ggplot2::element_blank())
}
