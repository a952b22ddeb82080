# Terminal: tables of at most 100 columns that say what was left out and how to see it.

terminal_width <- function() min(100L, max(40L, getOption("width", 80L)))

# Does a table run through time, one row after the other? Then its newest rows are shown, as in the
# tables of cohorts.
by_time <- function(x) {
  name <- intersect(c("period", "cohort", "week_end", "cut"), names(x))
  length(name) > 0L && nrow(x) > 1L && !is.unsorted(x[[name[[1L]]]]) && !anyNA(x[[name[[1L]]]])
}

# The rows that are shown, and what is said of the others.
shown_rows <- function(x, rows) {
  newest <- by_time(x)
  shown <- if (newest) utils::tail(x, rows) else utils::head(x, rows)
  left <- nrow(x) - nrow(shown)
  list(
    shown = shown,
    newest = newest,
    said = if (left > 0L) {
      paste0(
        "\u2026 ",
        if (newest) "before them " else "and ",
        format_count_plain(left),
        if (newest) " earlier" else " more",
        if (left == 1L) " row" else " rows"
      )
    }
  )
}

# Lines of an aligned table: numbers to the right, text to the left. Where there is no room for all
# columns, those that the headline speaks of (`answers`) stay.
table_lines <- function(x, rows = default_rows(), answers = NULL) {
  if (rows == 0L) return(character())
  found <- shown_rows(x, rows)
  shown <- found$shown
  cells <- present(shown, big_mark = " ")
  right <- mapply(
    is_number_column,
    names(shown),
    plain_table(shown),
    MoreArgs = list(kinds = basis_of(x, "kinds", NULL))
  )
  columns <- Map(
    \(name, text, r) {
      text <- c(name, text)
      text <- ifelse(nchar(text, "width") > 60L, paste0(substr(text, 1L, 59L), "\u2026"), text)
      pad <- strrep(" ", max(nchar(text, "width")) - nchar(text, "width"))
      if (r) paste0(pad, text) else paste0(text, pad)
    },
    names(cells),
    cells,
    right
  )
  widths <- vapply(columns, \(column) nchar(column[[1L]], "width") + 2L, 0L)
  first <- order(!names(cells) %in% c(names(cells)[[1L]], answers))
  fits <- logical(length(columns))
  fits[first] <- cumsum(widths[first]) - 2L <= terminal_width()
  fits[[1L]] <- TRUE
  lines <- trimws(do.call(paste, c(unname(columns[fits]), sep = "  ")), "right")
  c(
    lines[[1L]],
    strrep("\u2500", min(terminal_width(), max(nchar(lines, "width")))),
    lines[-1L],
    if (!is.null(found$said)) paste0(found$said, ": ", rows_hint(nrow(x))),
    if (!all(fits)) {
      strwrap(paste0(
        say("More columns, by "), all_hint(), ": ", paste(names(cells)[!fits], collapse = ", ")
      ), terminal_width(), exdent = 2L)
    }
  )
}

# Rows of a table where nobody says how many.
default_rows <- function() getOption("nubrek.rows", 10L)

# How to see more: the option of the command, or the argument of print.
on_command <- function() !is.null(getOption("nubrek.command"))
rows_hint <- function(n) {
  if (!on_command()) {
    paste0("print(x, rows = ", n, ")")
  } else if (command_takes("--rows")) {
    paste("--rows", n)
  } else {
    all_hint()
  }
}
all_hint <- function() {
  if (!on_command()) {
    "as.data.frame(x)"
  } else if (command_takes("--format")) {
    "--format csv"
  } else {
    say("in R")
  }
}

command_takes <- function(option) option %in% getOption("nubrek.command")

format_count_plain <- function(n) formatC(n, format = "d", big.mark = " ")

# Wrapped before narrow and no-break spaces become plain ones, so that no number breaks over lines.
wrap_lines <- function(text, exdent = 0L) {
  text <- seen_text(text)
  if (!nzchar(text)) return("")
  gsub("\u202f|\u00a0", " ", strwrap(text, terminal_width(), exdent = exdent))
}

remark_lines <- function(x) {
  notes <- remarks(x)
  if (nrow(notes) == 0L) return(character())
  text <- unlist(lapply(paste0("! ", notes$remark), wrap_lines, exdent = 2L))
  c("", text)
}

# Heading, finding, table, remarks: every print has this shape.
print_result <- function(
  x, heading, finding = NULL, table = x, rows = default_rows(), after = NULL, answers = NULL
) {
  told <- unlist(lapply(finding, wrap_lines))
  writeLines(c(
    cli::style_bold(seen_text(heading)),
    if (nzchar(basis_line(x))) basis_line(x),
    "",
    told,
    if (length(told) > 0L) "",
    table_lines(table, rows, answers),
    unlist(lapply(after, wrap_lines)),
    remark_lines(x)
  ))
  invisible(x)
}

#' @export
print.nubrek_ledger <- function(x, ...) {
  counts <- x$intake$counts
  aside <- sum(counts$rows[counts$reason != "kept"])
  total <- reduce_totals(x)
  writeLines(c(
    cli::style_bold("Ledger"),
    paste0(
      format_count_plain(total$orders),
      say(" orders of "),
      format_count_plain(sum(reduce_customers(x)$orders > 0L)),
      say(" customers, "),
      gsub(
        "\u202f|\u00a0", " ", format_money(major(x, total$sales), x$currency, x$decimals)
      ),
      say(" net sales")
    ),
    paste0(
      format(x$history_start),
      " to ",
      format(x$as_of),
      say("; a purchase is "),
      purchase_words(structure(list(), basis = ledger_basis(x)))
    ),
    paste0(
      format_count_plain(x$intake$rows),
      say(" rows read, "),
      format_count_plain(aside),
      say(" set aside: "),
      if (on_command()) "the audit" else "audit(ledger)",
      say(" says why")
    ),
    if (!is.null(x$folder)) {
      paste(n_of(length(x$parts), "part"), say("in the folder"), seen_text(x$folder))
    },
    remark_lines(x)
  ))
  invisible(x)
}

# A proof is read whole.
#' @export
print.nubrek_proof <- function(x, rows = 60L, ...) NextMethod(rows = rows)

#' @export
print.nubrek_result <- function(x, rows = default_rows(), ...) {
  rlang::check_dots_empty()
  told <- describe(x)
  print_result(x, told$heading, told$finding, told$table %||% x, rows, told$after, told$answers)
}

#' @export
print.nubrek_db_table <- function(x, ...) {
  rlang::check_dots_empty()
  writeLines(c(
    paste(say("A source in a database:"), seen_text(x$name)), paste("Columns:", toString(seen_text(
      x$columns
    )))
  ))
  invisible(x)
}
