# Parts about campaigns: planned from the study, held by `nubrek hold`, measured when their file is
# there and their day has passed.

campaign_parts <- list(
  study_part(
    "due",
    "whose second purchase is due, and what to offer",
    "campaigns",
    make = \(study, ledger, steps = NULL) do.call(purchase_due, c(
      list(ledger, steps = steps),
      settings_of(
        study, "due", c("by", "window", "passed", "ahead", "contact_by", "quiet", "most")
      )
    )),
    wanted = \(study) !is.null(study$due),
    may_lack = TRUE,
    figure = \(x) 3 + 1.2 * ceiling(min(6L, nrow(basis_of(x, "windows"))) / 2),
    lists = list("due.csv" = \(run) contact_list(run, run$due)),
    page = \(run) page_due(run)
  ),
  study_part(
    "contacts",
    "who was contacted, campaign by campaign",
    "campaigns",
    make = \(study, ledger) contact_history(ledger),
    wanted = \(study) !is.null(study$data$contacts),
    page = \(run) page_contacts(run)
  ),
  study_part(
    "targets",
    "targets that are ready to use, and how they come back by themselves",
    "campaigns",
    make = \(study, ledger, target_forecast = NULL) {
      do.call(ready_targets, c(
        list(ledger, forecast = target_forecast),
        settings_of(study, "targets", c("days", "within", "top", "contact_by"))
      ))
    },
    wanted = \(study) !is.null(study$targets),
    figure = \(x) 2.6 + 0.62 * nrow(x),
    options = "name",
    read = \(x, job, study, ledger) {
      if (!is.null(job$name)) return(one_target(x, job$name))
      if (job$verb == "list") target_members(x) else x
    },
    lists = list("targets.csv" = \(run) contact_list(run, target_members(run$targets))),
    page = \(run) page_targets(run)
  ),
  study_part(
    "target_forecast",
    "the forecast that targets look at",
    "campaigns",
    make = \(study, ledger, forecast) forecast,
    wanted = \(study) isTRUE(study$targets$forecast),
    shown = FALSE,
    in_run = FALSE
  ),
  study_part(
    "plans",
    "what each campaign can show, cost and bring",
    "campaigns",
    make = \(study, ledger, audiences = NULL, targets = NULL) {
      study_plans(study, ledger, audiences, targets)
    },
    wanted = \(study) length(planned_campaigns(study)) > 0L,
    figure = 6.5,
    options = "name",
    read = \(x, job, study, ledger) read_one(x, "plans", job),
    page = \(run) page_plans(run)
  ),
  study_part(
    "effects",
    "whether the campaigns worked, and whether they paid",
    "campaigns",
    make = \(study, ledger) study_effects(study, ledger),
    wanted = \(study) length(held_campaigns(study)) > 0L,
    figure = 7,
    options = "name",
    read = \(x, job, study, ledger) read_one(x, "effects", job),
    page = \(run) page_effects(run),
    findings = \(run) findings_effects(run)
  ),
  study_part(
    "history",
    "all campaigns with what came of them",
    "campaigns",
    make = \(study, ledger, effects) study_history(study, ledger, effects),
    wanted = \(study) length(held_campaigns(study)) > 0L,
    figure = \(x) 2.4 + 0.5 * nrow(x),
    page = \(run) page_history(run)
  ),
  study_part(
    "wallet",
    "our share of what each customer spends",
    "campaigns",
    make = \(study, ledger) study_wallet(study, ledger),
    wanted = \(study) !is.null(study$wallet),
    figure = 5.5,
    lists = list("wallet.csv" = \(run) contact_list(run, run$wallet)),
    page = \(run) page_wallet(run),
    findings = \(run) findings_wallet(run)
  ),
  study_part(
    "sellers",
    "everybody's share of the customers",
    "campaigns",
    make = \(study, ledger, wallet) wallet_sellers(wallet),
    wanted = asks_never
  )
)

study_wallet <- function(study, ledger) {
  said <- study$wallet
  columns <- said$columns %||% c(
    customer = "customer", seller = "seller", units = "units", money = "money"
  )
  do.call(wallet_share, c(
    list(
      study_files(study, wanted_key(study, "wallet", "files")),
      wanted_key(study, "wallet", "ours"),
      columns,
      ledger = ledger
    ),
    said[intersect(
      c("category", "by", "during", "hold", "decimal_mark", "weights"), names(said)
    )]
  ))
}

# One of several results by its name; a figure needs one.
read_one <- function(x, which, job) {
  each <- attr(x, which)
  if (is.null(job$name)) {
    nothing_to_draw(job$verb == "draw" && length(each) == 0L, x)
    return(if (job$verb == "draw") each[[1L]] else x)
  }
  check_values(job$name, names(each), "name", NULL)
  each[[job$name]]
}

campaign_said <- function(study, name) {
  said <- study$campaigns[[name]]
  if (is.null(said$audience)) {
    abort_study(study$source, c("campaigns", name), "The key {.field audience} is missing here.")
  }
  rate <- study$economics$margin_rate
  said$margin_rate <- said$margin_rate %||% if (is.numeric(rate) && length(rate) == 1L) rate
  said
}

# Those with an audience; others are only measured.
planned_campaigns <- function(study) {
  names(Filter(\(said) !is.null(said$audience), study$campaigns))
}

# The audience of a campaign: one of the study's, or a target that is ready.
campaign_audience <- function(name, audiences, targets) {
  if (!name %in% names(attr(audiences, "audiences")) && name %in% targets$target) {
    return(one_target(targets, name))
  }
  one_audience(audiences, name, targets$target)
}

# The members of all targets under one another.
target_members <- function(targets) {
  members <- attr(targets, "audiences")
  rows <- data.frame(
    target = rep(names(members), vapply(members, nrow, 0L)),
    customer = unlist(lapply(members, `[[`, "customer"), use.names = FALSE)
  )
  side_table(rows, "target_members", targets)
}

study_plans <- function(study, ledger, audiences, targets) {
  made <- where_known(planned_campaigns(study), \(name) {
    said <- campaign_said(study, name)
    keys <- c(
      "outcome", "days", "cost_per_contact", "offer_cost", "margin_rate", "uplift", "day",
      "contact_by", "quiet", "most"
    )
    shares <- sort(unique(c(said$share %||% 0.1, eval(formals(plan_campaign)$control))))
    do.call(plan_campaign, c(
      list(ledger, campaign_audience(said$audience, audiences, targets), control = shares),
      said[intersect(keys, names(said))]
    ))
  })
  plans <- made$found
  rows <- lapply(names(plans), \(name) {
    plan <- plain_table(plans[[name]])
    share <- study$campaigns[[name]]$share %||% 0.1
    cbind(campaign = name, audience = study$campaigns[[name]]$audience, plan[
      plan$control_share == share,
    ])
  })
  new_result(
    as.list(do.call(rbind, c(rows, list(no_campaign)[length(rows) == 0L]))),
    "plans",
    ledger,
    rbind(carried(ledger), made$remarks),
    basis = list(kinds = plan_kinds),
    plans = plans
  )
}

no_campaign <- data.frame(campaign = character())

# What can be said of each campaign, and of which not and why.
where_known <- function(names, make) {
  each <- lapply(stats::setNames(nm = names), \(name) {
    tryCatch(make(name), nubrek_error_unidentified = identity)
  })
  lacking <- vapply(each, inherits, NA, "nubrek_error")
  why <- vapply(each[lacking], \(e) {
    gsub("\\s+", " ", cli::ansi_strip(conditionMessage(e)))
  }, "")
  list(
    found = each[!lacking],
    remarks = if (any(lacking)) {
      remark_table(rep("campaign", sum(lacking)), paste0(names[lacking], ": ", why))
    }
  )
}

# Files of campaigns that have been held.
held_campaigns <- function(study) {
  files <- lapply(study$campaigns, \(said) said$file)
  files <- unlist(Filter(Negate(is.null), files))
  if (length(files) == 0L) return(character())
  paths <- stats::setNames(study_files(study, files), names(files))
  paths[file.exists(paths)]
}

# The file of the key, where a campaign is kept in pseudonyms by one.
study_key_of <- function(study, name) {
  key <- setdiff(study$campaigns[[name]]$pseudonyms, "environment")
  if (length(key) > 0L) study_files(study, key)
}

study_effects <- function(study, ledger) {
  campaigns <- lapply(held_campaigns(study), open_campaign)
  over <- Filter(\(one) basis_of(one, "day") < ledger$as_of, campaigns)
  made <- where_known(names(over), \(name) {
    measure_campaign(ledger, over[[name]], key = study_key_of(study, name))
  })
  effects <- made$found
  rows <- lapply(names(effects), \(name) {
    cbind(campaign = name, plain_table(effects[[name]])[effect_columns])
  })
  new_result(
    as.list(do.call(rbind, c(rows, list(no_campaign)[length(rows) == 0L]))),
    "effects",
    ledger,
    rbind(carried(ledger), made$remarks),
    basis = list(kinds = effect_kinds),
    effects = effects
  )
}

# What was measured stands in the effects; of the others, why not.
study_history <- function(study, ledger, effects) {
  campaigns <- lapply(held_campaigns(study), open_campaign)
  if (length(campaigns) == 0L) {
    abort_nubrek(c(
      "No campaign of the study has a control group yet.",
      "i" = "Draw one: {.code nubrek hold CAMPAIGN STUDY}."
    ), "no_campaigns", call = NULL)
  }
  found <- lapply(stats::setNames(nm = names(campaigns)), \(name) {
    attr(effects, "effects")[[name]] %||% tryCatch(
      measure_campaign(ledger, campaigns[[name]], key = study_key_of(study, name)),
      nubrek_error = identity
    )
  })
  history_of(ledger, campaigns, found, "sales", 0.95)
}

effect_columns <- c(
  "outcome", "contacted", "held_back", "mean_held_back", "effect", "lower", "upper", "p"
)

# The lists of a campaign, beside its file or in a folder.
hold_paths <- function(path, folder = NULL) {
  stem <- file.path(folder %||% dirname(path), sub("[.][^.]*$", "", basename(path)))
  paste0(stem, c("-contact.csv", "-held-back.csv"))
}
