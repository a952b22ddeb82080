# What a study file may say: every section and key once, with its type, what it says, its default and an example. The
# check of a study, its help page and `nubrek keys` read these records.

# A key: what is read and how, and what a reader must know of it.
study_key <- function(leaf, about, default = "", example = "") {
  structure(utils::modifyList(unclass(leaf), list(about = about, default = default, example = example)), class = "study_leaf")
}

section <- function(about, ...) structure(list(...), about = about)

# A section whose keys are the user's own names.
each <- function(about, schema) structure(list(schema = schema), about = about, class = "study_each")

during_key <- function(what) {
  study_key(leaf_texts(), paste("the part of time", what), "all of the history", "2025, 2025 Q2, 2025-05 or [2025-01-15, 2025-03-31]")
}
clock_key <- function(what, default = "the clock of the meanings") study_key(leaf_choice(names(clocks)), what, default, "month")

format_keys <- function() list(
  separator = study_key(leaf_choice(c("detect", ",", ";", "tab", "|")), "what separates the cells of a text file", "detect", "tab"),
  encoding = study_key(leaf_text(), "how a text file is written", "detect", "windows-1252"),
  sheet = study_key(leaf_text(), "the sheet of a workbook", "the first", "Orders 2025"))

files_key <- function(what) study_key(leaf_texts(), paste(what, "paths from the study's folder, or a pattern"), "", "orders-*.csv")
table_section <- function(about, who) do.call(section, c(list(about, files = files_key(paste("files of", who)),
  key = study_key(leaf_text(), paste("the column with the id of the", who), "", "customer_no"),
  attributes = study_key(leaf_columns(), "columns to take along, as a list or as name: column", "none", "[name, town]")), format_keys()))
rule_section <- function(what) section(paste("which rows are", what, "orders"),
  column = study_key(leaf_text(), "a column of the order file", "", "state"),
  values = study_key(leaf_texts(), "rows with one of these values are meant", "", "[cancelled, void]"))

role_examples <- c(customer = "who bought: a number, an e-mail", order = "number of the receipt", line = "id of the line", date = "day or stamp of the order",
  sales = "net sales of the line", quantity = "pieces, with unit_price instead of sales", unit_price = "price of a piece", gross = "before discount, with discount instead of sales",
  discount = "what is taken off", tax = "tax inside the sales, taken off", shipping = "shipping inside the sales, taken off", cost = "cost of the line, for the margin",
  currency = "currency code of the row", product = "product number", category = "product group", channel = "shop, store or web", return_of = "order that a return belongs to")

data_section <- function() section("where the data are and which column is what",
  orders = do.call(section, c(list("the order lines (or orders)", files = files_key("files with the orders:"),
    columns = structure(Map(\(role, what) study_key(leaf_text(), what, if (role %in% c("customer", "date")) "must be given" else "none", role), names(role_examples), role_examples)[column_roles],
                        about = "the column of each role"),
    attributes = study_key(leaf_columns(), "further columns to break down by", "none", "{campaign: campaign_code}")), format_keys())),
  joins = each("tables joined to the order lines, under names of your own", c(list(files = files_key("files of the table:"),
    by = study_key(leaf_columns(), "the column in both, or {lines column: table column}", "", "receipt")), format_keys())),
  customers = table_section("attributes of customers", "customers"), products = table_section("attributes of products", "products"),
  aliases = do.call(section, c(list("ids that are the same customer", files = files_key("files of the aliases:"),
    key = study_key(leaf_text(), "the column with the id", "", "customer_no"), same_as = study_key(leaf_text(), "the column with the id that stands for it", "", "main_no")), format_keys())),
  rates = section("currency rates, to convert instead of setting aside", files = files_key("files of the rates:"),
    date = study_key(leaf_text(), "column of the day", "date", "day"), currency = study_key(leaf_text(), "column of the currency code", "currency", "code"),
    rate = study_key(leaf_text(), "column of the rate into the home currency", "rate", "rate")),
  keep = study_key(leaf_text(), "a folder to save the ledger in, opened from there while nothing has changed", "not kept", "ledger"))

meanings_section <- function() {
  choice <- \(name, about) study_key(leaf_choice(meaning_choices[[name]]), about, meaning_choices[[name]][[1L]], meaning_choices[[name]][[2L]])
  section("what the words mean",
    currency = study_key(leaf_text(), "the home currency, a three-letter code", "the one in the data", "EUR"),
    currencies = choice("currencies", "one insists that all amounts are of one currency"),
    purchase_unit = choice("purchase_unit", "is a purchase an order, or a day with one"),
    minimum_sales = study_key(leaf_number(0, 1e9), "an order is a purchase from this net total on", "any above 0", "5"),
    returns = choice("returns", "where returns are booked"), duplicates = choice("duplicates", "which equal rows are set aside"),
    conflicts = choice("conflicts", "an order in two states"), cost_per = choice("cost_per", "is the mapped cost that of a line or of the order"),
    cost_rate = study_key(leaf_text(), "an attribute of lines or products with cost by sales", "none", "cost_share"),
    as_of = study_key(leaf_day(), "no order after this day is seen", "the last day in the data", "2025-12-31"),
    time_zone = study_key(leaf_zone(), "the retailer's zone, where stamps carry an offset", "none", "Europe/Vienna"),
    clock = clock_key("the period of time", "month"), week_start = choice("week_start", "first day of a week"),
    fiscal_start = study_key(leaf_whole(1, 12), "first month of the fiscal year", "1", "4"),
    history_start = study_key(leaf_day(), "first day the export covers", "the first day in the data", "2023-01-01"),
    first_purchase_known = study_key(leaf_text(), "a customer attribute with the true first purchase before the data", "none", "customer_since"),
    registered = study_key(leaf_text(), "a customer attribute with the day of sign-up", "none", "registered"),
    dates = choice("dates", "how dates are written"), decimal_mark = choice("decimal_mark", "the mark before the cents"),
    test = rule_section("test"), cancelled = rule_section("cancelled"),
    excluded_ids = study_key(leaf_texts(), "customer ids to leave out: a till, a guest account, staff", "none", "[GUEST]"))
}

slice_section <- function() section("only a part of the ledger",
  lines = each("only lines with these values, by column", study_key(leaf_texts(), "values of the column", "", "[Yarn, Kits]")),
  customers = each("only customers with these values, by attribute", study_key(leaf_texts(), "values of the attribute", "", "Pellmere")),
  from = study_key(leaf_day(), "first day", "all", "2024-01-01"), until = study_key(leaf_day(), "last day", "all", "2024-12-31"),
  first = study_key(leaf_choice(c("within", "any")), "does first purchase mean first within the slice, or of anything", "within", "any"))

cost_sections <- function() section("has the money spent on winning customers come back",
  cost = study_key(leaf_number(0, 1e9), "what winning a customer costs", "none", "12.50"),
  costs = section("costs that differ", by = study_key(leaf_text(), "a customer attribute", "", "first_channel"),
                  per_customer = study_key(leaf_numbers(), "cost for each of its values", "", "{Web: 9, Mill: 12}")),
  spend = section("spend by period", files = files_key("files of the spend:"), period = study_key(leaf_text(), "column of the period", "", "month"),
    amount = study_key(leaf_text(), "column of the money", "", "spend"), by = study_key(leaf_columns(), "{customer attribute: column}", "none", "{first_channel: channel}"),
    carry_over = study_key(leaf_flag(), "does spend without new customers go to the next cohort", "no", "yes")),
  within = study_key(leaf_whole(0, 10000), "age by which it is to be paid back", "a year", "12"),
  yearly_discount = study_key(leaf_share(0, 1), "yearly rate; age 0 is not discounted", "0", "0.10"))

rank_sections <- function() list(
  ranks = section("the best and the last customers", by = study_key(leaf_choice(names(customer_measures)), "the measure", "sales", "purchases"),
    during = during_key("that counts"), within = study_key(leaf_texts(), "customer attributes to rank within", "none", "first_channel"),
    top = study_key(leaf_number(0, 1e9), "how many from above", "10", "25"), bottom = study_key(leaf_number(0, 1e9), "how many from below", "none", "10"),
    unit = study_key(leaf_choice(c("customers", "percent")), "what top and bottom count", "customers", "percent"),
    ties = study_key(leaf_choice(c("competition", "dense", "row")), "equal customers: 1 2 2 4, 1 2 2 3, or cut by id", "competition", "dense"),
    best = study_key(leaf_choice(c("high", "low")), "is a high or a low value best", "high, low for recency", "low"),
    at_least = study_key(leaf_numbers(), "only customers who reach these are ranked", "everybody", "{purchases: 3}")),
  rfm = section("recency, frequency, monetary value", bands = study_key(leaf_whole(2, 10), "bands of each", "5", "4"), during = during_key("that counts"),
    cuts = section("limits of your own instead of bands of equal size", recency = study_key(leaf_ascending(), "days", "", "[30, 90, 365]"),
                   frequency = study_key(leaf_ascending(), "purchases", "", "[2, 5]"), monetary = study_key(leaf_ascending(), "money", "", "[50, 200]")),
    monetary = study_key(leaf_choice(c("sales", "mean_sales")), "what monetary is", "sales", "mean_sales"),
    weights = study_key(leaf_amounts(), "weights of the three in the index", "[1, 1, 1]", "[2, 1, 1]"),
    groups = each("groups of your own, by bands: every combination in exactly one", list(
      recency = study_key(leaf_text(), "bands such as high, middle or low, any, 4, 1 to 2", "any", "high"), frequency = study_key(leaf_text(), "bands", "any", "1 to 2"),
      monetary = study_key(leaf_text(), "bands", "any", "middle or low")))),
  map = section("order size against frequency", during = during_key("that counts"), cut = study_key(leaf_cut(), "median, a quantile, or purchases and mean sales", "median", "[3, 50]"),
    top = study_key(leaf_whole(0, 1e6), "how many of the highest sales are marked", "10", "20")),
  tiers = section("loyalty tiers", measure = study_key(leaf_choice(c("sales", "purchases", "mean_sales")), "what they are by", "sales", "purchases"),
    shares = study_key(leaf_numbers(), "percent of customers in each, best first", "{top: 10, middle: 30, base: 60}", "{cashmere: 10, merino: 30, wool: 60}"),
    thresholds = study_key(leaf_numbers(), "limits instead of shares, best first", "none", "{cashmere: 500, wool: -Inf}"),
    limits = each("limits of several measures, by tier, best first", study_key(leaf_limits(), "measures with numbers; nothing for the last tier", "", "{sales: 500, purchases: 4}")),
    match = study_key(leaf_choice(c("all", "any")), "must all or any of the limits be reached", "all", "any"), during = during_key("that counts"),
    benefits = section("what a tier costs", cost = study_key(leaf_numbers(), "cost of a customer in each tier, the last one 0", "", "{cashmere: 20, wool: 0}"),
                       uplift = study_key(leaf_amounts(), "how much more they buy because of it, as a share", "0.1", "0.15"))),
  moves = section("who rose, who fell", periods = study_key(leaf_texts(), "two or more parts of time, one after the other", "must be given", "[2024, 2025]"),
    same_days = study_key(leaf_flag(), "is a year that is not over compared with as many days", "yes", "no"),
    least_base = study_key(leaf_whole(0, 1e6), "fewest customers behind a percent", "30", "50"),
    draws = study_key(leaf_whole(20, 1e5), "draws of what chance alone would do", "200", "1000")))

forecast_section <- function() section("what customers will bring",
  years = study_key(leaf_number(0.02, 50), "how far the value looks ahead", "1", "2"), periods = study_key(leaf_whole(1, 1000), "whole periods of sales to come", "a year", "24"),
  acquisitions = study_key(leaf_amounts(), "new customers in each coming period", "as many as in the last 365 days", "[250]"),
  by = study_key(leaf_texts(), "attributes whose groups are valued", "none", "[first_channel, first_category]"),
  within = study_key(leaf_number(0, 600), "months by which a customer must pay back", "12", "18"), level = study_key(leaf_share(0.5, 0.999), "level of intervals", "0.95", "0.8"),
  seed = study_key(leaf_whole(0, 1e9), "of the draws", "1", "7"), cut = study_key(leaf_day(), "day up to which the backtest learns", "a year before the end", "2024-12-31"),
  purchases = study_key(leaf_choice(names(Filter(\(m) !m$discrete, purchase_models()))), "purchase model", "pareto-nbd", "mbg-nbd"),
  spend = study_key(leaf_choice(names(spend_models())), "spend model", "gamma-gamma", "log-normal"),
  covariates = section("attributes that the models know", rate = study_key(leaf_texts(), "of the rate of buying", "none", "[first_channel]"),
                       dropout = study_key(leaf_texts(), "of the rate of leaving", "none", "[first_channel]")),
  penalty = study_key(leaf_penalty(), "draws the effects of covariates in", "0", "cross-validated"), season = study_key(leaf_season(), "do the models follow the season of the business", "auto", "no"))

study_schema <- function() c(list(
  study = study_key(leaf_text(), "the title of report and print", "Customers and repeat buying", "Pellmere Yarn Company"),
  data = data_section(), meanings = meanings_section(),
  bands = each("numbers and dates cut into groups, under names of your own", list(
    from = study_key(leaf_text(), "the attribute that is cut", "must be given", "birth_year"), breaks = study_key(leaf_ascending(), "limits; reaching one is the next band", "", "[30, 45, 60]"),
    as = study_key(leaf_choice(c("number", "age", names(clocks))), "what the attribute is", "number", "age"))),
  slice = slice_section(),
  suspects = section("ids that need a second look", orders_a_day = study_key(leaf_whole(1, 1e6), "more orders of one id on a day are suspect", "4", "6"),
    places_a_day = study_key(leaf_whole(1, 1e6), "more channels of one id on a day are suspect", "3", "2"),
    share_of_orders = study_key(leaf_share(0, 1), "an id with at least this share of all orders is suspect", "0.01", "0.005")),
  economics = section("margin and discount", margin_rate = study_key(leaf_share(0, 1), "margin by net sales", "none: sales are not value", "0.48"),
    yearly_discount = study_key(leaf_share(0, 1), "yearly discount of money to come", "0.1", "0.08"),
    margin_rates = section("rates that differ", by = study_key(leaf_text(), "a line column or customer attribute", "", "category"),
      rates = study_key(leaf_numbers(), "a rate for each of its values", "", "{Yarn: 0.48, Kits: 0.53}"), otherwise = study_key(leaf_number(-1, 1), "the rate of all others", "none", "0.45")),
    shares_by = study_key(leaf_text(), "groups whose return and margin shares are estimated", "first_channel", "town")),
  `repeat` = section("who comes back", by = study_key(leaf_texts(), "attributes to break down by", "none", "[first_channel, age]")),
  waits = section("how long until the next purchase", nth = study_key(leaf_whole(2, 100), "which purchase is waited for", "2", "3"), clock = clock_key("periods of the table"),
    by = study_key(leaf_text(), "a customer attribute: a curve for each group", "none", "first_channel")),
  new = section("new, returning, reactivated", clock = clock_key("the periods"), lookback = study_key(leaf_whole(0, 10000), "away for longer comes back as reactivated", "endless", "6"),
    unit = study_key(leaf_choice(c("periods", "days")), "what the look-back counts", "periods", "days"),
    lines = each("only lines with these values, by column", study_key(leaf_texts(), "values of the column", "", "[Yarn]")),
    scope = study_key(leaf_choice(c("within", "any")), "does history mean within the filter, or anything", "within", "any"),
    by = study_key(leaf_text(), "a line column: its values side by side", "none", "category")),
  sales = section("where the sales come from", by = study_key(leaf_texts(), "attributes", "cohort", "[channel]"), during = during_key("that counts"),
    against = study_key(leaf_texts(), "an earlier part of time, or year before", "none", "2024"), least_base = study_key(leaf_whole(0, 1e6), "fewest customers behind a percent", "30", "50"),
    top = study_key(leaf_whole(1, 1e6), "only the groups with the most sales", "all", "5")),
  cohorts = section("first-purchase cohorts", clock = clock_key("width of a cohort and of an age"),
    ages = study_key(leaf_choice(c("calendar", "elapsed")), "ages by the calendar or in each customer's own time", "calendar", "elapsed"),
    older_within = study_key(leaf_whole(0, 1000), "cohorts so near the start may hold older customers", "by the usual gap", "3"),
    by = study_key(leaf_texts(), "attributes: cohorts side by side", "none", "[first_channel]"),
    measures = study_key(leaf_choices(names(grid_measures)), "what the report shows of them", "retention and value to date", "[sales, retention]"),
    usual = study_key(leaf_choice(names(usual_measures)), "what newer cohorts are judged by", "retention", "value_to_date")),
  payback = cost_sections()), rank_sections(), list(forecast = forecast_section(),
  outputs = section("what is written", folder = study_key(leaf_text(), "folder of the results, from the study's folder", "nubrek-results", "results"),
    contact = study_key(leaf_texts(), "customer attributes carried along in lists", "none", "[name, email]"),
    report = study_key(leaf_flag(), "is the report written, or the lists alone", "yes", "no"))))

# Every key of a schema with its path: section, key, type, about, default, example.
list_keys <- function(schema = study_schema(), at = character()) {
  if (inherits(schema, "study_leaf")) {
    return(data.frame(section = at[[1L]], key = paste(at[-1L], collapse = ": "), type = schema$wants, about = schema$about, default = schema$default, example = schema$example))
  }
  if (inherits(schema, "study_each")) return(list_keys(schema$schema, c(at, "NAME")))
  do.call(rbind, unname(Map(\(node, name) list_keys(node, c(at, name)), schema, names(schema))))
}

#' Every section and key of a study file
#'
#' The same as [study_file], as a table.
#'
#' @param section `[character(1)]` One section, such as `"cohorts"`; default all.
#' @return A `nubrek_keys`, one row per key: `section`, `key` (parts of a path divided by `: `; `NAME` is a name of your own), `type`,
#'   `about`, `default`, `example`.
#' @examples
#' study_keys("waits")
#' @export
study_keys <- function(section = NULL) {
  keys <- list_keys()
  if (!is.null(section)) {
    check_choice(section, names(study_schema()))
    keys <- keys[keys$section == section, ]
  }
  new_result(as.list(keys), "keys", basis = list(section = section))
}

#' @export
describe.nubrek_keys <- function(x) {
  name <- basis_of(x, "section")
  about <- if (!is.null(name)) attr(study_schema()[[name]], "about")
  list(heading = if (is.null(name)) "Keys of a study file" else paste0("The section ", name, if (!is.null(about)) paste0(": ", about)), finding = NULL)
}

# A key a paragraph: type, default and example under what it says.
#' @export
print.nubrek_keys <- function(x, ...) {
  rlang::check_dots_empty()
  said <- describe(x)
  cells <- \(i) {
    more <- paste0(x$type[[i]], if (nzchar(x$default[[i]])) paste0("; default: ", x$default[[i]]))
    c(paste0("  ", if (nzchar(x$key[[i]])) x$key[[i]] else x$section[[i]], "   ", x$about[[i]]),
      strwrap(more, terminal_width(), indent = 6L, exdent = 6L), if (nzchar(x$example[[i]])) paste0("      such as ", x$example[[i]]))
  }
  own <- if (is.null(basis_of(x, "section"))) !duplicated(x$section) else rep(FALSE, nrow(x))
  lines <- lapply(seq_len(nrow(x)), \(i) c(if (own[[i]]) c("", x$section[[i]]), cells(i)))
  writeLines(c(cli::style_bold(said$heading), "", unlist(lines)))
  invisible(x)
}

# The help page, made of the records.
study_file_page <- function() {
  escape <- \(text) gsub("([%{}\\\\])", "\\\\\\1", text)
  keys <- list_keys()
  one <- function(name) {
    mine <- keys[keys$section == name, ]
    about <- attr(study_schema()[[name]], "about") %||% mine$about[[1L]]
    item <- sprintf("\\item{\\code{%s}}{%s. %s%s%s.}", escape(ifelse(nzchar(mine$key), mine$key, name)), escape(capital(mine$about)), escape(capital(mine$type)),
                    ifelse(nzchar(mine$default), paste0("; default: ", escape(mine$default)), ""), ifelse(nzchar(mine$example), paste0("; such as \\code{", escape(mine$example), "}"), ""))
    c(sprintf("\\section{%s: %s}{", name, escape(about)), "\\describe{", item, "}}")
  }
  c("@rawRd", unlist(lapply(unique(keys$section), one)))
}

#' The study file: every section and key
#'
#' A study file is YAML and says data, column map, meanings, economics and outputs; [run_study()] makes report and lists of it,
#' [study_ledger()] its ledger. Unknown keys and wrong values are errors with the line. `nubrek new` writes a first one, `nubrek keys`
#' shows this page in the terminal, [study_keys()] gives it as a table. `NAME` stands for a name of your own. Nothing in a file is ever run.
#'
#' @return A page of help; the demo world's own study file is the longest example.
#' @examples
#' writeLines(readLines(system.file("pellmere", "study.yaml", package = "nubrek"), n = 20))
#' @name study_file
#' @eval study_file_page()
NULL
