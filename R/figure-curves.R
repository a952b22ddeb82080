# Cohorts as curves over their age.

# The newest cohort with some time behind it, the one a year before, the pooled line; all others
# grey.
cohort_curves <- function(object) {
  drawn <- curves_of(object)
  ggplot2::ggplot(drawn$data, ggplot2::aes(.data$age, .data$value)) +
    ggplot2::geom_line(
      ggplot2::aes(group = .data$cohort), colour = palette_of[["rule"]], linewidth = 0.5
    ) +
    ggplot2::geom_line(
      data = drawn$strong, ggplot2::aes(colour = .data$name, linetype = .data$name), linewidth = 1
    ) +
    ggplot2::geom_point(
      data = drawn$strong[drawn$lone | drawn$strong$name != "all together", ],
      ggplot2::aes(colour = .data$name),
      size = 1.6
    ) +
    ggplot2::geom_label(
      data = drawn$ends,
      ggplot2::aes(x = .data$x, y = .data$y, label = .data$name, colour = .data$name),
      hjust = 0,
      size = 4.2,
      label.size = 0,
      fill = palette_of[["paper"]],
      label.padding = ggplot2::unit(2, "pt")
    ) +
    ggplot2::scale_colour_manual(values = drawn$tone) +
    ggplot2::scale_linetype_manual(values = drawn$dashes) +
    ggplot2::scale_x_continuous(
      limits = c(min(drawn$data$age), drawn$longest * 1.2 + 0.2),
      breaks = \(lim) pretty(c(0, drawn$longest), 8)[
        pretty(c(0, drawn$longest), 8) <= drawn$longest
      ],
      expand = ggplot2::expansion(c(0.01, 0))
    ) +
    ggplot2::scale_y_continuous(
      limits = c(min(0, drawn$data$value), NA),
      labels = if (drawn$rule$kind == "share") \(v) present_share(v) else \(v) number_text(v),
      expand = ggplot2::expansion(c(0, 0.05))
    ) +
    figure_words(
      object,
      paste0(capital(measure_words(object)), ", by ", age_words(object)),
      drawn$title,
      say(paste0(
        "Grey: every other cohort. Complete ages only, as far as three cohorts reach; without ",
        "cohorts that may hold older customers."
      ))
    ) +
    theme_nubrek() +
    ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12)) +
    ggplot2::xlab(paste0(say("age in "), drawn$clock, "s"))
}

# What is drawn: all cohorts, the strong ones, where each ends, and the finding.
curves_of <- function(object) {
  rule <- grid_measures[[basis_of(object, "measure")]]
  if (is.null(rule$base)) {
    abort_nubrek(c(
      "Curves need a measure that cohorts of different size share.",
      "i" = "Such as {.val retention} or {.val cumulative_sales_per_customer}."
    ), "argument", call = rlang::caller_env(2L))
  }
  data <- plain_table(object)
  data <- data[
    data$complete & !data$older & !is.na(data$value) & (rule$kind != "share" | data$age > 0L),
  ]
  nothing_to_draw(nrow(data) == 0L, object, rlang::caller_env())
  clock <- basis_of(object, "clock")
  told <- told_cohorts(data, clock)
  pooled <- bottom_lines(object)
  pooled <- well_founded(
    pooled[pooled$line == "without older cohorts" & pooled$age %in% data$age, ]
  )
  data <- data[data$age <= max(pooled$age), ]
  strong <- strong_curves(data, pooled, told, clock)
  called <- levels(strong$name)
  there <- c(TRUE, !is.null(told$before), TRUE)
  longest <- max(data$age)
  list(
    data = data,
    strong = strong,
    tone = stats::setNames(palette_of[c("petrol", "ochre", "ink")][there], called),
    dashes = stats::setNames(c("solid", "solid", "22")[there], called),
    ends = curve_ends(strong, longest, max(data$value, pooled$value)),
    longest = longest,
    title = curves_title(object, data, pooled, told$newest, rule),
    lone = ave_count(strong$name) == 1L,
    clock = clock,
    rule = rule
  )
}

# The cohorts that stand out: the newest that is old enough, and that of a year before.
told_cohorts <- function(data, clock) {
  known <- data$size >= few_customers # few are no headline
  if (any(known)) data <- data[known, ]
  ages <- tapply(data$age, format(data$cohort), max)
  newest <- max(names(ages)[ages >= min(3L, max(ages))])
  number <- period_number(as.Date(newest), clock) - as.integer(round(periods_a_year[[clock]]))
  before <- format(period_start(number, clock))
  list(newest = newest, before = if (before %in% names(ages)) before)
}

strong_curves <- function(data, pooled, told, clock) {
  curve <- \(cohort, words) {
    if (is.null(cohort)) return(NULL)
    data.frame(
      name = paste(period_label(as.Date(cohort), clock), words),
      data[format(data$cohort) == cohort, c("age", "value")]
    )
  }
  strong <- rbind(
    curve(told$newest, "(newest)"),
    curve(told$before, "(a year before)"),
    data.frame(name = "all together", pooled[c("age", "value")])
  )
  strong$name <- factor(strong$name, unique(strong$name))
  strong
}

# Where the names of the curves stand.
curve_ends <- function(strong, longest, top) {
  ends <- do.call(rbind, lapply(split(strong, strong$name), utils::tail, 1L))
  ends$y <- spread_labels(ends$value, 0.05 * top)
  ends$x <- ifelse(ends$age > 0.8 * longest, longest * 1.01, ends$age + longest * 0.01)
  ends
}

curves_title <- function(object, data, pooled, newest, rule) {
  writer <- if (rule$kind == "share") {
    \(v) present_share(v)
  } else if (rule$kind == "money") {
    \(v) format_money(v, basis_of(object, "currency"))
  } else {
    \(v) number_text(round(v, 2))
  }
  mine <- format(data$cohort) == newest
  reached <- max(data$age[mine])
  say(
    "At age %d the newest cohort (%s) stands at %s, all together at %s.",
    reached,
    period_label(as.Date(newest), basis_of(object, "clock")),
    writer(data$value[mine & data$age == reached]),
    writer(pooled$value[pooled$age == reached])
  )
}

# Ages (or periods) with at least three cohorts behind them, where there are such: the ends of
# pooled lines are a cohort or two.
well_founded <- function(lines) {
  if (any(lines$cohorts >= 3L)) {
    lines[lines$cohorts >= 3L, ]
  } else {
    lines
  }
}

ave_count <- function(x) as.integer(table(x)[as.character(x)])

# One line for each group: its bottom line.
group_curves <- function(object, most = 6L) {
  drawn <- group_lines(object, most)
  ggplot2::ggplot(drawn$lines, ggplot2::aes(.data$x, .data$value, colour = .data$group)) +
    (if (drawn$calendar) event_marks(object)) +
    ggplot2::geom_line(linewidth = 0.9) +
    ggplot2::geom_text(
      data = drawn$ends,
      ggplot2::aes(
        x = drawn$longest + drawn$room * 0.012, y = .data$y, label = shortened(.data$group, 24L)
      ),
      hjust = 0,
      size = 4.2
    ) +
    ggplot2::scale_colour_manual(values = drawn$tone) +
    (
      if (drawn$calendar) {
        ggplot2::scale_x_date(
          limits = c(drawn$from, drawn$longest + drawn$room * 0.25),
          date_labels = "%b\n%Y",
          expand = ggplot2::expansion(c(0.01, 0))
        )
      } else {
        ggplot2::scale_x_continuous(
          limits = c(drawn$from, drawn$longest + drawn$room * 0.25),
          breaks = \(lim) pretty(c(0, drawn$longest), 8)[
            pretty(c(0, drawn$longest), 8) <= drawn$longest
          ],
          expand = ggplot2::expansion(c(0.01, 0))
        )
      }
    ) +
    ggplot2::scale_y_continuous(
      limits = c(min(0, drawn$lines$value), NA),
      labels = if (drawn$rule$kind == "share") \(v) present_share(v) else \(v) number_text(v),
      expand = ggplot2::expansion(c(0, 0.05))
    ) +
    figure_words(
      object,
      paste0(
        capital(measure_words(object)),
        ", by ",
        if (drawn$calendar) paste0(basis_of(object, "clock"), "s") else age_words(object)
      ),
      marks = TRUE,
      caption = paste0(
        say(paste0(
          "Each line: the cohorts of a group together, complete ages that three cohorts have ",
          "reached, without those that may hold older customers."
        )),
        if (length(drawn$size) > length(drawn$shown)) {
          say(" The %d largest of %d groups.", length(drawn$shown), length(drawn$size))
        }
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(axis.title.x = ggplot2::element_text(size = 12)) +
    (if (!drawn$calendar) ggplot2::xlab(paste0(say("age in "), basis_of(object, "clock"), "s")))
}

# What is drawn: a pooled line for each group, and where it ends.
group_lines <- function(object, most) {
  rule <- grid_measures[[basis_of(object, "measure")]]
  grouped_by <- basis_of(object, "by")
  calendar <- identical(basis_of(object, "view"), "calendar")
  lines <- bottom_lines(object)
  lines <- well_founded(lines[lines$line == "without older cohorts" & !is.na(lines$value), ])
  lines$x <- if (calendar) lines$period else lines$age
  if (!calendar && rule$kind == "share") lines <- lines[lines$age > 0L, ]
  nothing_to_draw(nrow(lines) == 0L, object, rlang::caller_env())
  lines$group <- do.call(paste, c(lapply(lines[grouped_by], as.character), sep = ", "))
  size <- tapply(lines$size, factor(lines$group, unique(lines$group)), max)
  shown <- names(sort(size, decreasing = TRUE))[seq_len(min(most, length(size)))]
  lines <- lines[lines$group %in% shown, ]
  tone <- stats::setNames(
    palette_of[c("petrol", "ochre", "mauve", "moss", "brick", "ink")][seq_along(shown)], shown
  )
  ends <- do.call(rbind, lapply(split(lines, factor(lines$group, shown)), utils::tail, 1L))
  ends$y <- spread_labels(ends$value, 0.06 * max(lines$value))
  from <- min(lines$x)
  longest <- max(lines$x)
  room <- as.numeric(longest - from)
  list(
    rule = rule, calendar = calendar, lines = lines, size = size, shown = shown, tone = tone,
    ends = ends, from = from, longest = longest, room = room
  )
}
