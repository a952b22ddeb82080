# Parts about repeat buying.

repeat_parts <- list(
  study_part(
    "repeat",
    "how many customers come back",
    "repeat",
    make = \(study, ledger) repeat_rate(ledger),
    answer = \(run) run[["repeat"]],
    report = \(run) report_rates(run)
  ),
  study_part(
    "by",
    "the repeat rate by the attributes that the study names",
    "repeat",
    make = \(study, ledger) {
      names <- stats::setNames(nm = study[["repeat"]]$by %||% character())
      lapply(names, \(name) repeat_rate(ledger, by = name))
    },
    shown = FALSE
  ),
  study_part(
    "counts",
    "customers by their number of purchases",
    "repeat",
    make = \(study, ledger) order_counts(ledger),
    figure = 6.5,
    answer = \(run) run$counts
  ),
  study_part(
    "curve",
    "the share who have come back, by days since the first purchase",
    "repeat",
    make = \(study, ledger) waiting_curve(ledger, study$waits$nth %||% 2L, study$waits$by),
    figure = 6.5,
    report = \(run) report_curve(run)
  ),
  study_part(
    "waits",
    "cohorts by the periods waited for the next purchase",
    "repeat",
    make = \(study, ledger) do.call(
      next_purchase, c(list(ledger), settings_of(study, "waits", c("nth", "clock")))
    ),
    figure = \(x) max(4, 2.6 + 0.24 * length(unique(x$cohort))),
    options = "measure",
    measures = \() names(wait_measures),
    read = \(x, job, study, ledger) {
      if (job$verb == "list") ask_part("waiters", study, ledger) else x
    },
    face = \(job) if (is.null(job$measure)) list() else list(measure = job$measure),
    report = \(run) report_waits(run),
    remarks = character()
  ),
  study_part(
    "waiters",
    "who waited how long, and who is not back yet",
    "repeat",
    make = \(study, ledger) do.call(
      waiting_customers, c(list(ledger), settings_of(study, "waits", c("nth", "clock")))
    ),
    wanted = asks_never
  ),
  study_part(
    "gaps",
    "days between purchases of each customer, and who is overdue",
    "repeat",
    make = \(study, ledger) purchase_gaps(ledger),
    figure = 6.5,
    lists = list("overdue.csv" = \(run) contact_list(run, overdue_tail(run))),
    report = \(run) report_gaps(run)
  ),
  study_part(
    "new",
    "new, returning and reactivated customers by period",
    "repeat",
    make = \(study, ledger) do.call(new_returning, c(list(ledger), study$new)),
    figure = 6.5,
    report = \(run) report_new(run)
  ),
  study_part(
    "sales",
    "where the sales come from",
    "repeat",
    make = \(study, ledger) do.call(
      sales_by, c(list(ledger), study$sales %||% list(by = "cohort"))
    ),
    figure = 6.5,
    report = \(run) report_sales(run)
  )
)
