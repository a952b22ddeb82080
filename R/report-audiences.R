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

report_overlap <- function(run) {
  if (length(basis_of(run$overlap, "names")) > length(strip_colours)) {
    return(html_table(run$overlap, 12L, "Combinations of audiences"))
  }
  htmltools::tagList(
    html_subject(describe(run$overlap)$heading, NULL),
    html_figure(run$overlap, height = 2.4 + 0.6 * length(basis_of(run$overlap, "names")))
  )
}

report_audience_periods <- function(run) {
  if (length(basis_of(run$audience_periods, "names")) > length(strip_colours) + 1L) return(NULL)
  html_figure(run$audience_periods, height = 6.5)
}

report_contrasts <- function(run) {
  if (nrow(run$contrasts) == 0L) return(NULL)
  html_table(
    contrast_face(run$contrasts, c("audience", "what", "level", "inside", "outside", "adjusted_p")),
    20L,
    "What distinguishes each audience, beyond what its rule says itself"
  )
}

audience_terms <- function() {
  list(
    audience = "Customers for whom every condition of a rule holds.",
    `cannot be told` = "Something that the condition reads is missing; it is then never true."
  )
}
