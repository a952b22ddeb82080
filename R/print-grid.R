# A cohort table in the terminal: cohorts down, ages across, the bottom lines under it.

#' @export
print.nubrek_grid <- function(x, rows = 24L, ...) print(grid_measure(x, "retention"), rows = rows, ...)

#' @export
print.nubrek_measure <- function(x, rows = 24L, ...) {
  rlang::check_dots_empty()
  said <- describe(x)
  wide <- as.matrix(x)
  first <- x[match(sort(unique(x$cohort)), x$cohort), ]
  cohorts <- sort(unique(x$cohort))
  shown <- utils::tail(seq_along(cohorts), rows)
  share <- identical(basis_of(x, "measure"), "retention")
  cell <- if (share) \(v) ifelse(is.na(v), "", formatC(100 * v, format = "f", digits = 0L)) else \(v) ifelse(is.na(v), "", formatC(v, format = "f", digits = 0L, big.mark = " "))
  partial <- matrix("", nrow(wide), ncol(wide))
  cut <- !x$complete
  partial[cbind(match(x$cohort[cut], cohorts), x$age[cut] + 1L)] <- "*"
  body <- matrix(paste0(cell(wide), partial), nrow(wide))[shown, , drop = FALSE]
  lines <- bottom_lines(x)
  bottom <- matrix("", length(unique(lines$line)), ncol(wide))            # none when no cell is complete
  for (i in seq_len(nrow(bottom))) { l <- lines[lines$line == unique(lines$line)[[i]], ]; bottom[i, ] <- cell(l$value[match(seq_len(ncol(wide)) - 1L, l$age)]) }
  labels <- c(paste0(period_label(cohorts[shown], basis_of(x, "clock")), ifelse(first$older[shown], " older", "")), unique(lines$line))
  sizes <- c(format_count_plain(first$size[shown]), rep("", nrow(bottom)))
  columns <- c(list(c("cohort", labels), c("size", sizes)), lapply(seq_len(ncol(wide)), \(j) c(as.character(j - 1L), body[, j], bottom[, j])))
  widths <- vapply(columns, \(text) max(nchar(text, "width")), 0L)
  fits <- cumsum(widths + 1L) <= terminal_width()
  padded <- Map(\(text, w, left) if (left) formatC(text, width = -w) else formatC(text, width = w), columns[fits], widths[fits], seq_len(sum(fits)) == 1L)
  text <- do.call(paste, c(unname(padded), sep = " "))
  n_top <- length(shown) + 1L
  writeLines(c(cli::style_bold(said$heading), basis_line(x), "", gsub("\u202f|\u00a0", " ", said$finding), if (!is.null(said$finding)) "",
    text[[1L]], strrep("\u2500", nchar(text[[1L]], "width")), text[2:n_top], strrep("\u2500", nchar(text[[1L]], "width")), text[-seq_len(n_top)],
    paste0(if (share) "Percent of the cohort. " else "", "Columns are ages in ", basis_of(x, "clock"), "s. * partial period. Empty: not observed."),
    if (length(shown) < length(cohorts)) paste0("Earlier cohorts left out: ", length(cohorts) - length(shown), "; ", rows_hint(length(cohorts))),
    if (!all(fits)) paste0("Ages from ", sum(fits) - 2L, " on left out: ", if (on_command()) "--format csv" else "as.matrix(x)", " has all."), remark_lines(x)))
  invisible(x)
}
