# What the report says of repeat buying.

page_rates <- function(run) {
  page_block(
    "repeat-rate",
    say("How many come back?"),
    sentence = describe(run[["repeat"]])$finding,
    figures = page_figure(run$counts, 3.5)
  )
}

page_rates_by <- function(run) {
  shown <- c("customers", "repeat_customers", "rate", "lower", "upper", "sales_repeat")
  blocks <- lapply(names(run$by), \(name) {
    one <- run$by[[name]]
    page_block(
      page_id("repeat-by", name),
      say("Who comes back more, by %s?", gsub("_", " ", name)),
      figures = page_figure(one, rates_height(one)),
      tables = page_table(
        page_columns(one, setdiff(names(one), c(name, shown))),
        30L,
        say("lower and upper: 95 % interval of the rate")
      )
    )
  })
  unname(blocks)
}

page_curve <- function(run) {
  nobody <- nrow(run$curve) == 0L
  page_block(
    "curve",
    say("How long until the next purchase?"),
    sentence = if (nobody) describe(run$waits)$finding,
    figures = if (!nobody) page_figure(run$curve, 4.2)
  )
}

page_waits <- function(run) {
  page_block(
    "waits",
    say("How long did each cohort wait?"),
    figures = page_figure(run$waits, max(2.6, 1.4 + 0.2 * length(unique(run$waits$cohort))))
  )
}

page_gaps <- function(run) {
  question <- say("Who is slow, who has stopped?")
  if (basis_of(run$gaps, "all_gaps") == 0L) {
    return(page_block("gaps", question, sentence = describe(run$gaps)$finding))
  }
  late <- overdue_tail(run)
  told <- describe(late)
  shown <- c("customer", "overdue", "gaps", "visits_per_year", "open_gap", "expected_gap")
  page_block(
    "gaps",
    question,
    figures = page_figure(run$gaps, 3.4),
    tables = page_table(
      late[, shown],
      10L,
      say("%s (all of them in overdue.csv). %s", told$heading, told$finding)
    )
  )
}

overdue_tail <- function(run) {
  gap_tail(run$gaps, "overdue", 0.1, margin_rate = run$study$economics$margin_rate)
}

page_new <- function(run) {
  page_block(
    "new",
    say("New or returning?"),
    figures = page_figure(run$new, 3.8),
    control = new_control(run$new, run$ledger)
  )
}

page_sales <- function(run) {
  page_block(
    "sales",
    say("Where do the sales come from?"),
    figures = page_figure(run$sales, 1 + 0.32 * min(12L, nrow(run$sales)))
  )
}

page_stores <- function(run) {
  x <- run$stores
  on_clock <- run$store_clock
  page_block(
    "stores",
    say("Where have the customers of each store gone?"),
    figures = list(
      page_figure(x, 1.4 + 0.32 * min(20L, nrow(x))),
      page_figure(
        on_clock, 1.4 + 1.3 * ceiling(min(8L, nrow(basis_of(on_clock, "stores"))) / 2)
      )
    ),
    tables = list(
      page_table(
        page_columns(x, c("lower", "upper")), 20L,
        say("The home store of each customer in home.csv")
      ),
      page_table(basis_of(on_clock, "stores"), 30L, describe(on_clock)$finding)
    )
  )
}

page_events <- function(run) {
  x <- run$events
  won <- run$event_cohorts
  page_block(
    "events",
    say("What did the events sell, and do those who were won in them stay?"),
    figures = list(
      page_figure(x, 1.3 + 0.4 * min(15L, nrow(x))),
      if (any(!is.na(won$share))) page_figure(won, 1.6 + 0.25 * nrow(won))
    ),
    tables = list(
      page_table(page_columns(
        x, c("kind", "until", "purchases", "usual_lower", "usual_upper")
      ), 20L),
      page_table(won, 20L, describe(won)$finding)
    )
  )
}

page_returns <- function(run) {
  page_block(
    "returns",
    say("What comes back?"),
    sentence = describe(run$returns)$finding,
    figures = unname(lapply(run$returns_by, \(x) {
      page_figure(x, 1.1 + 0.32 * min(15L, nrow(x)))
    })),
    tables = unname(lapply(run$returns_by, page_table, 20L))
  )
}

page_discounts <- function(run) {
  page_block(
    "discounts",
    say("Do those who began on discount stay?"),
    figures = page_figure(run$discounts, 1.4 + 0.4 * nrow(run$discounts)),
    tables = page_table(run$discounts, 20L)
  )
}

page_constant_currency <- function(run) {
  x <- run$constant_currency
  page_block(
    "constant-currency",
    say("How much of the growth came from exchange rates?"),
    figures = page_figure(x, 1.4 + 0.5 * nrow(x)),
    tables = page_table(x, 20L)
  )
}

# From good to good: the next purchase, the same purchase, and whether there is a next one at all.
page_steps <- function(run) {
  pairs <- list(run$steps, run$companions)
  first <- run$first
  page_block(
    "steps",
    say("What comes after the first purchase, and what with it?"),
    figures = c(
      lapply(pairs, \(x) page_figure(x, 1.2 + 0.3 * min(most_pairs, nrow(x)))),
      list(page_figure(first, 1.2 + 0.3 * min(15L, nrow(first))))
    ),
    tables = c(
      lapply(pairs, \(x) page_table(
        page_columns(x, c("lower", "upper", "customers")), 10L, describe(x)$heading
      )),
      list(page_table(first, 20L, describe(first)$after[[2L]]))
    )
  )
}

repeat_terms <- function() {
  list(
    `repeat rate` = say("Customers with two or more purchases, by customers with at least one."),
    interval = say("Wilson's, 95 %: rates of small groups are uncertain."),
    wait = say(paste0(
      "From the first purchase day to the next; customers who have not had the time count as ",
      "long as they were seen (Kaplan and Meier)."
    )),
    `open gap, overdue` = say(paste0(
      "Days since the last purchase; the same by the gap that the customer's own rhythm lets ",
      "expect."
    )),
    `new, returning, reactivated` = say(paste0(
      "First purchase in the period; bought before within the look-back; bought before, but ",
      "longer ago."
    )),
    `(missing)` = say(paste0(
      "Customers for whom the attribute is not known; a group of its own, so that nobody is lost."
    ))
  )
}
