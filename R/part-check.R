# What can be said of a study without computing it: words, shares, attributes, levels, periods. Only
# what a run alone can know is left to it.

# All that is wrong with the parts of a study, as one error with a line each.
check_study_parts <- function(study, ledger) {
  problems <- character()
  try_one <- function(section, code) {
    tryCatch(code, nubrek_error = \(e) problems <<- c(problems, problem_text(section, e)))
  }
  for (section in intersect(names(study_checks), names(study))) {
    try_one(section, study_checks[[section]](study, ledger))
  }
  try_one("meanings", check_study_consent(study, ledger))
  if (length(problems) == 0L) return(invisible(study))
  text <- gsub("([{}])", "\\1\\1", problems)
  abort_nubrek(c(
    "{.file {study$path}}: {length(problems)} part{?s} of the study cannot be made.",
    stats::setNames(text, rep("x", length(text)))
  ), "study", path = study$path, problems = problems, call = NULL)
}

# The sentences of an error in one line, under the name of the section.
problem_text <- function(section, error) {
  told <- cli::ansi_strip(conditionMessage(error))
  told <- gsub("\n *[^[:alnum:] ]* *", " ", told)
  paste0(if (!grepl("line [0-9]+ \\(", told)) paste0(section, ": "), told)
}

check_attributes <- function(ledger, names, call = NULL) {
  if (length(names) > 0L) {
    group_of(ledger, meant_attributes(ledger, names), call)
  }
}

check_sale_columns <- function(ledger, names) {
  check_attributes(ledger, setdiff(names, line_columns(ledger)))
}

check_line_filter <- function(ledger, lines) {
  check_columns_exist(names(lines), line_columns(ledger), "the lines", NULL)
  for (name in names(lines)) {
    check_values(lines[[name]], line_values(ledger, name), name, NULL)
  }
}

check_during <- function(ledger, during, arg = "during") read_during(during, ledger, arg, NULL)

# One check a section: it stops where `run` would stop over what the study says.
study_checks <- list(
  economics = \(study, ledger) {
    order_margin(ledger, study_margin(study), NULL)
    check_attributes(ledger, study$economics$shares_by)
    study_economics(study)
  },
  `repeat` = \(study, ledger) check_attributes(ledger, study[["repeat"]]$by),
  waits = \(study, ledger) check_attributes(ledger, study$waits$by),
  audiences = check_audience_rules,
  campaigns = \(study, ledger) {
    for (said in study$campaigns) {
      if (!is.null(said$audience)) {
        there <- c(names(study$audiences), if (!is.null(study$targets)) target_names)
        check_values(said$audience, there, "audiences", NULL)
      }
    }
    for (path in held_campaigns(study)) {
      open_campaign(path)
    }
  },
  targets = \(study, ledger) check_attributes(ledger, study$targets$within),
  discover = \(study, ledger) {
    for (said in study$discover) {
      parse_rule(said$target %||% "")
    }
  },
  wallet = \(study, ledger) {
    panel <- names(read_source(study_files(study, wanted_key(study, "wallet", "files")))$table)
    check_columns_exist(study$wallet$weights, panel, "the panel", NULL)
    if (!any(study$wallet$by %in% panel)) check_attributes(ledger, study$wallet$by)
    check_during(ledger, study$wallet$during)
  },
  new = \(study, ledger) {
    check_line_filter(ledger, study$new$lines)
    check_columns_exist(study$new$by, line_columns(ledger), "the lines", NULL)
  },
  sales = \(study, ledger) {
    check_sale_columns(ledger, study$sales$by)
    span <- check_during(ledger, study$sales$during)
    if (!is.null(study$sales$against)) earlier_span(study$sales$against, span, ledger, NULL)
  },
  stores = \(study, ledger) {
    check_line_column(study$stores$store %||% "channel", ledger, NULL)
    span <- check_during(ledger, wanted_key(study, "stores", "now"))
    earlier_span(wanted_key(study, "stores", "before"), span, ledger, NULL)
  },
  steps = \(study, ledger) {
    check_line_column(study$steps$by %||% goods_of(ledger), ledger, NULL)
    check_attributes(ledger, study$steps$adjust)
  },
  due = \(study, ledger) check_attributes(ledger, study$due$by),
  returns = \(study, ledger) check_sale_columns(ledger, study$returns$by),
  discounts = \(study, ledger) check_discounts(ledger, NULL),
  constant_currency = \(study, ledger) {
    check_line_column(wanted_key(study, "constant_currency", "currency"), ledger, NULL)
    span <- check_during(ledger, wanted_key(study, "constant_currency", "during"))
    earlier_span(wanted_key(study, "constant_currency", "against"), span, ledger, NULL)
  },
  watches = \(study, ledger) {
    for (said in study$watches) check_attributes(ledger, said$by)
  },
  cohorts = \(study, ledger) check_attributes(ledger, study$cohorts$by),
  payback = \(study, ledger) {
    by <- payback_groups(study)
    check_attributes(ledger, by)
    cost <- study_cost(study)
    if (is.null(cost$per_customer)) {
      ready_periods(
        cost$period, cost$named[[1L]], ledger_clock(ledger, study$cohorts$clock), meanings(), NULL
      )
      ready_money(cost$amount, cost$named[[2L]], ledger$decimals, meanings(), NULL)
    } else if (!is.null(by)) {
      levels <- unique(group_of(ledger, meant_attributes(ledger, by))[[1L]])
      check_values(names(cost$per_customer), levels, by, NULL)
    }
  },
  ranks = \(study, ledger) {
    check_sale_columns(ledger, study$ranks$within)
    check_during(ledger, study$ranks$during)
    if (!is.null(study$ranks$at_least)) {
      check_values(names(study$ranks$at_least), names(customer_measures), "at_least", NULL)
    }
  },
  rfm = \(study, ledger) {
    check_during(ledger, study$rfm$during)
    arguments <- rfm_arguments(study)
    check_cuts(arguments$cuts, NULL)
    k <- vapply(c("recency", "frequency", "monetary"), \(name) length(arguments$cuts[[name]]), 0L)
    k <- ifelse(k > 0L, k + 1L, arguments$bands %||% 5L)
    every <- expand.grid(m = seq_len(k[[3L]]), f = seq_len(k[[2L]]), r = seq_len(k[[1L]]))
    group_combinations(every, arguments$groups %||% rfm_groups(), k, NULL)
  },
  map = \(study, ledger) check_during(ledger, study$map$during),
  tiers = \(study, ledger) {
    check_during(ledger, study$tiers$during)
    tier_rule_of(study)
    if (!is.null(study$tiers$benefits)) study_benefits(study)
  },
  moves = \(study, ledger) {
    for (one in wanted_key(study, "moves", "periods")) {
      check_during(ledger, one, "periods")
    }
    tier_rule_of(study)
  },
  forecast = \(study, ledger) {
    check_attributes(
      ledger, c(study$forecast$by, unlist(study$forecast$covariates, use.names = FALSE))
    )
    study_models(study)
    if (!is.null(study$forecast$cut)) backtest_cut(ledger, study$forecast$cut, NULL)
  },
  outputs = \(study, ledger) {
    check_columns_exist(
      meant_attributes(ledger, study$outputs$contact), attribute_names(ledger),
      "the customer attributes", NULL
    )
  }
)

# Before anything is worked out: whatever the study wants of contacts, it is said who agreed.
check_study_consent <- function(study, ledger) {
  asking <- c(
    if (!is.null(study$outputs$contact)) list(study$outputs),
    study$campaigns[planned_campaigns(study)]
  )
  for (said in asking) consent_of(ledger, character(), said$contact_by, call = NULL)
}

tier_rule_of <- function(study) {
  arguments <- utils::modifyList(
    as.list(formals(assign_tiers))[c("measure", "match")], as.list(tier_arguments(study))
  )
  tier_rule(
    arguments$shares %||% eval(formals(assign_tiers)$shares),
    arguments$thresholds,
    arguments$measure,
    arguments$match,
    arguments$benefits,
    NULL
  )
}
