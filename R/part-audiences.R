# Parts about audiences: groups of customers by rules.

audience_parts <- list(
  study_part(
    "audiences",
    "groups of customers by the study's rules",
    "audiences",
    make = \(study, ledger, rule_columns) study_audiences(study, ledger, rule_columns),
    wanted = \(study) !is.null(study$audiences),
    figure = \(x) max(4, 2.8 + 0.55 * length(basis_of(first_audience(x), "rule"))),
    options = "name",
    read = \(x, job, study, ledger) {
      if (!is.null(job$name)) return(one_audience(x, job$name))
      switch(job$verb, draw = first_audience(x), list = audience_members(x), x)
    },
    lists = list("audiences.csv" = \(run) contact_list(run, audience_members(run$audiences))),
    answer = \(run) run$audiences,
    report = \(run) report_audiences(run)
  ),
  study_part(
    "rule_columns",
    "results by customer whose columns rules may name",
    "audiences",
    make = \(study, ledger, tiers = NULL, rfm = NULL, map = NULL) {
      Filter(Negate(is.null), list(tiers, rfm, map))
    },
    wanted = asks_never,
    shown = FALSE,
    kept = FALSE
  )
)

# The audiences of a study in the order written; later ones may name earlier ones.
study_audiences <- function(study, ledger, results) {
  known <- list()
  for (name in names(study$audiences)) {
    known[[name]] <- audience(
      ledger,
      rule = whole_conditions(study$audiences[[name]]),
      name = name,
      with = results,
      known = known
    )
  }
  audience_table(known, ledger)
}

# A list between brackets is cut at every comma, also at those inside a condition: pieces are put
# together until their brackets close.
whole_conditions <- function(pieces) {
  depth <- cumsum(vapply(pieces, \(piece) {
    bare <- gsub("\"[^\"]*\"|'[^']*'", "", piece)
    nchar(gsub("[^(]", "", bare)) - nchar(gsub("[^)]", "", bare))
  }, 0))
  group <- cumsum(c(TRUE, depth[-length(depth)] <= 0))
  unname(vapply(split(pieces, group), paste, "", collapse = ", "))
}

# One row for each audience.
audience_table <- function(audiences, ledger) {
  read <- \(field) vapply(audiences, \(one) as.double(basis_of(one, field)), 0, USE.NAMES = FALSE)
  n <- vapply(audiences, nrow, 0L, USE.NAMES = FALSE)
  new_result(
    list(
      audience = names(audiences),
      customers = n,
      share = n / pmax(1, read("population")),
      sales = read("sales"),
      share_of_sales = ifelse(read("sales_of_all") > 0, read("sales") / read("sales_of_all"), NA),
      cannot_tell = as.integer(read("cannot_tell"))
    ),
    "audiences",
    ledger,
    carried(ledger),
    audiences = audiences
  )
}

one_audience <- function(x, name) {
  audiences <- attr(x, "audiences")
  if (!name %in% names(audiences)) {
    abort_nubrek(c(
      "There is no audience {.val {name}}.",
      nearest_hint(name, names(audiences)),
      "i" = "There are {.val {names(audiences)}}."
    ), "rule", call = NULL)
  }
  audiences[[name]]
}

first_audience <- function(x) {
  if (inherits(x, "nubrek_audience")) x else attr(x, "audiences")[[1L]]
}

# Who is in which audience.
audience_members <- function(x) {
  audiences <- attr(x, "audiences")
  rows <- lapply(names(audiences), \(name) {
    data.frame(customer = audiences[[name]]$customer, audience = rep(name, nrow(audiences[[name]])))
  })
  do.call(rbind, rows)
}

# A rule is looked at before a run as far as it speaks of the data; what it says of tiers and scores
# only a run knows.
check_audience_rules <- function(study, ledger) {
  known <- list()
  from_results <- any(c("tiers", "rfm", "map") %in% names(study))
  for (name in names(study$audiences)) {
    scope <- audience_scope(ledger, known = known)
    for (text in whole_conditions(study$audiences[[name]])) {
      node <- parse_rule(text, NULL)
      strange <- setdiff(all.vars(node), c(scope$names, line_scope(ledger, "")$names))
      if (length(strange) > 0L && from_results) next
      rule_step(node, text, scope, n_customers(ledger))
    }
    known[[name]] <- list(customer = character())
  }
}
