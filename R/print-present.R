# How values are written for people: one place for terminal, report and figures.

# A result as text, column by column, ready to be laid out. Not known is "-"; of nobody nothing is
# said.
present <- function(x, big_mark = "\u202f") {
  rows <- plain_table(x)
  decimals <- basis_of(x, "decimals", NULL) %||% 2L
  kinds <- basis_of(x, "kinds", NULL)
  size <- size_column(rows)
  nobody <- if (is.null(size)) FALSE else rows[[size]] %in% 0
  cells <- Map(
    \(name, column) {
      cell <- present_column(kind_of(name, column, kinds), column, decimals, big_mark)
      ifelse(nobody & is.na(column) & !is.character(column), "", cell)
    },
    names(rows),
    rows
  )
  as.data.frame(cells, optional = TRUE, stringsAsFactors = FALSE)
}

present_column <- function(kind, x, decimals, big_mark) {
  writer <- kind_writers[[kind]] %||% write_decimals
  ifelse(is.na(x), "-", writer(x, kind_records[[kind]]$decimals(x, decimals), big_mark))
}

# With the decimals of the kind, which may differ by row.
write_decimals <- function(x, digits, big_mark) {
  known <- ifelse(is.na(x), 0, as.double(x))
  result <- character(length(x))
  for (n in unique(digits)) {
    those <- rep_len(digits == n, length(x))
    result[those] <- fixed(known[those], n, big_mark)
  }
  result
}

# Kinds that are more than decimals.
kind_writers <- list(
  share = \(x, digits, big_mark) present_share(x, digits),
  date = \(x, digits, big_mark) format(x),
  yes = \(x, digits, big_mark) ifelse(x, "yes", "no"),
  number = \(x, digits, big_mark) {
    text <- written(x, format = "fg", digits = 4L, flag = "#", big.mark = big_mark)
    sub("[.,]$", "", text)
  },
  p = \(x, digits, big_mark) {
    ifelse(!is.na(x) & x < 0.001, "< 0.001", write_decimals(x, digits, big_mark))
  },
  cell = \(x, digits, big_mark) seen_text(as.character(x)),
  text = \(x, digits, big_mark) seen_text(as.character(x))
)

# In sentences percent stand without decimals, in tables with one; a few are not none.
present_share <- function(x, digits = 0L) {
  x <- as.double(x)
  few <- !is.na(x) & x > 0 & round(100 * x, digits) == 0
  least <- paste0("under ", fixed(1 / 10^digits, digits, ""))
  text <- ifelse(few, least, fixed(100 * x, digits, ""))
  ifelse(is.na(x), "-", paste0(text, "\u00a0%"))
}

format_money <- function(
  x, currency, digits = if (all(abs(x) >= 1000 | x == 0, na.rm = TRUE)) 0L else 2L
) {
  text <- fixed(x, digits)
  ifelse(is.na(x), "-", trim_text(paste0(text, "\u00a0", currency)))
}

# Text from files as it can be shown: what would steer a terminal stands as a mark.
seen_text <- function(x) {
  odd <- which(grepl("[\u0001-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]", x, perl = TRUE))
  for (i in odd) {
    code <- utf8ToInt(x[[i]])
    steers <- code < 32L |
      (code >= 127L & code <= 159L) |
      (code >= 0x202aL & code <= 0x202eL) |
      (code >= 0x2066L & code <= 0x2069L)
    code[steers] <- ifelse(code[steers] < 32L, 0x2400L + code[steers], 0xfffdL)
    x[[i]] <- intToUtf8(code)
  }
  x
}

# With so many decimals; nothing is "-0.0".
fixed <- function(x, digits, big_mark = "\u202f") {
  sub("^-(0([.,]0+)?)$", "\\1", written(
    round(x, digits), format = "f", digits = digits, big.mark = big_mark
  ))
}

format_count <- function(n) written(n, format = "d", big.mark = "\u202f")

# A `cell` is text that stands like a number.
is_number_column <- function(name, x, kinds = NULL) {
  kind_records[[kind_of(name, x, kinds)]]$number
}

# A table of ready text whose columns from the second on are cells.
as_cells <- function(table, words = 1L) {
  called <- names(table)[-seq_len(words)]
  structure(as.data.frame(table, optional = TRUE), basis = list(
    kinds = stats::setNames(rep("cell", length(called)), called)
  ))
}

# What stands under every heading: as-of day, purchase unit, currency.
basis_line <- function(x) {
  parts <- c(
    if (!is.null(basis_of(x, "as_of", NULL))) {
      paste("as of", format_day(basis_of(x, "as_of", NULL)))
    },
    if (!is.null(basis_of(x, "purchase_unit", NULL))) say("a purchase is %s", purchase_words(x)),
    if (nzchar(basis_of(x, "currency", NULL) %||% "")) {
      paste("money in", basis_of(x, "currency", NULL))
    }
  )
  paste(parts, collapse = "; ")
}

purchase_words <- function(x) {
  least <- basis_of(x, "minimum_sales", NULL)
  paste(
    switch(basis_of(x, "purchase_unit", NULL), order = say("an order"), day = say("a day")),
    if (is.null(least)) {
      say("with net sales above 0")
    } else {
      say("with net sales of %s or more", least)
    }
  )
}

capital <- function(text) paste0(toupper(substr(text, 1L, 1L)), substring(text, 2L))


# The column that says on how many customers a row stands.
size_column <- function(x) {
  found <- intersect(c("size", "customers", "arm_customers"), names(x))
  if (length(found) > 0L) found[[1L]]
}
