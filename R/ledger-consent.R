# Who agreed to be contacted: stated once, in the meanings, and read wherever people are contacted.

not_recorded <- "not recorded"

# Yes and no as people write them in the languages that Nubrek reads.
yes_words <- c(
  "yes", "y", "true", "t", "1", "ja", "j", "wahr", "oui", "o", "vrai", "si", "s\u00ed", "s",
  "vero", "sim", "verdadero", "verdadeiro", "waar"
)
no_words <- c(
  "no", "n", "false", "f", "0", "nein", "falsch", "non", "faux", "falso", "n\u00e3o", "nao", "nee",
  "onwaar"
)

# Texts as answers: yes, no, or missing where nothing is said. Words beyond these must be named, as
# `yes`; all others then mean no. `odd` are the places of words that are neither.
answers_of <- function(text, yes = NULL) {
  text <- tolower(trim_text(text))
  said <- !is_blank(text)
  agreed <- text %in% if (is.null(yes)) yes_words else tolower(yes)
  list(
    yes = ifelse(said, agreed, NA),
    odd = if (is.null(yes)) which(said & !agreed & !text %in% no_words) else integer()
  )
}

# What each of these customers answered: `column`, and `answer`, yes, no or missing
# where it is unknown. Where nobody is to be left out for it, `told` says why instead. `contact_by`
# is the way of contact, where each has a consent of its own; with `must`, it must have been said.
consent_of <- function(ledger, ids, contact_by = NULL, must = TRUE, call = rlang::caller_env()) {
  check_text(contact_by, null = TRUE, call = call)
  said <- ledger$meaning$consent
  if (is.null(said) && !must) {
    return(list(told = say("It is not said which customers agreed to be contacted (consent).")))
  }
  if (identical(said, not_recorded)) {
    return(list(
      told = say("Nobody recorded which customers agreed to be contacted (consent: not recorded).")
    ))
  }
  column <- consent_column(said, contact_by, call)
  list(
    column = column, answer = ledger_consent(ledger, column, call)[ledger_codes(ledger, ids)]
  )
}

# The answers of all customers; a word that can be taken either way is an error.
ledger_consent <- function(ledger, column, call = rlang::caller_env()) {
  column <- meant_attributes(ledger, column)
  check_columns_exist(column, attribute_names(ledger), "the customer attributes", call)
  text <- as.character(known_attributes(ledger, column)[[1L]])
  words <- unique(text[!is.na(text)])
  read <- answers_of(words, ledger$meaning$consent_yes)
  if (length(read$odd) > 0L) {
    odd <- words[read$odd]
    abort_nubrek(c(
      "{.field {column}} does not say clearly who agreed to be contacted.",
      "x" = "It says {.val {utils::head(odd, 3)}}, for {sum(text %in% odd)} customer{?s}.",
      "i" = paste(
        "Say which words mean yes, such as {.code consent_yes: [{odd[[1]]}]} beside",
        "{.code consent}; all others then mean no."
      )
    ), "consent", call = call)
  }
  read$yes[match(text, words)]
}

# The attribute that holds the consent to this way of contact.
consent_column <- function(said, contact_by, call) {
  if (is.null(said)) {
    abort_nubrek(c(
      "It is not said which customers agreed to be contacted.",
      "i" = "Name the column that tells it, among the meanings: {.code consent: COLUMN}.",
      "i" = "Where nobody kept it, say so: {.code consent: not recorded}."
    ), "consent", call = call)
  }
  ways <- names(said)
  if (is.null(ways)) {
    if (!is.null(contact_by)) {
      abort_nubrek(c(
        "There is one consent for every way of contact, {.field {said}}.",
        "i" = "Leave {.field contact_by} out, or name a consent for each way."
      ), "argument", call = call)
    }
    return(said)
  }
  if (is.null(contact_by)) {
    abort_nubrek(c(
      "Say how these customers are contacted: by {.or {.val {ways}}}.",
      "i" = "Each way has a consent of its own; name it as {.field contact_by}."
    ), "consent", call = call)
  }
  check_values(contact_by, ways, "contact_by", call)
  said[[contact_by]]
}

# How many did not agree: those who said no, and those of whom it is unknown, which counts as no.
consent_words <- function(consent) {
  no <- sum(!consent$answer, na.rm = TRUE)
  unknown <- sum(is.na(consent$answer))
  paste0(consent$column, ": ", paste(c(
    if (no > 0L) say("%s no", number_text(no)),
    if (unknown > 0L) say("%s unknown", number_text(unknown))
  ), collapse = ", "))
}

# Said of targets, which hold those who agreed.
consent_remark <- function(consent) {
  remark_table("consent", consent$told %||% say(
    "Only customers who agreed to be contacted (%s) are in a target.", consent$column
  ))
}

# What the meanings may say of consent: one column, or one by each way of contact.
check_consent_words <- function(consent, consent_yes, call = rlang::caller_env()) {
  texts <- \(x, ...) checkmate::check_character(
    x, min.chars = 1L, min.len = 1L, any.missing = FALSE, null.ok = TRUE, ...
  )
  throw_unless(
    if (is.null(names(consent))) texts(consent, max.len = 1L) else texts(consent, names = "unique"),
    "consent", call
  )
  throw_unless(texts(consent_yes), "consent_yes", call)
}

# Checked once at opening, so that a study with a wrong column does not run for an hour first.
check_consent <- function(ledger, call = rlang::caller_env()) {
  said <- ledger$meaning$consent
  if (identical(said, not_recorded)) return(invisible())
  for (column in said) ledger_consent(ledger, column, call)
}
