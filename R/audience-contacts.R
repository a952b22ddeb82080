# The words of a rule about contacts: `contacted(campaign == "letter", last = 90)`.

# For each customer of the ledger: `n` contacts for which all conditions hold in the window,
# `responded` of them, and the day of the `last`, missing without one.
asked_of_contacts <- function(parts, scope, name) {
  ledger <- scope$ledger
  rows <- ledger$contacts
  if (is.null(rows)) {
    abort_rule(
      scope,
      name,
      "The ledger has no history of contacts, so {.code {name}} has nothing to look at.",
      "i" = "Add it: {.fn add_contacts}, or {.field data: contacts} of a study."
    )
  }
  told <- conditions_and_window(parts, scope, name, min(rows$day, as.integer(ledger$history_start)))
  keep <- rows$day >= as.integer(told$span$from) & rows$day <= as.integer(told$span$until)
  look <- contact_scope(rows, scope$text)
  for (condition in told$filter) {
    holds <- rule_truth(condition, look, length(rows$day))$x
    keep <- keep & !is.na(holds) & holds
  }
  code <- ledger_codes(ledger, rows$customer[keep])
  here <- !is.na(code)
  code <- code[here]
  n <- n_customers(ledger)
  day <- rows$day[keep][here]
  sorting <- order(day)
  last <- rep(NA_integer_, n)
  last[code[sorting]] <- day[sorting]
  list(
    n = tabulate(code, n),
    responded = if (!is.null(rows$responded)) tabulate(code[rows$responded[keep][here]], n),
    last = last
  )
}

contact_scope <- function(rows, text) {
  known <- setdiff(names(rows), c("customer", "day"))
  list(
    text = text,
    names = known,
    calls = rule_operators,
    belongs = \(name) NULL,
    column = \(name) {
      if (!name %in% known) return(NULL)
      rule_value(if (name == "responded") "truth" else "text", rows[[name]], name)
    }
  )
}

contact_call <- function(type, read) {
  function(parts, scope, name) {
    text <- rule_text(as.call(c(list(as.name(name)), parts)))
    found <- read(asked_of_contacts(parts, scope, name), scope)
    value <- rule_value(type, found, text)
    if (type == "number") scope$keep(text, value) else value
  }
}

contact_calls <- list(
  contacted = contact_call("truth", \(found, scope) found$n > 0L),
  contacts = contact_call("number", \(found, scope) as.double(found$n)),
  responded = contact_call("truth", \(found, scope) {
    if (is.null(found$responded)) {
      abort_rule(scope, "responded", "The contacts do not say who responded.")
    }
    found$responded > 0L
  }),
  days_since_contact = contact_call("number", \(found, scope) {
    as.double(as.integer(scope$ledger$as_of) - found$last)
  }),
  agreed = \(parts, scope, name) {
    if (length(parts) > 0L) check_parts(parts, 1L, scope, name)
    way <- if (length(parts) > 0L) work_part(parts[[1L]], scope)$x
    consent <- consent_of(scope$ledger, ledger_ids(scope$ledger), way, call = NULL)
    if (is.null(consent$answer)) abort_rule(scope, name, consent$told)
    rule_value("truth", consent$answer, consent$column)
  }
)
