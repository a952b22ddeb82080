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
  if (job$lists) return(hold_lists_again(job, study, path))
  if (file.exists(path)) {
    abort_nubrek(c(
      "{.file {path}} is already there: the campaign has been held.",
      "i" = "A second draw is another campaign; give it another name and file.",
      "i" = paste0(
        "Its lists, less who has withdrawn since: ",
        "{.code nubrek hold '{job$campaign}' {job$study} --lists}."
      )
    ), "file", call = NULL)
  }
  ledger <- open_study_ledger(study)
  chosen <- held_audience(study, ledger, said$audience)
  keys <- c(
    "day", "days", "share", "seed", "offers", "cost_per_contact", "offer_cost", "margin_rate",
    "contact_by", "quiet", "most"
  )
  drawn <- do.call(draw_control, c(
    list(chosen, ledger, name = job$campaign), said[intersect(keys, names(said))]
  ))
  lists <- write_hold_lists(job, study, ledger, drawn, path)
  save_campaign(drawn, path, !is.null(said$pseudonyms), study_key_of(study, job$campaign))
  balance <- campaign_balance(drawn, ledger)
  \() {
    print(drawn, rows = 0L)
    writeLines(c("", describe(balance)$finding, "", paste0("Campaign: ", path), paste0(
      "Lists: ", toString(lists)
    )))
  }
}

# The lists of a campaign that was held. Who has withdrawn since is on neither, and stays in the
# campaign, so that the arms stay as they were drawn.
hold_lists_again <- function(job, study, path) {
  if (!file.exists(path)) {
    abort_nubrek(c(
      "{.file {path}} is not there: the campaign has not been held.",
      "i" = "Hold it first, without {.code --lists}."
    ), "file", call = NULL)
  }
  ledger <- open_study_ledger(study)
  drawn <- with_ids(open_campaign(path), ledger, study_key_of(study, job$campaign))
  consent <- consent_of(ledger, drawn$customer, basis_of(drawn, "contact_by"), call = NULL)
  stay <- is.null(consent$answer) | consent$answer %in% TRUE
  lists <- write_hold_lists(job, study, ledger, plain_table(drawn)[stay, ], path)
  told <- consent$told %||% if (all(stay)) {
    say("Nobody of %s has withdrawn since the draw.", n_of(length(stay), "customer"))
  } else {
    say(
      "Left out of both lists: who has withdrawn since the draw, %s of %s.",
      number_text(sum(!stay)), n_of(length(stay), "customer")
    )
  }
  \() writeLines(c(told, paste0("Lists: ", toString(lists))))
}

# Those to contact and the control group, each as a list beside the campaign.
write_hold_lists <- function(job, study, ledger, drawn, path) {
  rows <- plain_table(drawn)
  outputs <- study$outputs
  said <- study$campaigns[[job$campaign]]
  if (!is.null(outputs$contact)) {
    rows <- carry_contact(rows, ledger, outputs$contact, said$contact_by)
  }
  if (!is.null(said$pseudonyms)) {
    rows$customer <- pseudonyms(rows$customer, study_key_of(study, job$campaign))
  }
  lists <- hold_paths(path, job$folder)
  held <- rows$arm == "held back"
  write_list(rows[!held, names(rows) != "draw"], lists[[1L]])
  write_list(rows[held, names(rows) != "draw"], lists[[2L]])
  lists
}

# The audience of a campaign, asked for among the study's own first.
held_audience <- function(study, ledger, name) {
  own <- if (!is.null(study$audiences)) ask_part("audiences", study, ledger)
  targets <- if (!is.null(study$targets) && !name %in% names(study$audiences)) {
    ask_part("targets", study, ledger)
  }
  campaign_audience(name, own, targets)
}
