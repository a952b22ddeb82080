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
    page = \(run) page_audiences(run)
  ),
  study_part(
    "overlap",
    "how the audiences overlap, and what chance alone would bring together",
    "audiences",
    make = \(study, ledger, audiences) {
      do.call(audience_overlap, c(unname(attr(audiences, "audiences")), list(ledger = ledger)))
    },
    wanted = \(study) length(study$audiences) > 1L,
    figure = \(x) 2.8 + 0.7 * length(basis_of(x, "names")),
    page = \(run) page_overlap(run)
  ),
  study_part(
    "audience_periods",
    "what the audiences did over time, beside everybody",
    "audiences",
    make = \(study, ledger, audiences) {
      do.call(audience_periods, c(unname(attr(audiences, "audiences")), list(ledger = ledger)))
    },
    wanted = \(study) !is.null(study$audiences),
    figure = 7,
    page = \(run) page_audience_periods(run)
  ),
  study_part(
    "contrasts",
    "what distinguishes each audience from everybody else, or from another",
    "audiences",
    make = \(study, ledger, audiences) audience_contrasts(audiences, ledger),
    wanted = \(study) !is.null(study$audiences),
    figure = 7,
    options = c("name", "against"),
    read = \(x, job, study, ledger) {
      if (is.null(job$name) && is.null(job$against)) {
        return(read_one(x, "contrasts", job))
      }
      of <- names(attr(x, "audiences"))[[1L]]
      a <- one_audience(x, job$name %||% of)
      b <- if (!is.null(job$against)) one_audience(x, job$against)
      found <- compare_audiences(a, b, ledger)
      if (job$verb == "draw" || is.null(b)) audience_differences(found) else found
    },
    page = \(run) page_contrasts(run)
  ),
  study_part(
    "rule_columns",
    "results by customer whose columns rules may name",
    "audiences",
    make = \(study, ledger, tiers = NULL, rfm = NULL, map = NULL, rule_forecast = NULL) {
      Filter(Negate(is.null), list(tiers, rfm, map, rule_forecast))
    },
    wanted = asks_never,
    shown = FALSE,
    in_run = FALSE
  ),
  study_part(
    "rule_forecast",
    "what is expected of each customer, as rules call it",
    "audiences",
    make = \(study, ledger, forecast) forecast_columns(forecast),
    wanted = \(study) any(names(forecast_words) %in% rule_names(study)),
    shown = FALSE,
    in_run = FALSE
  )
)

# All names that stand in the rules of a study.
rule_names <- function(study) {
  texts <- unlist(lapply(study$audiences, `[[`, "rule"), use.names = FALSE)
  unique(unlist(lapply(texts, \(text) {
    tryCatch(all.vars(parse_rule(text)), nubrek_error = \(e) character())
  })))
}

# The audiences of a study in the order written; later ones may name earlier ones.
study_audiences <- function(study, ledger, results) {
  known <- list()
  for (name in names(study$audiences)) {
    said <- study$audiences[[name]]
    known[[name]] <- if (is.null(said$rule)) {
      audience_of(ledger, listed_ids(study, said), name)
    } else {
      audience(
        ledger,
        rule = said$rule,
        name = name,
        among = said[["among"]],
        with = results,
        known = known
      )
    }
  }
  told <- vapply(study$audiences, \(said) paste(said$description, collapse = " "), "")
  audience_table(known, ledger, told)
}

# The ids of a list that lies beside the study.
listed_ids <- function(study, said) {
  read <- read_source(study_files(study, said$files), file_format())
  check_columns_exist(said$key, names(read$table), read$files[[1L]], NULL)
  ids <- trim_text(as.character(read$table[[said$key]]))
  ids[!is_blank(ids)]
}

# One row for each audience.
audience_table <- function(audiences, ledger, description) {
  read <- \(field) vapply(audiences, \(one) as.double(basis_of(one, field)), 0, USE.NAMES = FALSE)
  n <- vapply(audiences, nrow, 0L, USE.NAMES = FALSE)
  new_result(
    list(
      audience = names(audiences),
      customers = n,
      share = n / pmax(1, read("population")),
      sales = read("sales"),
      share_of_sales = ifelse(read("sales_of_all") > 0, read("sales") / read("sales_of_all"), NA),
      cannot_be_told = as.integer(read("cannot_be_told")),
      description = unname(description)
    ),
    "audiences",
    ledger,
    rbind(carried(ledger), do.call(rbind, lapply(audiences, list_remark))),
    audiences = audiences
  )
}

# Each audience beside everybody else: the five rows of each that its rule does not make itself. One
# that leaves nobody to compare with has none.
audience_contrasts <- function(audiences, ledger) {
  each <- attr(audiences, "audiences")
  contrasts <- Filter(Negate(is.null), lapply(each, \(one) {
    tryCatch(contrast_of(one, NULL, ledger, 30L), nubrek_error_argument = \(e) NULL)
  }))
  rows <- lapply(names(contrasts), \(name) {
    found <- plain_table(contrasts[[name]])
    found <- utils::head(found[!found$from_rule & found$level != "(missing)", ], 5L)
    cbind(audience = rep(name, nrow(found)), found[setdiff(names(found), "from_rule")])
  })
  empty <- data.frame(audience = character())
  new_result(
    as.list(do.call(rbind, c(rows, if (length(rows) == 0L) list(empty)))),
    "contrasts",
    ledger,
    carried(ledger),
    basis = list(kinds = contrast_kinds),
    audiences = each,
    contrasts = contrasts
  )
}

list_remark <- function(one) {
  found <- remarks(one)
  found[found$about == "unknown ids", ]
}

one_audience <- function(x, name, others = character()) {
  audiences <- attr(x, "audiences")
  if (!name %in% names(audiences)) {
    there <- c(names(audiences), others)
    abort_nubrek(c(
      "There is no audience {.val {name}}.",
      nearest_hint(name, there),
      "i" = "There are {.val {there}}."
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
  from_results <- any(c("tiers", "rfm", "map", "forecast") %in% names(study))
  for (name in names(study$audiences)) {
    said <- study$audiences[[name]]
    if (is.null(said$rule)) audience_of(ledger, listed_ids(study, said), name)
    population <- said[["among"]]
    if (!is.null(population)) check_during(ledger, population, "among")
    scope <- audience_scope(ledger, known = known)
    for (text in said$rule) {
      node <- parse_rule(text, NULL)
      strange <- setdiff(all.vars(node), c(scope$names, line_scope(ledger, "")$names))
      if (length(strange) > 0L && from_results) next
      rule_step(node, text, scope, n_customers(ledger))
    }
    known[[name]] <- list(customer = character())
  }
}
