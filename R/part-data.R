# Parts about the data themselves, and the proof of their totals.

data_parts <- list(
  study_part(
    "audit",
    "every row of the files, by what became of it",
    "data",
    make = \(study, ledger) audit(ledger),
    figure = 6.5,
    lists = list(
      "customers.csv" = \(run) plain_table(customers(run$ledger)),
      "set-aside.csv" = \(run) plain_table(set_aside(run$ledger))
    ),
    page = \(run) list(page_audit(run), page_audit_rows(run))
  ),
  study_part(
    "identified",
    "the share of sales that has a customer, by period",
    "data",
    make = \(study, ledger) identified_share(ledger),
    page = \(run) page_identified(run),
    findings = \(run) findings_identified(run),
    remarks = character()
  ),
  study_part(
    "suspects",
    "ids that may be one customer, and ids that may be many",
    "data",
    make = \(study, ledger) do.call(identity_suspects, c(list(ledger), study$suspects)),
    lists = list("suspects.csv" = \(run) plain_table(run$suspects)),
    page = \(run) page_suspects(run),
    remarks = character()
  )
)

proof_parts <- list(study_part(
  "proof",
  "each total by two independent paths",
  "proof",
  # what is shown is held against what was read in this run
  make = \(study, ledger, `repeat` = NULL, counts = NULL, cohorts = NULL) prove_totals(
    ledger, shown = list(rate = `repeat`, counts = counts, cohorts = cohorts)
  ),
  page = \(run) page_proof(run),
  findings = \(run) findings_proof(run),
  remarks = character()
))
