# The keys of the study file about the data: files, columns, meanings, groups, money.

table_section <- function(about, who) {
  do.call(keys_of_section, c(list(
    about,
    files = files_key(paste("files of", who)),
    key = study_key(leaf_text(), paste("the column with the id of the", who), "", "customer_no"),
    attributes = study_key(
      leaf_columns(), "columns to take along, as a list or as name: column", "none", "[name, town]"
    )
  ), format_keys()))
}

rule_section <- function(about, column, values, ...) {
  keys_of_section(
    about,
    column = study_key(leaf_text(), "a column of the order file", "", column),
    values = study_key(leaf_texts(), "rows with one of these values are meant", "", values),
    ...
  )
}
state_section <- function(what) {
  rule_section(paste("which rows are", what, "orders"), "state", "[cancelled, void]")
}

kind_abouts <- c(
  "vouchers given as a discount", "shipping", "fees", "deposits", "tips",
  "gift cards, sold or redeemed"
)

kind_section <- function(kind, about) {
  rule_section(about, "article", "[V10, V20]", in_sales = study_key(
    leaf_flag(), "do these lines count in sales, or are they excluded, by kind",
    if (line_kinds[[kind]]) "yes" else "no", "yes"
  ))
}

role_examples <- c(
  customer = "who bought: a number, an e-mail",
  order = "number of the receipt",
  line = "id of the line",
  date = "day or stamp of the order",
  sales = "net sales of the line",
  quantity = "pieces: for units() in rules, or with unit_price instead of sales",
  unit_price = "price of a piece",
  gross = "before discount, with discount instead of sales",
  discount = "what is taken off",
  tax = "tax inside the sales, taken off",
  shipping = "shipping inside the sales, taken off",
  cost = "cost of the line, for the margin",
  currency = "currency code of the row",
  product = "product number",
  category = "product group",
  channel = "shop, store or web",
  return_of = "order that a return belongs to"
)

data_section <- function() {
  keys_of_section(
    "where the data are and which column is what",
    orders = do.call(keys_of_section, c(list(
      "the order lines (or orders)",
      files = files_key("files with the orders:"),
      columns = structure(
        Map(
          \(role, what) study_key(
            leaf_text(),
            what,
            if (role %in% c("customer", "date")) "must be given" else "none",
            role
          ),
          names(role_examples),
          role_examples
        )[column_roles],
        about = "the column of each role"
      ),
      attributes = study_key(
        leaf_columns(), "further columns to break down by", "none", "{campaign: campaign_code}"
      ),
      added = study_key(
        leaf_text(),
        "of a table that only grows, the column that tells when a row was added",
        "all is folded anew",
        "loaded_on"
      )
    ), format_keys())),
    joins = named_each(
      "tables joined to the order lines, under names of your own",
      c(list(files = files_key("files of the table:"), by = study_key(
        leaf_columns(), "the columns in both, or {lines column: table column}", "", "receipt"
      )), format_keys())
    ),
    customers = table_section("attributes of customers", "customers"),
    products = table_section("attributes of products", "products"),
    contacts = do.call(keys_of_section, c(list(
      "who was contacted, when, for which campaign, and whether they responded",
      files = files_key("files with the contacts:"),
      columns = study_key(
        leaf_columns(),
        "the column of customer, day, campaign, offer, responded",
        "of these names",
        "{customer: customer_no, day: sent_on}"
      ),
      dates = study_key(
        leaf_choice(meaning_choices$dates), "how the days are written", "as in meanings",
        "day-first"
      )
    ), format_keys())),
    aliases = do.call(keys_of_section, c(list(
      "ids that are the same customer",
      files = files_key("files of the aliases:"),
      key = study_key(leaf_text(), "the column with the id", "", "customer_no"),
      same_as = study_key(leaf_text(), "the column with the id that stands for it", "", "main_no")
    ), format_keys())),
    rates = keys_of_section(
      "currency rates, to convert instead of setting aside",
      files = files_key("files of the rates:"),
      date = study_key(leaf_text(), "column of the day", "date", "day"),
      currency = study_key(leaf_text(), "column of the currency code", "currency", "code"),
      rate = study_key(leaf_text(), "column of the rate into the home currency", "rate", "rate")
    ),
    connection = study_key(
      leaf_texts(),
      paste(
        "a connection of your own file of connections, for tables and queries; several are servers",
        "that each hold the orders of some customers"
      ),
      "none",
      "warehouse"
    ),
    workspace = study_key(
      leaf_text(),
      paste(
        "orders stay in the database, folded in tables of this schema, in temporary ones, or",
        "(none) in each question"
      ),
      "the rows are fetched",
      "temporary"
    ),
    parts = study_key(
      leaf_whole(1, 9999),
      "for more orders than memory holds: so many parts, kept in the folder of keep",
      "in memory, as a whole",
      16L
    ),
    keep = study_key(
      leaf_text(),
      "a folder to save the ledger in, opened from there while nothing has changed",
      "not kept",
      "ledger"
    )
  )
}

meanings_section <- function() {
  choice <- \(name, about) study_key(
    leaf_choice(meaning_choices[[name]]),
    about,
    meaning_choices[[name]][[1L]],
    meaning_choices[[name]][[2L]]
  )
  keys_of_section(
    "what the words mean",
    currency = study_key(
      leaf_text(), "the home currency, a three-letter code", "the one in the data", "EUR"
    ),
    currencies = choice("currencies", "one insists that all amounts are of one currency"),
    purchase_unit = choice("purchase_unit", "is a purchase an order, or a day with one"),
    minimum_sales = study_key(
      leaf_number(0, 1e9),
      "an order is a purchase from this net total on; 0: free orders of goods count too",
      "any above 0", "5"
    ),
    returns = choice("returns", "where returns are booked"),
    duplicates = choice("duplicates", "which equal rows are set aside"),
    conflicts = choice("conflicts", "an order in two states"),
    cost_per = choice("cost_per", "is the mapped cost that of a line or of the order"),
    cost_rate = study_key(
      leaf_text(), "an attribute of lines or products with cost by sales", "none", "cost_share"
    ),
    unit_cost = study_key(
      leaf_text(), "an attribute of lines or products with the cost of a piece, times quantity",
      "none", "unit_cost"
    ),
    as_of = study_key(
      leaf_day(), "no order after this day is seen", "the last day in the data", "2025-12-31"
    ),
    time_zone = study_key(
      leaf_zone(), "the retailer's zone, where stamps carry an offset", "none", "Europe/Vienna"
    ),
    clock = clock_key("the period of time", "month"),
    week_start = choice("week_start", "first day of a week"),
    fiscal_start = study_key(leaf_whole(1, 12), "first month of the fiscal year", "1", "4"),
    history_start = study_key(
      leaf_day(), "first day the export covers", "the first day in the data", "2023-01-01"
    ),
    first_purchase_known = study_key(
      leaf_text(),
      "a customer attribute with the true first purchase before the data",
      "none",
      "customer_since"
    ),
    registered = study_key(
      leaf_text(), "a customer attribute with the day of sign-up", "none", "registered"
    ),
    consent = study_key(
      leaf_consent(),
      paste(
        "the customer attribute that tells who agreed to be contacted, one for each way of",
        "contact, or: not recorded"
      ),
      "lists with contacts, plans and draws ask for it",
      "{email: mail_ok, post: post_ok}"
    ),
    consent_yes = study_key(
      leaf_texts(), "the words that mean yes; all others then mean no", "yes, true, 1 and the like",
      "[opted in]"
    ),
    dates = choice("dates", "how dates are written"),
    decimal_mark = choice("decimal_mark", "the mark before the cents"),
    test = state_section("test"),
    cancelled = state_section("cancelled"),
    kinds = do.call(keys_of_section, c(
      list("which lines are not goods; they are no product, no return and no first purchase"),
      Map(kind_section, names(line_kinds), kind_abouts)
    )),
    excluded_ids = study_key(
      leaf_texts(), "customer ids to leave out: a till, a guest account, staff", "none", "[GUEST]"
    )
  )
}

slice_section <- function() {
  keys_of_section(
    "only a part of the ledger",
    lines = named_each("only lines with these values, by column", study_key(
      leaf_texts(), "values of the column", "", "[Yarn, Kits]"
    )),
    customers = named_each(
      "only customers with these values, by attribute",
      study_key(leaf_texts(), "values of the attribute", "", "Pellmere")
    ),
    from = study_key(leaf_day(), "first day", "all", "2024-01-01"),
    until = study_key(leaf_day(), "last day", "all", "2024-12-31"),
    first = study_key(
      leaf_choice(c("within", "any")),
      "does first purchase mean first within the slice, or of anything",
      "within",
      "any"
    )
  )
}

bands_keys <- function() {
  named_each(
    "numbers and dates cut into groups, under names of your own",
    list(
      from = study_key(leaf_text(), "the attribute that is cut", "must be given", "birth_year"),
      breaks = study_key(
        leaf_ascending(), "limits; reaching one is the next band", "", "[30, 45, 60]"
      ),
      as = study_key(
        leaf_choice(c("number", "age", names(clocks))), "what the attribute is", "number", "age"
      )
    )
  )
}

events_keys <- function() {
  named_each(
    "sales, holidays and the like, under names of your own: marked on figures, held against others",
    list(
      from = study_key(
        leaf_days(), "the day it begins; several where it comes again", "must be given",
        "[2024-06-21, 2025-06-20]"
      ),
      until = study_key(
        leaf_days(), "the day it ends, as many as begin", "the same day", "[2024-06-22, 2025-06-21]"
      ),
      kind = study_key(leaf_choice(event_kinds), "what it is", "other", "holiday")
    )
  )
}

suspects_keys <- function() {
  keys_of_section(
    "ids that need a second look",
    orders_a_day = study_key(
      leaf_whole(1, 1e+06), "more orders of one id on a day are suspect", "4", "6"
    ),
    places_a_day = study_key(
      leaf_whole(1, 1e+06), "more channels of one id on a day are suspect", "3", "2"
    ),
    share_of_orders = study_key(
      leaf_share(0, 1), "an id with at least this share of all orders is suspect", "0.01", "0.005"
    ),
    people = keys_of_section(
      "which customer attributes tell who somebody is",
      name = study_key(
        leaf_texts(), "of the name, or of its parts", "recognised by its name",
        "[first_name, last_name]"
      ),
      postcode = study_key(leaf_text(), "of the postcode", "recognised by its name", "plz"),
      email = study_key(leaf_text(), "of the e-mail", "recognised by its name", "mail"),
      phone = study_key(leaf_text(), "of the phone", "recognised by its name", "tel")
    )
  )
}

economics_keys <- function() {
  keys_of_section(
    "margin and discount",
    margin_rate = study_key(
      leaf_share(0, 1), "margin by net sales", "none: sales are not value", "0.48"
    ),
    yearly_discount = study_key(
      leaf_share(0, 1), "yearly discount of money to come", "0.1", "0.08"
    ),
    margin_rates = keys_of_section(
      "rates that differ",
      by = study_key(leaf_text(), "a line column or customer attribute", "", "category"),
      rates = study_key(
        leaf_numbers(), "a rate for each of its values", "", "{Yarn: 0.48, Kits: 0.53}"
      ),
      otherwise = study_key(leaf_number(-1, 1), "the rate of all others", "none", "0.45")
    ),
    shares_by = study_key(
      leaf_text(), "groups whose return and margin shares are estimated", "first_channel", "town"
    )
  )
}
