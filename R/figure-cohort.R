# Figures of cohorts: the shaded table, curves, each cohort against usual, what has been paid back.

#' @rdname autoplot.nubrek
#' @param measure `[character(1)]` See [grid_measure()].
#' @param view,through `"age"` or `"calendar"`, and the age through which the cohorts of a sum are
#'   observed; see [grid_measure()].
#' @method autoplot nubrek_grid
#' @exportS3Method ggplot2::autoplot nubrek_grid
autoplot.nubrek_grid <- function(object, ..., measure = "retention", view = "age", through = NULL) {
  ggplot2::autoplot(grid_measure(object, measure, view, through), ...)
}

#' @rdname autoplot.nubrek
#' @param shape `[character(1)]` `"table"` (default) or `"curves"` over age; cohorts side by side
#'   are always curves, one for each group.
#' @param cohorts `[integer(1)]` So many of the newest cohorts are drawn.
#' @method autoplot nubrek_measure
#' @exportS3Method ggplot2::autoplot nubrek_measure
autoplot.nubrek_measure <- function(object, ..., shape = "table", cohorts = 24L) {
  rlang::check_dots_empty()
  check_choice(shape, c("table", "curves"))
  check_whole(cohorts)
  if (!is.null(basis_of(object, "by"))) {
    group_curves(object)
  } else if (shape == "curves") {
    cohort_curves(object)
  } else {
    cohort_table(object, cohorts)
  }
}

measure_words <- function(x) say(grid_measures[[basis_of(x, "measure")]]$label)

age_words <- function(x) {
  sprintf(
    "%ss %s",
    basis_of(x, "clock"),
    if (basis_of(x, "ages") == "elapsed") {
      "of each customer's own time since the first purchase"
    } else {
      "since the first purchase"
    }
  )
}

# Short enough to be read in a cell: large sums in thousands.
figure_cell <- function(kind, values) {
  most <- max(abs(values), 0, na.rm = TRUE)
  money <- \(per, digits) \(v) written(v / per, format = "f", digits = digits, big.mark = "\u202f")
  if (kind != "money") {
    return(list(
      write = cell_writer(kind, "\u202f"), unit = if (kind == "share") ", percent" else ""
    ))
  }
  if (most >= 1e4) {
    return(list(write = money(1000, if (most >= 1e5) 0L else 1L), unit = ", thousands"))
  }
  list(write = money(1, if (most >= 100) 0L else 1L), unit = "")
}

# Rows from top to bottom: cohorts that may hold older customers, the others, the bottom lines; a
# gap between the blocks.
cohort_table <- function(object, n_cohorts) {
  calendar <- identical(basis_of(object, "view"), "calendar")
  drawn <- grid_cells(object, n_cohorts, calendar)
  ggplot2::ggplot(drawn$cells, ggplot2::aes(.data$x, .data$y)) +
    cell_layers(drawn$cells[!drawn$cells$complete, ], drawn$size, 0.88, 0.82) +
    ggplot2::scale_x_continuous(
      position = "top",
      breaks = seq(min(drawn$cells$x), max(drawn$cells$x), by = drawn$step),
      labels = if (calendar) {
        \(at) period_label(drawn$periods[at], basis_of(object, "clock"))
      } else {
        ggplot2::waiver()
      },
      expand = ggplot2::expansion(0.005)
    ) +
    ggplot2::scale_y_reverse(
      breaks = drawn$y, labels = drawn$label, expand = ggplot2::expansion(add = 0.2)
    ) +
    figure_words(
      object,
      paste0(
        capital(measure_words(object)),
        drawn$write$unit,
        ", by ",
        if (calendar) paste0(basis_of(object, "clock"), "s") else age_words(object),
        say("; cohort size in brackets")
      ),
      caption = paste0(
        say("Dashed: observed in part. "),
        if (any(drawn$first$older)) say("\u2020 may hold older customers. "),
        say("Empty: not observed."),
        few_words(drawn$cells),
        if (length(drawn$every) > length(drawn$cohorts)) {
          say(" Earlier cohorts (%d) are not drawn.", length(drawn$every) - length(drawn$cohorts))
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

# What is drawn: cells with their bottom lines, the labels of the rows, where things stand.
grid_cells <- function(object, n_cohorts, calendar) {
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
  label <- c(paste0(
    period_label(cohorts, basis_of(object, "clock")),
    ifelse(first$older, " \u2020", ""),
    "  (",
    format_count(first$size),
    ")"
  ), names_of)
  y <- c(y, max(y) + 0.4 + seq_along(names_of))
  cells <- rbind(
    data.frame(
      x = data$x,
      y = y[match(data$cohort, cohorts)],
      value = data$value,
      complete = data$complete,
      ramp = data$age > 0L | kind != "share"
    ),
    data.frame(
      x = lines$x,
      y = y[length(cohorts) + match(lines$line, names_of)],
      value = lines$value,
      complete = lines$complete,
      ramp = calendar | lines$x > 0L | kind != "share"
    )
  )
  cells <- cells[!is.na(cells$value), ]
  sums <- cells$y > max(y[seq_along(cohorts)]) &
    is.null(grid_measures[[basis_of(object, "measure")]]$base) # sums would drown the cells
  top <- max(cells$value[cells$ramp & !sums], 1e-9)
  # at age 0 everybody is active: the ramp serves the ages after it
  cells$fill <- ifelse(cells$ramp & !sums, grid_fill(cells$value / top), "#efe9dd")
  few <- cohorts[first$size < few_customers]
  cells <- with_ink(cells, cells$y %in% y[match(few, cohorts)])
  writer <- figure_cell(kind, cells$value)
  cells$text <- writer$write(cells$value)
  columns <- diff(range(cells$x)) + 1
  size <- min(3.7, 215 / columns / (0.62 * max(nchar(cells$text))))
  periods <- if (calendar) sort(unique(object$period))
  step <- if (calendar) max(1L, ceiling(columns / 12)) else if (columns > 30) 3L else 1L
  list(
    cells = cells, y = y, label = label, first = first, every = every, cohorts = cohorts,
    write = writer, size = size, periods = periods, step = step
  )
}

# The height of the figure of a grid or a measure, in inches.
grid_height <- function(x) {
  if (!is.null(basis_of(x, "by"))) return(6.5)
  max(4, 2.9 + 0.24 * min(24L, length(unique(x$cohort))))
}
