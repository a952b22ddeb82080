# What the report says of campaigns.

page_effects <- function(run) {
  effects <- attr(run$effects, "effects")
  lapply(seq_along(effects), \(i) {
    one <- effects[[i]]
    page_block(
      paste0("effect-", i),
      paste0("Did \u201c", basis_of(one, "name"), "\u201d work?"),
      sentence = describe(one)$finding,
      figures = page_figure(one, 4.2),
      tables = page_table(effect_face(one), 12L, say("Per contacted customer, with 95 % intervals"))
    )
  })
}

page_due <- function(run) {
  page_block(
    "due",
    say("Whose second purchase is due?"),
    figures = page_figure(run$due, 2.2 + 1.1 * ceiling(
      min(6L, nrow(basis_of(run$due, "windows"))) / 2
    )),
    tables = page_table(
      data.frame(
        due = c(say("inside the window"), say("passed it")),
        customers = c(sum(run$due$state == "inside"), sum(run$due$state == "passed"))
      ),
      caption = say("who, and what to offer, in due.csv")
    )
  )
}

page_targets <- function(run) {
  page_block(
    "targets",
    say("Which targets are ready?"),
    sentence = describe(run$targets)$finding,
    figures = page_figure(run$targets, 1.2 + 0.5 * nrow(run$targets)),
    tables = page_table(run$targets, 12L, say("Their members stand in targets.csv"))
  )
}

page_contacts <- function(run) {
  page_block(
    "contacts",
    say("Who was contacted so far?"),
    sentence = describe(run$contacts)$finding,
    tables = page_table(run$contacts, 12L)
  )
}

page_history <- function(run) {
  if (nrow(run$history) < 2L) return(NULL)
  page_block(
    "history",
    say("What came of all campaigns?"),
    sentence = describe(run$history)$finding,
    figures = page_figure(run$history, 1.2 + 0.45 * nrow(run$history)),
    tables = page_table(history_face(run$history), 20L)
  )
}

page_plans <- function(run) {
  plans <- attr(run$plans, "plans")
  lapply(seq_along(plans), \(i) {
    page_block(
      paste0("plan-", i),
      paste0("What would \u201c", names(plans)[[i]], "\u201d bring?"),
      sentence = describe(plans[[i]])$finding,
      figures = page_figure(plans[[i]], 3.8)
    )
  })
}

page_wallet <- function(run) {
  page_block(
    "wallet",
    say("What is our share of each customer?"),
    sentence = describe(run$wallet)$finding,
    figures = page_figure(run$wallet, 3.6),
    tables = list(
      page_table(wallet_sellers(run$wallet), 8L, say("Everybody's share beside ours")),
      if (!is.null(attr(run$wallet, "groups"))) {
        page_table(wallet_groups(run$wallet), 12L, say("Our share by attribute"))
      },
      page_table(
        run$wallet, 8L, say("The largest spenders to hold; everybody stands in wallet.csv")
      )
    )
  )
}

campaign_terms <- function() {
  list(
    `held back` = say(paste0(
      "Customers of the audience, drawn by lot, who are not contacted: what they do is what would ",
      "have happened anyway."
    )),
    detectable = say("The smallest effect that is seen with a chance of 80 % if it is there."),
    effect = say(paste0(
      "What a contacted customer did more than one held back, adjusted for what both did before."
    ))
  )
}
