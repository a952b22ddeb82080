# `nubrek hold`: who is contacted and who is held back, once and for all.

command_hold <- function(job) {
  study <- read_study(job$study)
  check_values(job$campaign, names(study$campaigns), "campaigns", NULL)
  said <- campaign_said(study, job$campaign)
  if (is.null(said$file)) {
    abort_study(
      study$source, c("campaigns", job$campaign), "The key {.field file} is missing here."
    )
  }
  path <- study_files(study, said$file)
  if (file.exists(path)) {
    abort_nubrek(c(
      "{.file {path}} is already there: the campaign has been held.",
      "i" = "A second draw is another campaign; give it another name and file."
    ), "file", call = NULL)
  }
  ledger <- open_study_ledger(study)
  chosen <- held_audience(study, ledger, said$audience)
  keys <- c(
    "day", "days", "share", "seed", "offers", "cost_per_contact", "offer_cost", "margin_rate",
    "may_contact", "quiet", "most"
  )
  drawn <- do.call(draw_control, c(
    list(chosen, ledger, name = job$campaign), said[intersect(keys, names(said))]
  ))
  folder <- job$folder %||% dirname(path)
  rows <- plain_table(drawn)
  secret <- !is.null(said$pseudonyms)
  key <- study_key_of(study, job$campaign)
  contact <- study$outputs$contact
  if (!is.null(contact)) rows <- carry_contact(rows, ledger, contact)
  stem <- file.path(folder, sub("[.][^.]*$", "", basename(path)))
  held <- rows$arm == "held back"
  lists <- paste0(stem, c("-contact.csv", "-held-back.csv"))
  if (secret) rows$customer <- pseudonyms(rows$customer, key)
  write_list(rows[!held, names(rows) != "draw"], lists[[1L]])
  write_list(rows[held, names(rows) != "draw"], lists[[2L]])
  save_campaign(drawn, path, secret, key)
  balance <- campaign_balance(drawn, ledger)
  \() {
    print(drawn, rows = 0L)
    writeLines(c("", describe(balance)$finding, "", paste0("Campaign: ", path), paste0(
      "Lists: ", toString(lists)
    )))
  }
}

# The audience of a campaign, asked for among the study's own first.
held_audience <- function(study, ledger, name) {
  own <- if (!is.null(study$audiences)) ask_part("audiences", study, ledger)
  targets <- if (!is.null(study$targets) && !name %in% names(study$audiences)) {
    ask_part("targets", study, ledger)
  }
  campaign_audience(name, own, targets)
}
