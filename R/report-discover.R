# What the report says of groups that were found.

report_groups <- function(run) {
  found <- attr(run$discover, "found")
  lapply(names(found), \(name) {
    one <- found[[name]]
    htmltools::tagList(
      html_subject(paste("Groups that differ in", basis_of(one, "target")), describe(one)$finding),
      if (nrow(one) > 0L) html_figure(one, height = groups_height(one)),
      html_table(
        groups_face(one, rules = TRUE), 10L,
        "Groups, judged on customers who had no part in finding them"
      )
    )
  })
}
