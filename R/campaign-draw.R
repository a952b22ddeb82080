# Who is written to and who is held back.

#' Hold some of an audience back
#'
#' Every customer has a number in `[0, 1)` from a keyed hash (SipHash-2-4) of seed and id alone;
#' those below the share are held back. So nobody moves when customers are added, sorted or drawn
#' again (definition 49).
#'
#' @param audience `[nubrek_audience]`
#' @param ledger `[nubrek_ledger]` The ledger it was chosen from.
#' @param share `[double(1)]` Share held back.
#' @param seed `[integer(1)]` Another seed draws others.
#' @param name `[character(1)]` What the campaign is called. Default: the audience's name.
#' @param day `[Date(1) | character(1)]` Day of contact. Default: the day after the ledger's last.
#' @param days `[integer(1)]` Length of the window in which it is to be measured.
#' @param offers `[character]` Names of offers, dealt out evenly among those who are contacted.
#' @param strata `[character(1)]` An attribute by whose levels the draw is shown. It does not change
#'   the draw: drawn within levels, customers would move when others come.
#' @param contact_by `[character(1)]` The way of contact, where the meanings name a consent for
#'   each: only customers who agreed to it are drawn; those who said no, or of whom it is unknown,
#'   are counted and left out of both arms. See `consent` of [meanings()].
#' @param quiet `[integer(1)]` Nobody who was contacted in so many days before the day of contact
#'   (of the ledger's contacts, [add_contacts()]) is drawn.
#' @param most `[integer(1)]` Nobody who was contacted so many times in the 91 days before is drawn.
#'   Both are counted and left out of both arms.
#' @param cost_per_contact,offer_cost `[double(1)]` In major units; an offer costs when it is taken.
#' @param margin_rate `[double(1)]` Margin by sales, for what a purchase more is worth.
#' @return A `nubrek_campaign`, one row per drawn customer, by id: `customer`, `arm` (`"held back"`
#'   or `"contacted"`, the offer's name where there are offers), `draw`. [campaign_balance()] shows
#'   how alike the arms are; [save_campaign()] keeps it until [measure_campaign()].
#' @section Errors: `nubrek_error_argument` where an arm is empty; `nubrek_error_consent` where it
#'   is not said who agreed to be contacted.
#' @references Aumasson and Bernstein (2012), SipHash: a fast short-input PRF.
#' @examples
#' ledger <- example_ledger()
#' draw_control(audience(ledger, purchases >= 1, name = "all"), ledger, share = 0.4, seed = 7)
#' @export
draw_control <- function(
  audience, ledger, share = 0.1, seed = 1L, name = NULL, day = NULL, days = 90L, offers = NULL,
  strata = NULL, contact_by = NULL, quiet = NULL, most = NULL, cost_per_contact = 0,
  offer_cost = 0, margin_rate = NULL
) {
  throw_unless(
    checkmate::check_class(audience, "nubrek_audience"), "audience", rlang::current_env()
  )
  check_ledger(ledger)
  check_share(share)
  check_whole(seed, lower = 0L)
  check_whole(days, lower = 1L)
  check_text(name, null = TRUE)
  check_text(strata, null = TRUE)
  costs <- campaign_costs(cost_per_contact, offer_cost, margin_rate)
  throw_unless(
    checkmate::check_character(
      offers, min.chars = 1L, unique = TRUE, any.missing = FALSE, null.ok = TRUE
    ),
    "offers",
    rlang::current_env()
  )
  day <- check_day(day) %||% (ledger$as_of + 1)
  rules <- contact_rules(ledger, audience$customer, day, contact_by, quiet, most)
  ids <- audience$customer[rules$allowed]
  draw <- keyed_draws(ids, seed)
  arm <- arm_of(draw, share, offers)
  if (length(unique(arm)) < 2L) {
    abort_nubrek(c(
      "One of the arms is empty.",
      "x" = "Of {length(ids)} customers {sum(arm == 'held back')} are held back.",
      "i" = "Choose a larger audience or another share."
    ), "argument")
  }
  new_result(
    list(customer = ids, arm = arm, draw = draw),
    "campaign",
    ledger,
    rbind(carried(ledger), rules$remarks),
    basis = c(costs, list(
      name = name %||% basis_of(audience, "name") %||% "campaign",
      rule = basis_of(audience, "rule"),
      day = day,
      days = as.integer(days),
      control_share = share,
      seed = as.integer(seed),
      offers = offers,
      strata = strata,
      contact_by = contact_by,
      pseudonyms = FALSE,
      sales = sum(reduce_customers(ledger)$sales),
      customers = n_customers(ledger)
    ))
  )
}

# Who may be written to by consent and by how often they were, each rule with those it leaves out.
# `group` and `left` are the words for whom they speak of and where those left out are not; with
# `must`, it must have been said who agreed.
contact_rules <- function(
  ledger, ids, day, contact_by, quiet, most, group = " of the audience", left = "in neither arm",
  must = TRUE, call = rlang::caller_env()
) {
  if (!is.null(quiet)) check_whole(quiet, lower = 1L, call = call)
  if (!is.null(most)) check_whole(most, lower = 1L, call = call)
  consent <- consent_of(ledger, ids, contact_by, must, call)
  allowed <- rep(TRUE, length(ids))
  told <- consent$told
  apply_rule <- function(holds, words) {
    out <- sum(allowed & !holds)
    allowed <<- allowed & holds
    if (out > 0L) {
      told <<- c(told, sprintf(
        "%s%s %s and %s %s.",
        n_of(out, "customer"),
        group,
        words[[if (out == 1L) 1L else 2L]],
        if (out == 1L) "is" else "are",
        left
      ))
    }
  }
  if (!is.null(consent$answer)) {
    apply_rule(
      consent$answer %in% TRUE,
      rep(sprintf("did not agree to be contacted (%s)", consent_words(consent)), 2L)
    )
  }
  if (!is.null(quiet)) {
    apply_rule(contacts_before(ledger, ids, day, quiet) == 0L, sprintf(
      c("was contacted in the %s days before", "were contacted in the %s days before"), quiet
    ))
  }
  if (!is.null(most)) {
    apply_rule(contacts_before(ledger, ids, day, 91L) < most, sprintf(
      c(
        "was contacted %s times or more in the 91 days before",
        "were contacted %s times or more in the 91 days before"
      ),
      most
    ))
  }
  list(allowed = allowed, remarks = if (length(told) > 0L) {
    remark_table(rep(say("who may be contacted"), length(told)), told)
  })
}

campaign_costs <- function(cost_per_contact, offer_cost, margin_rate, call = rlang::caller_env()) {
  check_number(cost_per_contact, lower = 0, call = call)
  check_number(offer_cost, lower = 0, call = call)
  if (!is.null(margin_rate)) check_share(margin_rate, call = call)
  list(
    cost_per_contact = cost_per_contact, offer_cost = offer_cost, margin_rate = margin_rate
  )
}

# The number of each customer: a hash of seed and id alone. Another `salt` gives numbers that know
# nothing of these.
keyed_draws <- function(ids, seed, salt = raw(12L)) {
  key <- c(writeBin(as.integer(seed), raw(), endian = "little"), salt)
  cpp_keyed_units(enc2utf8(as.character(ids)), key)
}

arm_of <- function(draw, share, offers) {
  if (is.null(offers)) return(ifelse(draw < share, "held back", "contacted"))
  place <- floor((draw - share) / (1 - share) * length(offers)) + 1
  ifelse(draw < share, "held back", offers[pmin(length(offers), pmax(1, place))])
}

#' How alike the arms of a campaign are
#'
#' @param campaign `[nubrek_campaign]` From [draw_control()].
#' @param ledger `[nubrek_ledger]`
#' @return A `nubrek_balance`, one row per measure and level of an attribute, as they were before
#'   the day of contact: `what`, `level`, `contacted`, `held_back` (means or shares), `standardised`
#'   difference. By chance alone about one row in twenty is beyond 1.96 / sqrt(n1 n2 / (n1 + n2)),
#'   the `chance` of the basis. With strata, first the share held back of each level.
#' @examples
#' ledger <- example_ledger()
#' drawn <- draw_control(audience(ledger, purchases >= 1), ledger, share = 0.4)
#' campaign_balance(drawn, ledger)
#' @export
campaign_balance <- function(campaign, ledger) {
  check_campaign(campaign)
  check_ledger(ledger)
  then <- ledger_at(ledger, basis_of(campaign, "day") - 1)
  codes <- ledger_codes(then, campaign$customer)
  held <- campaign$arm == "held back"
  sides <- list(codes[!held & !is.na(codes)], codes[held & !is.na(codes)])
  columns <- c("what", "level", "inside", "outside", "standardised")
  rows <- rbind(contrast_numbers(then, sides), contrast_levels(then, sides, 30L))[columns]
  names(rows)[3:4] <- c("contacted", "held_back")
  rows <- rows[order(-abs(rows$standardised)), ]
  strata <- basis_of(campaign, "strata")
  if (!is.null(strata)) rows <- rbind(strata_rows(then, strata, sides), rows)
  n <- lengths(sides)
  new_result(
    as.list(rows),
    "balance",
    then,
    carried(then),
    basis = list(
      name = basis_of(campaign, "name"),
      sizes = n,
      chance = 1.96 / sqrt(prod(n) / sum(n)),
      kinds = c(contacted = "number", held_back = "number")
    )
  )
}

# The customers of each level and how they were drawn.
strata_rows <- function(ledger, strata, sides) {
  level <- group_of(ledger, strata)[[1L]]
  n <- vapply(sides, \(side) table(factor(level[side], unique(level))), integer(
    length(unique(level))
  ))
  n <- matrix(n, ncol = 2L)
  data.frame(
    what = "customers drawn",
    level = unique(level),
    contacted = n[, 1L],
    held_back = n[, 2L],
    standardised = NA_real_
  )[rowSums(n) > 0L, ]
}

check_campaign <- function(x, call = rlang::caller_env()) {
  throw_unless(checkmate::check_class(x, "nubrek_campaign"), "campaign", call)
}
