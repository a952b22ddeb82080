# What the report says of audiences and groups.

page_audiences <- function(run) {
  audiences <- attr(run$audiences, "audiences")
  each <- lapply(seq_along(audiences), \(i) {
    one <- audiences[[i]]
    page_block(
      paste0("audience-", i),
      paste0("Who is \u201c", names(audiences)[[i]], "\u201d?"),
      figures = page_figure(one, 1.2 + 0.42 * length(basis_of(one, "rule")))
    )
  })
  c(
    list(page_block(
      "audience-list",
      say("Which audiences are there?"),
      sentence = describe(run$audiences)$finding,
      tables = page_table(
        run$audiences, 20L, say("Groups by rules, which may overlap; the members in audiences.csv")
      )
    )),
    each
  )
}

page_overlap <- function(run) {
  called <- length(basis_of(run$overlap, "names"))
  many <- called > length(strip_colours)
  page_block(
    "overlap",
    say("How do they overlap?"),
    sentence = describe(run$overlap)$finding,
    figures = if (!many) page_figure(run$overlap, 1.6 + 0.45 * called),
    tables = if (many) page_table(run$overlap, 12L, say("Combinations of audiences"))
  )
}

page_audience_periods <- function(run) {
  if (length(basis_of(run$audience_periods, "names")) > length(strip_colours) + 1L) return(NULL)
  page_block("audience-time", say("What did they do over time?"), figures = page_figure(
    run$audience_periods, 5
  ))
}

page_contrasts <- function(run) {
  if (nrow(run$contrasts) == 0L) return(NULL)
  page_block(
    "contrasts",
    say("What distinguishes them?"),
    sentence = describe(run$contrasts)$finding,
    tables = page_table(
      contrast_face(
        run$contrasts, c("audience", "what", "level", "inside", "outside", "adjusted_p")
      ),
      20L,
      say("What distinguishes each audience, beyond what its rule says itself")
    )
  )
}

page_groups <- function(run) {
  found <- attr(run$discover, "found")
  lapply(seq_along(found), \(i) {
    one <- found[[i]]
    page_block(
      paste0("groups-", i),
      paste0(say("Which groups differ in "), basis_of(one, "target"), "?"),
      sentence = describe(one)$finding,
      figures = if (nrow(one) > 0L) page_figure(one, groups_height(one) - 1.2),
      tables = page_table(
        groups_face(one, rules = TRUE), 10L,
        say("Groups, judged on customers who had no part in finding them")
      )
    )
  })
}

audience_terms <- function() {
  list(
    audience = say("Customers for whom every condition of a rule holds."),
    `cannot be told` = say("Something that the condition reads is missing; it is then never true.")
  )
}
