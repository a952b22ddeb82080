# A cohort table in the terminal: cohorts down, ages or periods across, the bottom lines under it.
# Cohorts side by side show the bottom lines of their groups.

#' @export
print.nubrek_grid <- function(
  x, rows = 24L, ..., measure = "retention", view = "age", through = NULL
) {
  shown <- grid_measure(x, measure, view, through)
  if (is_part(x)) attr(shown, "whole") <- attr(x, "whole")
  print(shown, rows = rows, ...)
}

# How a value of each kind stands in a cell.
cell_writer <- function(kind, big_mark = " ") {
  number <- \(digits) \(v) ifelse(
    is.na(v), "", written(v, format = "f", digits = digits, big.mark = big_mark)
  )
  switch(kind,
    share = \(v) number(0L)(100 * v),
    decimal = number(2L),
    count = number(0L),
    money = \(v) number(if (all(abs(v) < 1000, na.rm = TRUE)) 2L else 0L)(v)
  )
}

kind_words <- function(measure, currency) {
  rule <- grid_measures[[measure]]
  switch(rule$kind,
    share = if (measure == "net_revenue_retention") {
      "Percent of the sales at age 0."
    } else {
      "Percent of the cohort."
    },
    money = if (nzchar(currency %||% "")) paste0("In ", currency, ".") else "",
    ""
  )
}

# The rows of the table as text: labels, sizes, cells, the bottom lines under them, and how many
# cohorts are left out.
measure_rows <- function(x, places, rows) {
  calendar <- identical(basis_of(x, "view"), "calendar")
  cell <- cell_writer(grid_measures[[basis_of(x, "measure")]]$kind)
  lines <- bottom_lines(x)
  lines <- lines[!startsWith(lines$line, "chained") & !is_part(x), ] # a part has no bottom lines
  line_cells <- \(l) {
    place <- match(places, if (calendar) l$period else l$age)
    paste0(cell(l$value[place]), ifelse(l$complete[place] %in% FALSE, "*", ""))
  }
  stack <- \(parts) {
    if (length(parts) > 0L) {
      do.call(rbind, parts)
    } else {
      matrix("", 0L, length(places))
    }
  }
  grouped_by <- basis_of(x, "by")
  if (!is.null(grouped_by)) {
    label <- \(table) do.call(paste, c(lapply(table[grouped_by], as.character), sep = ", "))
    cohorts <- unique(plain_table(x)[c(grouped_by, "cohort", "size")])
    of <- label(cohorts)
    sizes <- tapply(cohorts$size, factor(of, unique(of)), sum)
    # of many the largest, in their order
    sizes <- sizes[sort(utils::head(order(-sizes), rows))]
    lines <- lines[lines$line == "without older cohorts", ]
    of_lines <- label(lines)
    return(list(
      labels = names(sizes),
      sizes = format_count_plain(as.integer(sizes)),
      body = stack(lapply(names(sizes), \(g) line_cells(lines[of_lines == g, ]))),
      bottom = stack(list()),
      left_out = length(unique(of)) - length(sizes)
    ))
  }
  wide <- as.matrix(x)
  cohorts <- sort(unique(x$cohort))
  first <- x[match(cohorts, x$cohort), ]
  shown <- utils::tail(seq_along(cohorts), rows)
  star <- matrix("", nrow(wide), ncol(wide))
  star[cbind(match(x$cohort, cohorts), match(if (calendar) x$period else x$age, places))] <- ifelse(
    x$complete | is.na(x$value), "", "*"
  )
  names_of <- unique(lines$line[!is.na(lines$value)]) # none when no cell is complete
  list(
    labels = c(paste0(
      period_label(cohorts[shown], basis_of(x, "clock")), ifelse(first$older[shown], " older", "")
    ), names_of),
    sizes = c(format_count_plain(first$size[shown]), rep("", length(names_of))),
    body = matrix(paste0(cell(wide), star), nrow(wide))[shown, , drop = FALSE],
    bottom = stack(lapply(names_of, \(name) line_cells(lines[lines$line == name, ]))),
    left_out = length(cohorts) - length(shown)
  )
}

#' @export
print.nubrek_measure <- function(x, rows = 24L, ...) {
  rlang::check_dots_empty()
  told <- describe(x)
  clock <- basis_of(x, "clock")
  calendar <- identical(basis_of(x, "view"), "calendar")
  places <- if (calendar) sort(unique(x$period)) else seq.int(min(0L, x$age), max(x$age))
  heads <- if (calendar) period_label(places, clock) else as.character(places)
  shown <- measure_rows(x, places, rows)
  grouped_by <- basis_of(x, "by")
  corner <- if (is.null(grouped_by)) "cohort" else paste(grouped_by, collapse = ", ")
  text <- measure_text(shown, heads, corner, calendar)
  top <- nrow(shown$body) + 1L
  rule <- strrep("\u2500", max(nchar(text$lines, "width")))
  writeLines(c(
    cli::style_bold(told$heading),
    basis_line(x),
    "",
    unlist(lapply(told$finding, wrap_lines)),
    if (!is.null(told$finding)) "",
    text$lines[[1L]],
    rule,
    text$lines[2:top],
    if (nrow(shown$bottom) > 0L) c(rule, text$lines[-seq_len(top)]),
    strwrap(measure_legend(x, calendar), terminal_width()),
    if (shown$left_out > 0L) {
      smaller <- !is.null(grouped_by)
      paste0(
        if (smaller) say("Smaller groups left out: ") else say("Earlier cohorts left out: "),
        shown$left_out,
        "; ",
        rows_hint(shown$left_out + nrow(shown$body))
      )
    },
    lost_columns_line(text$lost, calendar),
    remark_lines(x)
  ))
  invisible(x)
}

# The lines of the table, and the columns for which there is no room: the oldest periods, or the
# highest ages.
measure_text <- function(table, heads, corner, calendar) {
  columns <- c(
    list(c(corner, table$labels), c("size", table$sizes)),
    lapply(seq_along(heads), \(j) c(heads[[j]], table$body[, j], table$bottom[, j]))
  )
  widths <- vapply(columns, \(text) max(nchar(text, "width")), 0L)
  room <- terminal_width() + 1L - sum(widths[1:2] + 1L)
  across <- widths[-(1:2)] + 1L
  fits <- c(TRUE, TRUE, (if (calendar) rev(cumsum(rev(across))) else cumsum(across)) <= room)
  padded <- Map(
    \(text, w, left) if (left) formatC(text, width = -w) else formatC(text, width = w),
    columns[fits],
    widths[fits],
    seq_len(sum(fits)) == 1L
  )
  list(
    lines = sub(" +$", "", do.call(paste, c(unname(padded), sep = " "))),
    lost = heads[!fits[-(1:2)]]
  )
}

measure_legend <- function(x, calendar) {
  clock <- basis_of(x, "clock")
  elapsed <- if (basis_of(x, "ages") == "elapsed") say(" of each customer's own time")
  trimws(paste(c(
    kind_words(basis_of(x, "measure"), basis_of(x, "currency")),
    if (calendar) {
      paste0(say("Columns are "), clock, "s.")
    } else {
      paste0(say("Columns are ages in "), clock, "s", elapsed, ".")
    },
    if (is.null(basis_of(x, "by"))) {
      say("* partial. Empty: not observed.")
    } else {
      say("Rows are the bottom lines of the groups, without cohorts that may hold older customers.")
    }
  ), collapse = " "))
}

lost_columns_line <- function(lost, calendar) {
  if (length(lost) == 0L) return(NULL)
  paste0(
    if (calendar) {
      paste(say("Periods up to"), lost[[length(lost)]])
    } else {
      paste("Ages from", lost[[1L]], "on")
    },
    say(" left out: "),
    if (on_command()) "--format csv" else "as.matrix(x)",
    say(" has all.")
  )
}
