# Who was drawn, in the ledger of today: ids followed, what is not as planned said.

# The drawn customers in the ledger of today: `code` (missing where the id is gone), `arm`, and what
# is not as planned.
drawn_now <- function(ledger, campaign) {
  id <- resolve_aliases(campaign$customer, ledger$aliases)
  code <- ledger_codes(ledger, id)
  # who was drawn under two ids counts once, in the arm of one of them that is chosen blind to arms
  # (definition 70): otherwise those who were merged, who buy more, would gather in one
  whose <- code
  whose[is.na(code)] <- -match(id[is.na(code)], id[is.na(code)])
  twice <- logical(length(id))
  if (anyDuplicated(whose) > 0L) {
    first <- order(whose, keyed_draws(campaign$customer, basis_of(campaign, "seed"), merged_salt))
    twice[first] <- duplicated(whose[first])
  }
  keep <- which(!twice)
  gone <- is.na(code) & !twice
  told <- c(
    if (any(twice)) {
      sprintf(
        paste0(
          "%s merged with another drawn customer since and counted once, in the arm of one of the ",
          "two, chosen by a draw of its own."
        ),
        n_were(sum(twice))
      )
    },
    if (any(gone)) {
      sprintf(
        paste0(
          "%s not in the ledger any more (%s of the contacted, %s of the held back) and counted ",
          "without purchases."
        ),
        n_were(sum(gone)),
        sum(gone & campaign$arm != "held back"),
        sum(gone & campaign$arm == "held back")
      )
    }
  )
  arm <- campaign$arm[keep]
  list(
    id = id[keep],
    code = code[keep],
    arm = arm,
    offers = setdiff(unique(arm), "held back"),
    responded = responded_to(ledger, campaign, id[keep]),
    remarks = if (length(told) > 0L) remark_table(rep(say("not as planned"), length(told)), told)
  )
}

# Who of these responded to the campaign; NULL where the contacts do not tell.
responded_to <- function(ledger, campaign, ids) {
  rows <- contacts_of_campaign(ledger, campaign)
  if (is.null(rows$responded)) return(NULL)
  ids %in% rows$customer[rows$responded]
}

merged_salt <- c(charToRaw("merged"), raw(6L))

# The ledger's contacts that belong to the campaign, by its name and its days; NULL where there are
# none.
contacts_of_campaign <- function(ledger, campaign) {
  rows <- ledger$contacts
  mine <- which(rows$campaign == basis_of(campaign, "name") & in_campaign(rows, campaign))
  if (length(mine) > 0L) lapply(rows, `[`, mine)
}

# Whether contacts fall between the draw and the end of the window (definition 71).
in_campaign <- function(rows, campaign) {
  day <- as.integer(basis_of(campaign, "day"))
  from <- min(day, as.integer(basis_of(campaign, "as_of") %||% day))
  rows$day >= from & rows$day <= day + basis_of(campaign, "days")
}

# A campaign kept in pseudonyms, with the ids of the ledger (also those that aliases replaced).
with_ids <- function(campaign, ledger, key) {
  if (!isTRUE(basis_of(campaign, "pseudonyms"))) return(campaign)
  ids <- c(ledger_ids(ledger), names(ledger$aliases))
  place <- match(campaign$customer, pseudonyms(ids, key))
  if (all(is.na(place))) {
    abort_nubrek(c(
      "None of the campaign's pseudonyms is a customer of the ledger.",
      "i" = "Was it kept with another key?"
    ), "key", call = NULL)
  }
  campaign$customer <- ifelse(is.na(place), campaign$customer, ids[place])
  campaign
}

# Whether those who were to be contacted were, as far as the ledger's contacts tell.
contact_check <- function(ledger, campaign, drawn) {
  rows <- contacts_of_campaign(ledger, campaign)
  reached <- drawn$id %in% rows$customer
  held <- drawn$arm == "held back"
  told <- c(
    other_contacts(ledger, campaign, drawn),
    if (any(reached & held)) {
      sprintf(
        "%s of the held back %s contacted all the same; they stay where they were drawn.",
        n_of(sum(reached & held), "customer"),
        if (sum(reached & held) == 1L) "was" else "were"
      )
    },
    if (!is.null(rows) && any(!reached & !held)) {
      sprintf(
        "Of %s of those to contact no contact is on record; they stay where they were drawn.",
        n_of(sum(!reached & !held), "customer")
      )
    }
  )
  if (length(told) > 0L) remark_table(rep(say("not as planned"), length(told)), told)
}

# Contacts of these customers that are not the campaign's: its name on other days, other names in
# its time to those held back.
other_contacts <- function(ledger, campaign, drawn) {
  rows <- ledger$contacts
  if (is.null(rows$campaign)) return(NULL)
  own <- rows$campaign == basis_of(campaign, "name")
  inside <- in_campaign(rows, campaign)
  far <- sum(own & !inside & rows$customer %in% drawn$id, na.rm = TRUE)
  held <- drawn$id[drawn$arm == "held back"]
  other <- which(!(own %in% TRUE) & inside & rows$customer %in% held)
  c(
    if (far > 0L) {
      sprintf(
        "%s of this name on days outside of the campaign %s no part of it.",
        n_of(far, "contact"), if (far == 1L) "is" else "are"
      )
    },
    if (length(other) > 0L) {
      n <- length(unique(rows$customer[other]))
      sprintf(
        "%s of the held back %s contacted by something else in this time (%s).",
        n_of(n, "customer"), if (n == 1L) "was" else "were",
        paste(utils::head(unique(rows$campaign[other]), 3L), collapse = ", ")
      )
    }
  )
}

# Whether the orders up to the day of the draw are still what they were.
data_check <- function(ledger, campaign) {
  then <- basis_of(campaign, "as_of")
  was <- basis_of(campaign, "sales")
  if (is.null(was) || is.null(then) || ledger$as_of < then) return(NULL)
  now <- sum(reduce_span(ledger, list(from = ledger$history_start, until = then))$sales)
  if (now == was) return(NULL)
  remark_table("other data", say(
    "Sales up to %s were %s %s when the campaign was drawn and are %s today.",
    format_day(then),
    number_text(major(ledger, was), nsmall = 2L),
    ledger$currency,
    number_text(major(ledger, now), nsmall = 2L)
  ))
}

n_were <- function(n) paste(n_of(n, "customer"), if (n == 1L) "is" else "are")
