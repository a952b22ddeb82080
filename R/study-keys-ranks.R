# The keys of the study file about ranks, scores, tiers, and what is written.

ranks_keys <- function() {
  keys_of_section(
    "the best and the last customers",
    by = study_key(leaf_choice(names(customer_measures)), "the measure", "sales", "purchases"),
    during = during_key("that counts"),
    within = study_key(
      leaf_texts(),
      "attributes to rank within; of the lines (channel), only what was bought there counts",
      "none", "first_channel"
    ),
    top = study_key(leaf_number(0, 1e+09), "how many from above", "10", "25"),
    bottom = study_key(leaf_number(0, 1e+09), "how many from below", "none", "10"),
    unit = study_key(
      leaf_choice(c("customers", "percent")), "what top and bottom count", "customers", "percent"
    ),
    ties = study_key(
      leaf_choice(c("competition", "dense", "row")),
      "equal customers: 1 2 2 4, 1 2 2 3, or cut by id",
      "competition",
      "dense"
    ),
    best = study_key(
      leaf_choice(c("high", "low")), "is a high or a low value best", "high, low for recency", "low"
    ),
    at_least = study_key(
      leaf_numbers(), "only customers who reach these are ranked", "everybody", "{purchases: 3}"
    )
  )
}

rfm_keys <- function() {
  keys_of_section(
    "recency, frequency, monetary value",
    bands = study_key(leaf_whole(2, 10), "bands of each", "5", "4"),
    during = during_key("that counts"),
    cuts = keys_of_section(
      "limits of your own instead of bands of equal size",
      recency = study_key(leaf_ascending(), "days", "", "[30, 90, 365]"),
      frequency = study_key(leaf_ascending(), "purchases", "", "[2, 5]"),
      monetary = study_key(leaf_ascending(), "money", "", "[50, 200]")
    ),
    monetary = study_key(
      leaf_choice(c("sales", "mean_sales")), "what monetary is", "sales", "mean_sales"
    ),
    weights = study_key(
      leaf_amounts(), "weights of the three in the index", "[1, 1, 1]", "[2, 1, 1]"
    ),
    groups = named_each(
      "groups of your own, by bands: every combination in exactly one",
      list(
        recency = study_key(
          leaf_text(), "bands such as high, middle or low, any, 4, 1 to 2", "any", "high"
        ),
        frequency = study_key(leaf_text(), "bands", "any", "1 to 2"),
        monetary = study_key(leaf_text(), "bands", "any", "middle or low")
      )
    )
  )
}

map_keys <- function() {
  keys_of_section(
    "order size against frequency",
    during = during_key("that counts"),
    cut = study_key(
      leaf_cut(), "median, a quantile, or purchases and mean sales", "median", "[3, 50]"
    ),
    top = study_key(leaf_whole(0, 1e+06), "how many of the highest sales are marked", "10", "20")
  )
}

tiers_keys <- function() {
  keys_of_section(
    "loyalty tiers",
    measure = study_key(
      leaf_choice(c("sales", "purchases", "mean_sales")), "what they are by", "sales", "purchases"
    ),
    shares = study_key(
      leaf_numbers(),
      "percent of customers in each, best first",
      "{top: 10, middle: 30, base: 60}",
      "{cashmere: 10, merino: 30, wool: 60}"
    ),
    thresholds = study_key(
      leaf_numbers(), "limits instead of shares, best first", "none", "{cashmere: 500, wool: -Inf}"
    ),
    limits = named_each(
      "limits of several measures, by tier, best first",
      study_key(
        leaf_limits(),
        "measures with numbers; nothing for the last tier",
        "",
        "{sales: 500, purchases: 4}"
      )
    ),
    match = study_key(
      leaf_choice(c("all", "any")), "must all or any of the limits be reached", "all", "any"
    ),
    during = during_key("that counts"),
    benefits = keys_of_section(
      "what a tier costs",
      cost = study_key(
        leaf_numbers(),
        "cost of a customer in each tier, the last one 0",
        "",
        "{cashmere: 20, wool: 0}"
      ),
      uplift = study_key(
        leaf_amounts(), "how much more they buy because of it, as a share", "0.1", "0.15"
      )
    )
  )
}

moves_keys <- function() {
  keys_of_section(
    "who rose, who fell",
    periods = study_key(
      leaf_texts(),
      "two or more parts of time, one after the other",
      "must be given",
      "[2024, 2025]"
    ),
    same_days = study_key(
      leaf_flag(), "is a year that is not over compared with as many days", "yes", "no"
    ),
    least_base = study_key(leaf_whole(0, 1e+06), "fewest customers behind a percent", "30", "50"),
    draws = study_key(leaf_whole(20, 1e+05), "draws of what chance alone would do", "200", "1000")
  )
}

outputs_keys <- function() {
  keys_of_section(
    "what is written",
    folder = study_key(
      leaf_text(), "folder of the results, from the study's folder", "nubrek-results", "results"
    ),
    contact = study_key(
      leaf_texts(), "customer attributes carried along in lists", "none", "[name, email]"
    ),
    contact_by = contact_by_key(),
    report = study_key(leaf_flag(), "is the report written, or the lists alone", "yes", "no"),
    decimal_mark = study_key(
      leaf_choice(c(".", ",")), "decimal sign in report, workbook and figures", ".", "\",\""
    ),
    day_form = study_key(
      leaf_text(), "how days are written, in the signs of strptime", "5 Mar 2024", "\"%d.%m.%Y\""
    ),
    runs = study_key(
      leaf_flag(), "is a run kept: to compare the next with it, and what that need not make again",
      "yes", "no"
    ),
    keep_runs = study_key(
      leaf_span(), "how long records of runs are kept", "the newest 60", "24 months"
    ),
    workbook = study_key(leaf_flag(), "is workbook.xlsx written beside it", "no", "yes"),
    people = study_key(
      leaf_people(), "may the report show customers: by id and contact, by pseudonym, or not", "no",
      "yes"
    ),
    key = study_key(
      leaf_text(), "file with the key of pseudonyms; else the environment's NUBREK_KEY", "none",
      "secret.key"
    ),
    least = study_key(
      leaf_whole(1, 1e+06), "groups of fewer customers are not shown apart in the report", "5", "10"
    )
  )
}

audiences_keys <- function() {
  named_each(
    "groups of customers by rules; each has a name of your own",
    study_key(
      leaf_audience(),
      paste0(
        "conditions, all of which must hold (unless(x) takes away); or a section with rule or ",
        "files and key (a list of ids), description, among"
      ),
      "",
      "[sales >= 200, unless(bought(last = 90))]"
    )
  )
}

discover_keys <- function() {
  named_each(
    "groups that nobody thought of: searches under names of your own",
    keys_of_section(
      "one search; its name is yours",
      target = study_key(
        leaf_text(), "what groups are to differ in, as in rules", "must be given",
        "bought_again(within = 180)"
      ),
      using = study_key(
        leaf_texts(), "attributes that may describe groups", "all that can", "[first_channel, town]"
      ),
      conditions = study_key(leaf_whole(1, 3), "most conditions of a group", "3", "2"),
      least = study_key(leaf_share(0.0001, 0.5), "smallest share that is a group", "0.01", "0.05"),
      folds = study_key(
        leaf_whole(1, 20), "parts that judge in turn; 1: one half judges", "1", "2"
      ),
      most = study_key(leaf_whole(1, 200), "groups that are judged", "20", "10"),
      even_if = study_key(
        leaf_texts(), "attributes used although they look made from the answer", "none", "[score]"
      ),
      seed = study_key(leaf_whole(0, 2147483647), "another seed makes other halves", "1", "7")
    )
  )
}

targets_keys <- function() {
  keys_of_section(
    "targets that are ready to use: second purchase due, long silence, slow rhythm, falling, ...",
    days = study_key(
      leaf_whole(1, 3650), "window in which it is looked how they come back", "90", "60"
    ),
    within = study_key(
      leaf_text(), "attribute: the best in each of its levels", "none", "first_channel"
    ),
    top = study_key(leaf_whole(1, 1e6), "how many of each", "10", "25"),
    contact_by = contact_by_key(),
    forecast = study_key(
      leaf_flag(), "is value at risk looked for, by the forecast", "no", "yes"
    )
  )
}

campaigns_keys <- function() {
  named_each(
    "campaigns: planned here, held by nubrek hold, measured when their day has passed",
    keys_of_section(
      "one campaign; its name is yours",
      audience = study_key(
        leaf_text(), "the audience or target that is written to", "", "due for needles"
      ),
      day = study_key(leaf_day(), "day of contact", "the day after the last", "2025-12-20"),
      days = study_key(leaf_whole(1, 3650), "length of the window", "90", "60"),
      share = study_key(leaf_share(0.001, 0.9), "share held back", "0.1", "0.2"),
      seed = study_key(leaf_whole(0, 2147483647), "another seed draws others", "1", "7"),
      outcome = study_key(
        leaf_choice(c("sales", "purchases", "bought_again")),
        "what is planned for",
        "sales",
        "sales"
      ),
      offers = study_key(leaf_texts(), "offers dealt out evenly", "none", "[post, voucher]"),
      cost_per_contact = study_key(leaf_number(0, 1e9), "cost of one contact", "0", "0.85"),
      offer_cost = study_key(leaf_number(0, 1e9), "cost of an offer that is taken", "0", "5"),
      margin_rate = study_key(leaf_share(0, 1), "margin by sales", "that of economics", "0.48"),
      uplift = study_key(
        leaf_number(-1, 100), "assumed effect by what is done anyway", "none", "0.1"
      ),
      contact_by = contact_by_key(),
      quiet = quiet_key("drawn"),
      most = most_key("drawn"),
      pseudonyms = study_key(
        leaf_text(),
        "ids in file and lists become pseudonyms by the key in this file, or in the environment",
        "none",
        "environment"
      ),
      file = study_key(leaf_text(), "where the campaign is kept", "", "needles.json")
    )
  )
}

# Who may be written to, of those who are drawn or listed.
contact_by_key <- function() {
  study_key(
    leaf_text(), "the way of contact, where consent is named for each", "one consent for all",
    "email"
  )
}
quiet_key <- function(done) {
  study_key(
    leaf_whole(1, 3650), paste("days before in which nobody", done, "was contacted"), "none", "14"
  )
}
most_key <- function(done) {
  study_key(
    leaf_whole(1, 1000), paste("nobody is", done, "who was contacted so often in 91 days"), "none",
    "3"
  )
}

due_keys <- function() {
  keys_of_section(
    "whose second purchase is due today",
    by = study_key(leaf_text(), "attribute: a window for each group", "none", "first_channel"),
    window = study_key(
      leaf_ascending(), "where it begins and ends, as shares of those who come back",
      "[0.25, 0.75]", "[0.1, 0.9]"
    ),
    passed = study_key(leaf_whole(0, 3650), "days behind the window still listed", "30", "60"),
    ahead = study_key(leaf_whole(1, 3650), "days for which the chance is told", "30", "14"),
    contact_by = contact_by_key(),
    quiet = quiet_key("listed"),
    most = most_key("listed")
  )
}

wallet_keys <- function() {
  keys_of_section(
    "what customers buy of every seller, from a panel or a partner",
    files = study_key(leaf_texts(), "files of the panel", "must be given", "panel.csv"),
    ours = study_key(
      leaf_text(), "our name among the sellers", "must be given", "Pellmere Yarn Company"
    ),
    columns = study_key(
      leaf_columns(),
      "which column is customer, seller, units, money, category",
      "",
      "{customer: card, seller: shop, units: pieces, money: spent}"
    ),
    category = study_key(leaf_texts(), "only these categories", "all", "[Yarn, Kits]"),
    by = study_key(
      leaf_text(), "kind of customer: a column of the panel, or an attribute", "none",
      "first_channel"
    ),
    weights = study_key(leaf_text(), "column with the weight of each customer", "none", "weight"),
    during = during_key("of the panel"),
    hold = study_key(leaf_share(0, 1), "from this share on a customer is to be held", "0.8", "0.7"),
    decimal_mark = study_key(leaf_choice(c(".", ",")), "of the amounts", ".", "\",\"")
  )
}
