# What the report says of audiences.

report_audiences <- function(run) {
  audiences <- attr(run$audiences, "audiences")
  htmltools::tagList(
    html_table(
      run$audiences, 20L, "Groups by rules, which may overlap; the members stand in audiences.csv"
    ),
    lapply(audiences, \(one) {
      htmltools::tagList(
        html_subject(describe(one)$heading, NULL),
        html_figure(one, height = 2 + 0.5 * length(basis_of(one, "rule")))
      )
    })
  )
}

audience_terms <- function() {
  list(
    audience = "Customers for whom every condition of a rule holds.",
    `cannot be told` = "Something that the condition reads is missing; it is then never true."
  )
}
