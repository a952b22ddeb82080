# What a study file may say. A node is a section (named list of nodes) or a leaf (a function from text to value that
# returns a string when the value is wrong).

leaf <- function(read, wants) structure(list(read = read, wants = wants), class = "study_leaf")
wrong <- structure(list(), class = "study_wrong")

as_number <- function(x) if (length(x) == 1L && grepl("^[-+]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][-+]?[0-9]+)?$", x)) as.numeric(x) else NA_real_

leaf_text <- function() leaf(\(x) if (checkmate::test_string(x, min.chars = 1L)) x else wrong, "a text")
leaf_texts <- function() leaf(\(x) if (checkmate::test_character(unlist(x), any.missing = FALSE, min.len = 1L)) as.character(unlist(x)) else wrong, "a text or a list of texts")
leaf_choice <- function(choices) leaf(\(x) if (checkmate::test_choice(x, choices)) x else wrong, paste("one of", paste(choices, collapse = ", ")))
leaf_choices <- function(choices) leaf(\(x) if (checkmate::test_subset(unlist(x), choices, empty.ok = FALSE)) as.character(unlist(x)) else wrong, paste("one or several of", paste(choices,
    collapse = ", ")))
leaf_flag <- function() leaf(\(x) if (checkmate::test_choice(tolower(x), c("yes", "no", "true", "false"))) tolower(x) %in% c("yes", "true") else wrong, "yes or no")
leaf_day <- function() leaf(\(x) { d <- if (checkmate::test_string(x)) as.Date(x, "%Y-%m-%d", optional = TRUE) else NA; if (is.na(d)) wrong else d }, "a day such as 2024-03-05")
leaf_number <- function(low, high) leaf(\(x) { v <- as_number(x); if (is.na(v) || v < low || v > high) wrong else v }, paste("a number from", low, "to", high))
leaf_whole <- function(low, high) leaf(\(x) { v <- as_number(x); if (is.na(v) || v < low || v > high || v != round(v)) wrong else as.integer(v) }, paste("a whole number from", low, "to", high))
leaf_season <- function() leaf(\(x) if (identical(x, "auto")) x else leaf_flag()$read(x), "auto, true or false")
leaf_penalty <- function() leaf(\(x) { v <- as_number(x); if (identical(x, "cross-validated")) x else if (is.na(v) || v < 0) wrong else v }, "a number from 0 up, or cross-validated")
leaf_columns <- function() leaf(\(x) if (is.list(x) && checkmate::test_names(names(x), type = "unique") && all(vapply(x, checkmate::test_string, NA))) unlist(x)
                                else if (checkmate::test_character(unlist(x), min.len = 1L) && is.null(names(x))) stats::setNames(unlist(x), unlist(x)) else wrong,
                                "columns, as a list or as name: column")
leaf_numbers <- function() leaf(\(x) { v <- vapply(as.list(x), \(one) if (identical(one, "-Inf")) -Inf else as_number(one), 0); if (length(v) == 0L || anyNA(v) || is.null(names(v))) wrong else v },
                                "names with numbers")

leaf_ascending <- function() leaf(\(x) { v <- vapply(as.list(unlist(x)), as_number, 0); if (length(v) == 0L || anyNA(v) || is.unsorted(v, strictly = TRUE)) wrong else v },
                                  "ascending numbers")

leaf_amounts <- function() leaf(\(x) { v <- vapply(as.list(unlist(x)), as_number, 0); if (length(v) == 0L || anyNA(v)) wrong else v }, "numbers")
leaf_limits <- function() leaf(\(x) if (length(x) == 0L || identical(x, "")) numeric() else leaf_numbers()$read(x), "measures with numbers, or nothing for the last tier")
leaf_cut <- function() leaf(\(x) if (identical(x, "median")) x else { v <- vapply(as.list(unlist(x)), as_number, 0); if (!length(v) %in% 1:2 || anyNA(v)) wrong else v },
    "median, a quantile from 0 to 1, or two numbers")

# A section whose keys are the user's own names.
each <- function(schema) structure(list(schema = schema), class = "study_each")

format_keys <- function() list(separator = leaf_choice(c("detect", ",", ";", "tab", "|")), encoding = leaf_text(), sheet = leaf_text())
table_section <- function(...) c(list(files = leaf_texts(), key = leaf_text(), attributes = leaf_columns(), ...), format_keys())
rule_section <- function() list(column = leaf_text(), values = leaf_texts())

study_schema <- function() list(
  study = leaf_text(),
  data = list(
    orders = c(list(files = leaf_texts(), columns = stats::setNames(lapply(column_roles, \(role) leaf_text()), column_roles), attributes = leaf_columns()), format_keys()),
    joins = each(c(list(files = leaf_texts(), by = leaf_columns()), format_keys())),
    customers = table_section(), products = table_section(), aliases = c(list(files = leaf_texts(), key = leaf_text(), same_as = leaf_text()), format_keys()),
    rates = list(files = leaf_texts(), date = leaf_text(), currency = leaf_text(), rate = leaf_text()), keep = leaf_text()),
  meanings = c(lapply(meaning_choices, leaf_choice), list(
    currency = leaf_text(), minimum_sales = leaf_number(0, 1e9), cost_rate = leaf_text(), as_of = leaf_day(), time_zone = leaf_text(), clock = leaf_choice(names(clocks)),
    fiscal_start = leaf_whole(1, 12), history_start = leaf_day(), first_purchase_known = leaf_text(), registered = leaf_text(),
    test = rule_section(), cancelled = rule_section(), excluded_ids = leaf_texts())),
  bands = each(list(from = leaf_text(), breaks = leaf_ascending(), as = leaf_choice(c("number", "age", names(clocks))))),
  slice = list(lines = each(leaf_texts()), customers = each(leaf_texts()), from = leaf_day(), until = leaf_day(), first = leaf_choice(c("any", "within"))),
  suspects = list(orders_a_day = leaf_whole(1, 1e6), places_a_day = leaf_whole(1, 1e6), share_of_orders = leaf_number(0, 1)),
  economics = list(margin_rate = leaf_number(0, 1), yearly_discount = leaf_number(0, 10), margin_rates = list(by = leaf_text(), rates = leaf_numbers(), otherwise = leaf_number(-1, 1)),
    shares_by = leaf_text()),
  `repeat` = list(by = leaf_texts()),
  waits = list(nth = leaf_whole(2, 100), clock = leaf_choice(names(clocks)), by = leaf_text()),
  new = list(clock = leaf_choice(names(clocks)), lookback = leaf_whole(0, 10000), unit = leaf_choice(c("periods", "days")), lines = each(leaf_texts()), scope = leaf_choice(c("within", "any")),
      by = leaf_text()),
  sales = list(by = leaf_texts(), during = leaf_texts(), against = leaf_texts(), least_base = leaf_whole(0, 1e6)),
  cohorts = list(clock = leaf_choice(names(clocks)), ages = leaf_choice(c("calendar", "elapsed")), older_within = leaf_whole(0, 1000), by = leaf_texts(),
                 measures = leaf_choices(names(grid_measures)), usual = leaf_choice(names(usual_measures))),
  payback = list(cost = leaf_number(0, 1e9), costs = list(by = leaf_text(), per_customer = leaf_numbers()), spend = list(files = leaf_texts(), period = leaf_text(), amount = leaf_text(),
      by = leaf_columns(),
                 carry_over = leaf_flag()), within = leaf_whole(0, 10000), yearly_discount = leaf_number(0, 10)),
  ranks = list(by = leaf_choice(names(customer_measures)), during = leaf_texts(), within = leaf_texts(), top = leaf_number(0, 1e9), bottom = leaf_number(0, 1e9), unit = leaf_choice(c("customers",
      "percent")),
               ties = leaf_choice(c("competition", "dense", "row")), best = leaf_choice(c("high", "low"))),
  rfm = list(bands = leaf_whole(2, 10), during = leaf_texts(), cuts = list(recency = leaf_ascending(), frequency = leaf_ascending(), monetary = leaf_ascending()),
      monetary = leaf_choice(c("sales", "mean_sales")),
             weights = leaf_amounts(), groups = each(list(recency = leaf_text(), frequency = leaf_text(), monetary = leaf_text()))),
  map = list(during = leaf_texts(), cut = leaf_cut(), top = leaf_whole(0, 1e6)),
  tiers = list(measure = leaf_choice(c("sales", "purchases", "mean_sales")), shares = leaf_numbers(), thresholds = leaf_numbers(), limits = each(leaf_limits()), match = leaf_choice(c("all", "any")),
               during = leaf_texts(), benefits = list(cost = leaf_numbers(), uplift = leaf_amounts())),
  moves = list(periods = leaf_texts(), same_days = leaf_flag(), least_base = leaf_whole(0, 1e6), draws = leaf_whole(20, 1e5)),
  forecast = list(years = leaf_number(0.02, 50), periods = leaf_whole(1, 1000), acquisitions = leaf_amounts(), by = leaf_texts(), within = leaf_number(0, 600), level = leaf_number(0.5,
    0.999), seed = leaf_whole(0, 1e9), cut = leaf_day(),
                  purchases = leaf_choice(names(Filter(\(m) !m$discrete, purchase_models()))), spend = leaf_choice(names(spend_models())),
                  covariates = list(rate = leaf_texts(), dropout = leaf_texts()), penalty = leaf_penalty(), season = leaf_season()),
  outputs = list(folder = leaf_text(), contact = leaf_texts()))

study_required <- c("data", "data: orders", "data: orders: files", "data: orders: columns")

# Checks a parsed study against the schema; `at` is the path of keys so far.
check_study <- function(node, schema, source, at = character()) {
  if (inherits(schema, "study_leaf")) {
    value <- schema$read(node)
    if (inherits(value, "study_wrong")) abort_study(source, at, "Here belongs {schema$wants}.",
                                                 c("x" = "It is {.val {shown}}."), shown = shorten(node), schema = schema)
    return(value)
  }
  if (is.null(node)) return(list())
  if (inherits(schema, "study_each")) {
    if (!is.list(node) || !checkmate::test_names(names(node), type = "unique")) abort_study(source, at, "Here belong names of your own, each with a section.")
    return(lapply(stats::setNames(nm = names(node)), \(key) check_study(node[[key]], schema$schema, source, c(at, key))))
  }
  if (!is.list(node) || is.null(names(node))) abort_study(source, at, "Here belongs a section with the keys {.field {keys}}.", keys = names(schema))
  unknown <- setdiff(names(node), names(schema))
  if (length(unknown) > 0L) {
    abort_study(source, c(at, unknown[[1L]]), "Unknown key {.field {key}}.", c(nearest_hint(unknown[[1L]], names(schema)), "i" = "Known here: {.field {keys}}."),
                key = unknown[[1L]], keys = names(schema))
  }
  out <- lapply(stats::setNames(names(node), names(node)), \(key) check_study(node[[key]], schema[[key]], source, c(at, key)))
  for (path in study_required) {
    keys <- strsplit(path, ": ", fixed = TRUE)[[1L]]
    if (identical(keys[-length(keys)], at) && !utils::tail(keys, 1L) %in% names(node)) abort_study(source, at, "The key {.field {key}} is missing here.", key = utils::tail(keys, 1L))
  }
  out
}

shorten <- function(x) { text <- paste(unlist(x), collapse = ", "); if (nchar(text) > 60L) paste0(substr(text, 1L, 57L), "...") else text }

abort_study <- function(source, at, message, more = character(), ...) {
  line <- line_of_key(source$text, at)
  where <- paste0(source$path, if (!is.na(line)) paste0(", line ", line), if (length(at) > 0L) paste0(" (", paste(at, collapse = ": "), ")"))
  words <- rlang::env(where = where, ...)
  abort_nubrek(c("{.file {where}}: ", paste0(message)) |> paste(collapse = "") |> c(more), "study", line = line, key = at, call = NULL, .envir = words)
}

# The line of a key in block-style YAML, found by indentation; the nearest line above where a part is in flow style.
line_of_key <- function(text, at) {
  from <- 0L
  depth <- -1L
  found <- NA_integer_
  for (key in at) {
    lines <- seq_along(text)[seq_along(text) > from]
    indent <- nchar(sub("^(\\s*).*", "\\1", text[lines]))
    said <- grepl("\\S", text[lines]) & !grepl("^\\s*#", text[lines])
    end <- which(said & indent <= depth)
    if (length(end) > 0L && from > 0L) { keep <- seq_along(lines) < end[[1L]]; lines <- lines[keep]; indent <- indent[keep] }
    name <- sub("^\\s*[\"']?([^\"':#]+?)[\"']?\\s*:(\\s.*)?$", "\\1", text[lines], perl = TRUE)
    hit <- which(name == key & indent > depth)
    if (length(hit) == 0L) return(found)
    found <- from <- lines[[hit[[1L]]]]
    depth <- indent[[hit[[1L]]]]
  }
  found
}
