# Figures of cohorts: the shaded table, curves, each cohort against usual, what has been paid back.

#' @rdname autoplot.nubrek
#' @param measure `[character(1)]` See [grid_measure()].
#' @param view `[character(1)]` `"age"` or `"calendar"`, see [grid_measure()].
#' @method autoplot nubrek_grid
#' @exportS3Method ggplot2::autoplot nubrek_grid
autoplot.nubrek_grid <- function(object, ..., measure = "retention", view = "age") ggplot2::autoplot(grid_measure(object, measure, view), ...)

#' @rdname autoplot.nubrek
#' @param shape `[character(1)]` `"table"` (default) or `"curves"` over age; cohorts side by side are always curves, one for each group.
#' @param cohorts `[integer(1)]` So many of the newest cohorts are drawn.
#' @method autoplot nubrek_measure
#' @exportS3Method ggplot2::autoplot nubrek_measure
autoplot.nubrek_measure <- function(object, ..., shape = "table", cohorts = 24L) {
  rlang::check_dots_empty()
  check_choice(shape, c("table", "curves"))
  check_whole(cohorts)
  if (!is.null(basis_of(object, "by"))) group_curves(object) else if (shape == "curves") cohort_curves(object) else cohort_table(object, cohorts)
}

measure_words <- function(x) grid_measures[[basis_of(x, "measure")]]$label
age_words <- function(x) sprintf("%ss %s", basis_of(x, "clock"), if (basis_of(x, "ages") == "elapsed") "of each customer's own time since the first purchase" else "since the first purchase")

# Short enough to be read in a cell: large sums in thousands.
figure_cell <- function(kind, values) {
  most <- max(abs(values), 0, na.rm = TRUE)
  money <- \(per, digits) \(v) formatC(v / per, format = "f", digits = digits, big.mark = "\u202f")
  if (kind != "money") return(list(write = cell_writer(kind, "\u202f"), unit = if (kind == "share") ", percent" else ""))
  if (most >= 1e4) return(list(write = money(1000, if (most >= 1e5) 0L else 1L), unit = ", thousands"))
  list(write = money(1, if (most >= 100) 0L else 1L), unit = "")
}

# Rows from top to bottom: cohorts that may hold older customers, the others, the bottom lines; a gap between the blocks.
cohort_table <- function(object, n_cohorts) {
  calendar <- identical(basis_of(object, "view"), "calendar")
  kind <- grid_measures[[basis_of(object, "measure")]]$kind
  data <- plain_table(object)
  data$x <- if (calendar) match(data$period, sort(unique(data$period))) else data$age
  every <- sort(unique(data$cohort))
  cohorts <- utils::tail(every, n_cohorts)
  data <- data[data$cohort %in% cohorts, ]
  lines <- bottom_lines(object)
  lines <- lines[!startsWith(lines$line, "chained"), ]
  lines$x <- if (calendar) match(lines$period, sort(unique(object$period))) else lines$age
  lines <- lines[lines$x >= min(data$x) & lines$x <= max(data$x), ]
  first <- data[match(cohorts, data$cohort), ]
  y <- seq_along(cohorts) + 0.4 * cumsum(c(0, diff(first$older) != 0))
  names_of <- unique(lines$line)
  label <- c(paste0(period_label(cohorts, basis_of(object, "clock")), ifelse(first$older, " \u2020", ""), "  (", format_count(first$size), ")"), names_of)
  y <- c(y, max(y) + 0.4 + seq_along(names_of))
  cells <- rbind(data.frame(x = data$x, y = y[match(data$cohort, cohorts)], value = data$value, complete = data$complete, ramp = data$age > 0L | kind != "share"),
                 data.frame(x = lines$x, y = y[length(cohorts) + match(lines$line, names_of)], value = lines$value, complete = rep(TRUE, nrow(lines)),
                     ramp = calendar | lines$x > 0L | kind != "share"))
  cells <- cells[!is.na(cells$value), ]
  sums <- cells$y > max(y[seq_along(cohorts)]) & is.null(grid_measures[[basis_of(object, "measure")]]$base)       # sums would drown the cells
  top <- max(cells$value[cells$ramp & !sums], 1e-9)
  cells$fill <- ifelse(cells$ramp & !sums, grid_fill(cells$value / top), "#efe9dd")      # at age 0 everybody is active: the ramp serves the ages after it
  write <- figure_cell(kind, cells$value)
  cells$text <- write$write(cells$value)
  columns <- diff(range(cells$x)) + 1
  size <- min(3.7, 215 / columns / (0.62 * max(nchar(cells$text))))
  periods <- if (calendar) sort(unique(object$period))
  step <- if (calendar) max(1L, ceiling(columns / 12)) else if (columns > 30) 3L else 1L
  ggplot2::ggplot(cells, ggplot2::aes(.data$x, .data$y)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$fill), width = 0.96, height = 0.92) +
    ggplot2::geom_tile(data = cells[!cells$complete, ], fill = NA, colour = palette_of[["brick"]], linetype = "22", linewidth = 0.4, width = 0.88, height = 0.82) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text, colour = ink_on(.data$fill)), size = size) +
    ggplot2::scale_fill_identity() + ggplot2::scale_colour_identity() +
    ggplot2::scale_x_continuous(position = "top", breaks = seq(min(cells$x), max(cells$x), by = step), labels = if (calendar) \(at) period_label(periods[at], basis_of(object,
        "clock")) else ggplot2::waiver(),
                                expand = ggplot2::expansion(0.005)) +
    ggplot2::scale_y_reverse(breaks = y, labels = label, expand = ggplot2::expansion(add = 0.2)) +
    figure_words(object, paste0(capital(measure_words(object)), write$unit, ", by ", if (calendar) paste0(basis_of(object, "clock"), "s") else age_words(object), "; cohort size in brackets"),
                 caption = paste0("Dashed: observed in part. ", if (any(first$older)) "\u2020 may hold older customers. ", "Empty: not observed.",
                     if (length(every) > length(cohorts)) sprintf(" The first %d cohorts are not drawn.", length(every) - length(cohorts)))) +
    theme_nubrek(12) + ggplot2::theme(panel.grid.major = ggplot2::element_blank(), axis.text.y = ggplot2::element_text(hjust = 0, size = 10), axis.text.x = ggplot2::element_text(size = 10))
}

capital <- function(text) paste0(toupper(substr(text, 1L, 1L)), substring(text, 2L))

# The newest cohort with some time behind it, the one a year before, the pooled line; all others grey.
cohort_curves <- function(object) {
  rule <- grid_measures[[basis_of(object, "measure")]]
  if (is.null(rule$base)) abort_nubrek(c("Curves need a measure that cohorts of different size share.", "i" = "Such as {.val retention} or {.val cumulative_sales_per_customer}."), "argument",
      call = rlang::caller_env())
  data <- plain_table(object)
  data <- data[data$complete & !data$older & !is.na(data$value) & (rule$kind != "share" | data$age > 0L), ]
  nothing_to_draw(nrow(data) == 0L, object)
  clock <- basis_of(object, "clock")
  ages <- tapply(data$age, format(data$cohort), max)
  newest <- max(names(ages)[ages >= min(3L, max(ages))])
  before <- format(period_start(period_number(as.Date(newest), clock) - as.integer(round(periods_a_year[[clock]])), clock))
  pooled <- bottom_lines(object)
  pooled <- well_founded(pooled[pooled$line == "without older cohorts" & pooled$age %in% data$age, ])
  data <- data[data$age <= max(pooled$age), ]
  strong <- rbind(data.frame(name = paste(period_label(as.Date(newest), clock), "(newest)"), data[format(data$cohort) == newest, c("age", "value")]),
                  if (before %in% names(ages)) data.frame(name = paste(period_label(as.Date(before), clock), "(a year before)"), data[format(data$cohort) == before, c("age", "value")]),
                  data.frame(name = "all together", pooled[c("age", "value")]))
  strong$name <- factor(strong$name, unique(strong$name))
  tone <- stats::setNames(palette_of[c("petrol", "ochre", "ink")][c(TRUE, before %in% names(ages), TRUE)], levels(strong$name))
  ends <- do.call(rbind, lapply(split(strong, strong$name), utils::tail, 1L))
  top <- max(data$value, pooled$value)
  ends$y <- spread_labels(ends$value, 0.05 * top)
  longest <- max(data$age)
  ends$x <- ifelse(ends$age > 0.8 * longest, longest * 1.01, ends$age + longest * 0.01)
  write <- if (rule$kind == "share") \(v) present_share(v) else if (rule$kind == "money") \(v) format_money(v, basis_of(object, "currency")) else \(v) format(round(v, 2))
  reached <- max(data$age[format(data$cohort) == newest])
  title <- sprintf("At age %d the newest cohort (%s) stands at %s, all together at %s.", reached, period_label(as.Date(newest), clock),
      write(data$value[format(data$cohort) == newest & data$age == reached]),
                   write(pooled$value[pooled$age == reached]))
  lone <- ave_count(strong$name) == 1L
  ggplot2::ggplot(data, ggplot2::aes(.data$age, .data$value)) +
    ggplot2::geom_line(ggplot2::aes(group = .data$cohort), colour = palette_of[["rule"]], linewidth = 0.5) +
    ggplot2::geom_line(data = strong, ggplot2::aes(colour = .data$name, linetype = .data$name), linewidth = 1) +
    ggplot2::geom_point(data = strong[lone | strong$name != "all together", ], ggplot2::aes(colour = .data$name), size = 1.6) +
    ggplot2::geom_label(data = ends, ggplot2::aes(x = .data$x, y = .data$y, label = .data$name, colour = .data$name), hjust = 0, size = 4.2, label.size = 0, fill = palette_of[["paper"]],
                        label.padding = ggplot2::unit(2, "pt")) +
    ggplot2::scale_colour_manual(values = tone) + ggplot2::scale_linetype_manual(values = stats::setNames(c("solid", "solid", "22")[c(TRUE, before %in% names(ages), TRUE)], levels(strong$name))) +
    ggplot2::scale_x_continuous(limits = c(min(data$age), longest * 1.2 + 0.2), breaks = \(lim) pretty(c(0, longest), 8)[pretty(c(0, longest), 8) <= longest], expand = ggplot2::expansion(c(0.01,
        0))) +
    ggplot2::scale_y_continuous(limits = c(min(0, data$value), NA), labels = if (rule$kind == "share") \(v) present_share(v) else \(v) number_text(v), expand = ggplot2::expansion(c(0, 0.05))) +
    figure_words(object, paste0(capital(measure_words(object)), ", by ", age_words(object)), title,
        "Grey: every other cohort. Complete ages only, as far as three cohorts reach; without cohorts that may hold older customers.") +
    theme_nubrek() + ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12)) + ggplot2::xlab(paste0("age in ", clock, "s"))
}

# Ages (or periods) with at least three cohorts behind them, where there are such: the ends of pooled lines are a cohort or two.
well_founded <- function(lines) if (any(lines$cohorts >= 3L)) lines[lines$cohorts >= 3L, ] else lines

ave_count <- function(x) as.integer(table(x)[as.character(x)])

# One line for each group: its bottom line.
group_curves <- function(object, most = 6L) {
  rule <- grid_measures[[basis_of(object, "measure")]]
  by <- basis_of(object, "by")
  calendar <- identical(basis_of(object, "view"), "calendar")
  lines <- bottom_lines(object)
  lines <- well_founded(lines[lines$line == "without older cohorts" & !is.na(lines$value), ])
  lines$x <- if (calendar) lines$period else lines$age
  if (!calendar && rule$kind == "share") lines <- lines[lines$age > 0L, ]
  nothing_to_draw(nrow(lines) == 0L, object)
  lines$group <- do.call(paste, c(lapply(lines[by], as.character), sep = ", "))
  size <- tapply(lines$size, factor(lines$group, unique(lines$group)), max)
  shown <- names(sort(size, decreasing = TRUE))[seq_len(min(most, length(size)))]
  lines <- lines[lines$group %in% shown, ]
  tone <- stats::setNames(palette_of[c("petrol", "ochre", "mauve", "moss", "brick", "ink")][seq_along(shown)], shown)
  ends <- do.call(rbind, lapply(split(lines, factor(lines$group, shown)), utils::tail, 1L))
  ends$y <- spread_labels(ends$value, 0.06 * max(lines$value))
  from <- min(lines$x)
  longest <- max(lines$x)
  room <- as.numeric(longest - from)
  ggplot2::ggplot(lines, ggplot2::aes(.data$x, .data$value, colour = .data$group)) + ggplot2::geom_line(linewidth = 0.9) +
    ggplot2::geom_text(data = ends, ggplot2::aes(x = longest + room * 0.012, y = .data$y, label = .data$group), hjust = 0, size = 4.2) +
    ggplot2::scale_colour_manual(values = tone) +
    (if (calendar) ggplot2::scale_x_date(limits = c(from, longest + room * 0.25), date_labels = "%b\n%Y", expand = ggplot2::expansion(c(0.01, 0)))
     else ggplot2::scale_x_continuous(limits = c(from, longest + room * 0.25), breaks = \(lim) pretty(c(0, longest), 8)[pretty(c(0, longest), 8) <= longest], expand = ggplot2::expansion(c(0.01,
         0)))) +
    ggplot2::scale_y_continuous(limits = c(min(0, lines$value), NA), labels = if (rule$kind == "share") \(v) present_share(v) else \(v) number_text(v), expand = ggplot2::expansion(c(0, 0.05))) +
    figure_words(object, paste0(capital(measure_words(object)), ", by ", if (calendar) paste0(basis_of(object, "clock"), "s") else age_words(object)),
                 caption = paste0("Each line: the cohorts of a group together, complete ages that three cohorts have reached, without those that may hold older customers.",
                     if (length(size) > length(shown)) sprintf(" The %d largest of %d groups.", length(shown), length(size)))) +
    theme_nubrek() + ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12)) + (if (!calendar) ggplot2::xlab(paste0("age in ", basis_of(object, "clock"), "s")))
}
