# Parts about first-purchase cohorts.

# What the command reads off a grid; a figure always shows a measure.
read_grid <- function(x, job, study, ledger) {
  if (all(lengths(job[grid_options]) == 0L) && job$verb != "draw") return(x)
  grid_measure(x, job$measure %||% "retention", job$view %||% "age", job$through)
}

grid_options <- c("measure", "view", "through", "curves")
grid_face <- function(job) if (isTRUE(job$curves)) list(shape = "curves") else list()

cohort_parts <- list(
  study_part(
    "cohorts",
    "first-purchase cohorts by age: customers, orders, sales",
    "cohorts",
    make = \(study, ledger) study_grid(study, ledger),
    figure = grid_height,
    options = grid_options,
    measures = \() names(grid_measures),
    read = read_grid,
    face = grid_face,
    lists = list("cohorts.csv" = \(run) plain_table(run$cohorts)),
    page = \(run) page_cohorts(run)
  ),
  study_part(
    "usual",
    "newer cohorts against the usual course of the earlier ones",
    "cohorts",
    make = \(study, ledger, cohorts) against_usual(cohorts, study$cohorts$usual %||% "retention"),
    figure = 6.5,
    page = \(run) page_usual(run),
    findings = \(run) findings_usual(run),
    remarks = character()
  ),
  study_part(
    "cohorts_by",
    "the same for each value of an attribute",
    "cohorts",
    make = \(study, ledger) study_grid(study, ledger, wanted_key(study, "cohorts", "by")),
    wanted = \(study) !is.null(study$cohorts$by),
    figure = grid_height,
    options = grid_options,
    measures = \() names(grid_measures),
    read = read_grid,
    face = grid_face,
    page = \(run) page_cohorts_by(run),
    remarks = character()
  ),
  study_part(
    "payback",
    "when the money spent on winning customers has come back",
    "cohorts",
    make = \(study, ledger) study_payback(study, ledger, together = TRUE),
    wanted = \(study) "payback" %in% names(study),
    figure = 6.5,
    lists = list("payback.csv" = \(run) plain_table(run$payback_by %||% run$payback)),
    page = \(run) page_payback(run),
    findings = \(run) findings_payback(run)
  ),
  study_part(
    "payback_by",
    "payback of the groups whose cost is known",
    "cohorts",
    make = \(study, ledger) study_payback(study, ledger, together = FALSE),
    wanted = \(study) !is.null(payback_groups(study)),
    figure = 6.5
  )
)
