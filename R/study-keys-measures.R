# The keys of the study file about repeat buying and cohorts.

repeat_keys <- function() {
  keys_of_section("who comes back", by = study_key(
    leaf_texts(), "attributes to break down by", "none", "[first_channel, age]"
  ))
}

waits_keys <- function() {
  keys_of_section(
    "how long until the next purchase",
    nth = study_key(leaf_whole(2, 100), "which purchase is waited for", "2", "3"),
    clock = clock_key("periods of the table"),
    by = study_key(
      leaf_text(), "a customer attribute: a curve for each group", "none", "first_channel"
    )
  )
}

new_keys <- function() {
  keys_of_section(
    "new, returning, reactivated",
    clock = clock_key("the periods"),
    lookback = study_key(
      leaf_whole(0, 10000), "away for longer comes back as reactivated", "endless", "6"
    ),
    unit = study_key(
      leaf_choice(c("periods", "days")), "what the look-back counts", "periods", "days"
    ),
    lines = named_each("only lines with these values, by column", study_key(
      leaf_texts(), "values of the column", "", "[Yarn]"
    )),
    scope = study_key(
      leaf_choice(c("within", "any")),
      "does history mean within the filter, or anything",
      "within",
      "any"
    ),
    by = study_key(leaf_text(), "a line column: its values side by side", "none", "category")
  )
}

sales_keys <- function() {
  keys_of_section(
    "where the sales come from",
    by = study_key(
      leaf_texts(), "attributes", "channel, shop, store, branch, country, category or cohort",
      "[channel]"
    ),
    during = during_key("that counts"),
    against = study_key(leaf_texts(), "an earlier part of time, or year before", "none", "2024"),
    least_base = study_key(leaf_whole(0, 1e+06), "fewest customers behind a percent", "30", "50"),
    top = study_key(leaf_whole(1, 1e+06), "only the groups with the most sales", "all", "5")
  )
}

stores_keys <- function() {
  keys_of_section(
    "where customers belong, and where those of a store have gone",
    store = study_key(
      leaf_text(), "a column of the lines that says where they were sold", "channel", "shop"
    ),
    clock = clock_key("periods of the stores on the clock"),
    last = study_key(leaf_whole(1, 36500), "days that decide on the home store", "all", "365"),
    before = study_key(leaf_texts(), "the earlier part of time", "must be given", "2024"),
    now = study_key(leaf_texts(), "the later part of time", "must be given", "2025")
  )
}

returns_keys <- function() {
  keys_of_section(
    "what comes back, by customer and by group",
    by = study_key(
      leaf_texts(), "attributes of customers, or columns of the lines", "first_channel",
      "[category]"
    ),
    best = study_key(leaf_share(0.001, 1), "the share that is called best", "0.1", "0.05")
  )
}

discounts_keys <- function() {
  keys_of_section(
    "customers by the discount of their first order",
    breaks = study_key(
      leaf_ascending(), "shares off; reaching one is the next group", "[0.05, 0.15]", "[0.1, 0.3]"
    ),
    within = study_key(leaf_whole(1, 36500), "days in which back counts", "365", "180")
  )
}

currency_keys <- function() {
  keys_of_section(
    "growth at the exchange rates of before",
    currency = study_key(
      leaf_text(), "a column of the lines that says what was paid in", "must be given", "paid_in"
    ),
    during = study_key(leaf_texts(), "the later part of time", "must be given", "2025"),
    against = study_key(
      leaf_texts(), "the earlier part, or year before", "must be given", "year before"
    )
  )
}

steps_keys <- function() {
  keys_of_section(
    "from the first purchase to the second, what is bought together, who comes back",
    by = study_key(
      leaf_text(), "a column of the lines", "category, else product", "category"
    ),
    basket = study_key(
      leaf_flag(), "take all that a purchase holds together as one", "no", "yes"
    ),
    within = study_key(leaf_whole(1, 36500), "days in which back counts", "365", "180"),
    adjust = study_key(
      leaf_texts(), "attributes in which customers are held against those alike",
      "first_channel", "[first_channel, age]"
    ),
    at_least = study_key(
      leaf_whole(1, 1e+06), "fewest customers behind what is judged", "30", "50"
    )
  )
}

cohorts_keys <- function() {
  keys_of_section(
    "first-purchase cohorts",
    clock = clock_key("width of a cohort and of an age"),
    ages = study_key(
      leaf_choice(c("calendar", "elapsed")),
      "ages by the calendar or in each customer's own time",
      "calendar",
      "elapsed"
    ),
    older_within = study_key(
      leaf_whole(0, 1000),
      "cohorts so near the start may hold older customers",
      "by the usual gap",
      "3"
    ),
    by = study_key(leaf_texts(), "attributes: cohorts side by side", "none", "[first_channel]"),
    measures = study_key(
      leaf_choices(names(grid_measures)),
      "what the report shows of them",
      "retention and value to date",
      "[sales, retention]"
    ),
    usual = study_key(
      leaf_choice(names(usual_measures)),
      "what newer cohorts are judged by",
      "retention",
      "value_to_date"
    )
  )
}

cost_sections <- function() {
  keys_of_section(
    "has the money spent on winning customers come back",
    cost = study_key(leaf_number(0, 1e9), "what winning a customer costs", "none", "12.50"),
    costs = keys_of_section(
      "costs that differ",
      by = study_key(leaf_text(), "a customer attribute", "", "first_channel"),
      per_customer = study_key(
        leaf_numbers(), "cost for each of its values", "", "{Web: 9, Mill: 12}"
      )
    ),
    spend = keys_of_section(
      "spend by period",
      files = files_key("files of the spend:"),
      period = study_key(leaf_text(), "column of the period", "", "month"),
      amount = study_key(leaf_text(), "column of the money", "", "spend"),
      by = study_key(
        leaf_columns(), "{customer attribute: column}", "none", "{first_channel: channel}"
      ),
      carry_over = study_key(
        leaf_flag(), "does spend without new customers go to the next cohort", "no", "yes"
      )
    ),
    within = study_key(leaf_whole(0, 10000), "age by which it is to be paid back", "a year", "12"),
    yearly_discount = study_key(
      leaf_share(0, 1), "yearly rate; age 0 is not discounted", "0", "0.10"
    )
  )
}
