# What audiences are called, and the sentence that says what was found.

#' @export
describe.nubrek_audience <- function(x) {
  course <- attr(x, "course")
  n <- if (is_part(x)) nrow(x) else course$customers[[nrow(course)]]
  list(
    heading = paste(c("Audience", seen_text(basis_of(x, "name"))), collapse = ": "),
    finding = audience_finding(
      n, basis_of(x, "population"), basis_of(x, "sales"), basis_of(x, "sales_of_all"), basis_of(
        x, "currency"
      ), basis_of(x, "among")
    ),
    table = if (!is_part(x)) course_table(course),
    after = c(
      "",
      if (basis_of(x, "cannot_tell") > 0L) {
        sprintf(
          "Of %s a condition cannot be told; what cannot be told is never true.",
          n_of(basis_of(x, "cannot_tell"), "customer")
        )
      },
      paste0(
        "alone: for how many a condition holds by itself. The members: ",
        if (on_command()) "nubrek list" else "as.data.frame(x)"
      )
    )
  )
}

audience_finding <- function(n, population, sales, all, currency, among) {
  sprintf(
    "%s of %s%s; they have brought %s (%s of all sales).",
    n_of(n, "customer"),
    format_count(population),
    if (is.null(among)) "" else sprintf(" who bought in %s", paste(among, collapse = " to ")),
    format_money(sales, currency),
    if (all > 0) present_share(sales / all) else "none"
  )
}

course_table <- function(course) {
  course$condition <- seen_text(course$condition)
  course[c(
    "condition", "customers", "share", "sales", "taken", "alone",
    if (any(course$cannot_tell > 0L)) c("cannot_tell", "missing")
  )]
}

#' @export
describe.nubrek_audience_course <- function(x) {
  list(
    heading = paste(
      c("The count while it was built", seen_text(basis_of(x, "name"))), collapse = ": "
    ),
    table = structure(course_table(plain_table(x)), basis = attr(x, "basis"))
  )
}

#' @export
describe.nubrek_audience_changes <- function(x) {
  n <- stats::setNames(x$customers, x$change)
  list(
    heading = paste(
      c("Who joined and who left", seen_text(basis_of(x, "name"))), collapse = ": "
    ),
    finding = if (!is_part(x)) {
      sprintf(
        "%s joined, %s left, %s stayed.",
        n_of(n[["joined"]], "customer"),
        format_count(n[["left"]]),
        format_count(n[["stayed"]])
      )
    }
  )
}

#' @export
describe.nubrek_audiences <- function(x) {
  most <- which.max(x$sales)
  list(
    heading = "Audiences",
    finding = if (!is_part(x) && nrow(x) > 0L) {
      sprintf(
        "%s; the most sales lie in \u201c%s\u201d: %s of customers, %s of sales.",
        n_of(nrow(x), "audience"),
        seen_text(x$audience[[most]]),
        present_share(x$share[[most]]),
        present_share(x$share_of_sales[[most]])
      )
    },
    after = c("", paste0(
      "Groups of customers by rules, which may overlap. One of them, condition by condition: ",
      if (on_command()) "--name NAME" else "attr(x, \"audiences\")"
    ))
  )
}
