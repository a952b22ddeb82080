# Every result is a data frame with a light class on top. What a reader must know beside the numbers
# travels with it: `basis` (as-of day, purchase unit, currency ...) and remarks.

new_result <- function(columns, class, ledger = NULL, remarks = NULL, basis = list(), ...) {
  stopifnot(is.list(columns), is.character(class))
  common <- if (is.null(ledger)) list() else ledger_basis(ledger)
  basis <- with_fields(common, basis)
  check_result(columns, class, basis)
  structure(
    bare_table(columns),
    basis = basis,
    remarks = all_remarks(remarks, latest_columns_remark(names(columns))),
    required = names(columns),
    whole = length(columns[[1L]]),
    ...,
    class = c(paste0("nubrek_", class), "nubrek_result", "data.frame")
  )
}

# An attribute that differs from order to order is no property of the customer.
latest_columns_remark <- function(names) {
  of_latest <- names[startsWith(names, "latest_")]
  if (length(of_latest) == 0L) return(NULL)
  remark_table("latest", say(
    "%s is that of each customer's latest order; earlier orders may have another.", of_latest
  ))
}

# Our own mistakes: two columns of one name, a kind that nobody knows how to write.
check_result <- function(columns, class, basis) {
  twice <- names(columns)[duplicated(names(columns))]
  if (length(twice) > 0L) {
    abort_nubrek("A {.cls {class}} has two columns called {.field {twice[[1L]]}}.", "internal")
  }
  odd <- setdiff(unlist(basis$kinds, use.names = FALSE), known_kinds)
  if (length(odd) > 0L) {
    abort_nubrek(
      "A {.cls {class}} has a column of the unknown kind {.val {odd[[1L]]}}.", "internal"
    )
  }
}

# Fields of a basis with others over them; one that is NULL is known all the same.
with_fields <- function(basis, fields) {
  c(basis[setdiff(names(basis), names(fields))], fields)
}

# Columns of one length are a data frame as they stand; others are recycled.
bare_table <- function(columns) {
  n <- unique(lengths(columns))
  if (
    length(n) != 1L ||
      !all(vapply(columns, is.atomic, NA)) ||
      any(vapply(columns, \(x) length(dim(x)) > 0L, NA))
  ) {
    return(as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE))
  }
  structure(as.list(columns), row.names = .set_row_names(n), class = "data.frame")
}

#' @export
`[.nubrek_result` <- function(x, ...) {
  result <- NextMethod()
  if (!is.data.frame(result)) return(result)
  if (!all(attr(x, "required") %in% names(result))) return(plain_table(result))
  for (name in setdiff(names(attributes(x)), c("names", "row.names", "class"))) {
    attr(result, name) <- attr(x, name)
  }
  result
}

# Has a result lost rows since it was made (or won some)? Then it says no finding of the whole.
is_part <- function(x) {
  whole <- attr(x, "whole")
  !is.null(whole) && is.data.frame(x) && nrow(x) != whole
}

# The bare data frame under a result.
plain_table <- function(x) {
  for (name in setdiff(names(attributes(x)), c("names", "row.names"))) {
    attr(x, name) <- NULL
  }
  class(x) <- "data.frame"
  x
}

# A field of the basis: one that the class declares where it is made, else it is our mistake. With
# `or` a result of any class may be asked.
basis_of <- function(x, field, or) {
  basis <- attr(x, "basis")
  if (!field %in% names(basis)) {
    if (!missing(or)) return(or)
    abort_nubrek(
      "A {.cls {class(x)[[1L]]}} has no field {.field {field}} in its basis.", "internal"
    )
  }
  basis[[field]]
}

remark_table <- function(about = character(), remark = character()) {
  bare_table(list(about = rep_len(about, length(remark)), remark = remark))
}

# Remarks one after the other; tables of them, or nothing.
all_remarks <- function(...) {
  parts <- list(...)
  pick <- \(column) as.character(unlist(lapply(parts, `[[`, column), use.names = FALSE))
  bare_table(list(about = pick("about"), remark = pick("remark")))
}

#' What a reader must know beside the numbers
#'
#' Partial periods, ties, older cohorts, what was left out: results carry such remarks with them,
#' and every print, figure, report and command shows the same ones.
#'
#' @param x A ledger or any result of this package.
#' @return A data frame with the columns `about` `[character]`, a short fixed word for what the
#'   remark concerns, and `remark` `[character]`, the sentence. No rows when there is nothing to
#'   say.
#' @examples
#' remarks(example_ledger())
#' remarks(cohort_grid(example_ledger()))
#' @export
remarks <- function(x) {
  found <- attr(x, "remarks")
  if (is.null(found)) {
    abort_nubrek(
      c("{.arg x} carries no remarks.", "i" = "Ledgers and results of this package do."), "argument"
    )
  }
  found
}

# "1 cohort", "4 cohorts", "12 428 customers".
n_of <- function(n, noun) paste0(number_text(n), "\u00a0", noun, if (n != 1) "s")

# Numbers in sentences: as many digits as they have, never in powers of ten.
four_digits <- function(x) trimws(written(x, format = "fg", digits = 4L, big.mark = "\u202f"))
number_text <- function(x, ...) {
  format(
    x, trim = TRUE, scientific = FALSE, big.mark = "\u202f", decimal.mark = decimal_sign(), ...
  )
}


# "This customer", "These 5 customers".
these <- function(n, noun) {
  if (n == 1) {
    paste0("This\u00a0", noun)
  } else {
    paste0("These\u00a0", n_of(n, noun))
  }
}

# The ledger's remarks that a result passes on.
carried <- function(ledger, about = "as of") {
  notes <- remarks(ledger)
  notes[notes$about %in% c("slice", "customer ids", about), , drop = FALSE]
}

date_of_number <- function(day) as.Date(day, origin = "1970-01-01")

# The levels of the quantiles that bound an interval.
tails_of <- function(level) c((1 - level) / 2, (1 + level) / 2)

# How many of the others are strictly better; `x` higher is better.
strictly_better <- function(x) cpp_count_others(x, TRUE)

ledger_basis <- function(ledger) {
  c(list(
    as_of = ledger$as_of,
    history_start = ledger$history_start,
    currency = ledger$currency,
    decimals = ledger$decimals,
    purchase_unit = ledger$meaning$purchase_unit,
    minimum_sales = ledger$meaning$minimum_sales
  ), if (!is.null(ledger$events)) list(events = ledger$events))
}
