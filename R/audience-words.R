# The words of a rule about customers: measures, attributes, measures with conditions, dates.

# Everything a rule may speak of, for the customers of a ledger as it is. `more` are columns of
# results by customer; `known` are audiences by their names.
audience_scope <- function(ledger, more = list(), known = list()) {
  delayedAssign("m", reduce_customers(ledger))
  measures <- audience_measures(ledger, m)
  attributes <- attribute_makers(ledger)
  attributes <- attributes[setdiff(names(attributes), names(measures))]
  more <- more[setdiff(names(more), c(names(measures), names(attributes)))]
  read_as <- new.env(parent = emptyenv()) # names of lines that were read as the latest order's
  seen <- new.env(parent = emptyenv()) # what was worked out, to be shown beside the members
  keep <- \(name, value) {
    assign(name, value, seen)
    value
  }
  list(
    text = "",
    ledger = ledger,
    money = \() m$sales,
    seen = seen,
    read_as = read_as,
    keep = keep,
    found = new.env(parent = emptyenv()), # what was asked of the lines
    known = known,
    names = c(names(measures), names(attributes), names(more)),
    calls = c(rule_operators, measure_calls, contact_calls, date_calls),
    belongs = \(name) {
      if (name %in% names(ambiguous_words)) return(c("i" = ambiguous_words[[name]]))
      if (!name %in% line_columns(ledger)) return(NULL)
      word <- gsub("([{}])", "\\1\\1", name) # it comes from a file: never let it be a template
      c("i" = paste0(
        "It is of lines, and stands in a measure: {.code purchases(", word, " == \"...\") > 0}."
      ))
    },
    column = \(name) {
      if (name %in% names(measures)) return(keep(name, measures[[name]]()))
      if (name %in% names(attributes)) {
        cells <- attributes[[name]]()
        return(rule_value("text", cells, name, texts_of(ledger, cells, name)))
      }
      latest <- paste0("latest_", name)
      if (latest %in% latest_attributes(ledger) && latest %in% shown_attributes(ledger)) {
        assign(name, latest, read_as)
        cells <- attributes[[latest]]()
        return(rule_value("text", cells, latest, texts_of(ledger, cells, latest)))
      }
      if (name %in% names(more)) keep(name, column_value(more[[name]], name))
    }
  )
}

# A name of the lines, where whole customers are counted.
latest_remark <- function(read_as) {
  names <- ls(read_as)
  if (length(names) == 0L) return(NULL)
  remark_table("latest", say(
    "%s was read as latest_%s, that of each customer's latest order.", names, names
  ))
}

# Short words that could mean several things: what each of these is called.
ambiguous_words <- c(
  rank = paste0(
    "The rank among the tiers is {.field tier_rank}; the best of a ranking are listed by ",
    "{.code nubrek list ranks STUDY}."
  ),
  region = "The quadrant of the order map is {.field quadrant}.",
  score = "Scores are {.field rfm_code}, {.field rfm_group} and {.field rfm_index}.",
  code = "The code of a scoring is {.field rfm_code}.",
  group = "The group of a scoring is {.field rfm_group}."
)

# The texts that an attribute may have: those it has, and of a first order those of its lines.
texts_of <- function(ledger, cells, name) {
  line <- sub("^(first|latest)_", "", name)
  unique(c(
    cells,
    if (line != name && line %in% line_columns(ledger)) line_values(ledger, line)
  ))
}

# Columns of the forecast by the words that rules have for them.
forecast_words <- c(
  active = "active", expected_purchases = "purchases", expected_sales = "sales", value = "value",
  value_lower = "value_lower", value_upper = "value_upper", lifetime_value = "lifetime_value"
)

forecast_columns <- function(forecast) {
  stats::setNames(
    plain_table(forecast)[c("customer", forecast_words)], c("customer", names(forecast_words))
  )
}

# A column of a result as a value of a rule.
column_value <- function(x, name) {
  if (inherits(x, "Date")) return(rule_value("date", x, name))
  if (is.logical(x)) return(rule_value("truth", x, name))
  if (is.numeric(x)) return(rule_value("number", x, name))
  rule_value("text", if (is.factor(x)) factor(x, ordered = FALSE) else as.character(x), name)
}

# Measures of every customer, worked out when they are asked for.
audience_measures <- function(ledger, m = reduce_customers(ledger)) {
  delayedAssign("gaps", audience_gaps(ledger))
  number <- \(name, x) rule_value("number", as.double(x), name)
  day <- \(name, x) rule_value("date", as.Date(x, origin = "1970-01-01"), name)
  per <- \(money, n) ifelse(n > 0L, major(ledger, money) / n, NA_real_)
  list(
    purchases = \() number("purchases", m$purchases),
    orders = \() number("orders", m$orders),
    sales = \() number("sales", major(ledger, m$sales)),
    mean_sales = \() number("mean_sales", per(m$sales, m$purchases)),
    first_purchase = \() day("first_purchase", m$first),
    last_purchase = \() day("last_purchase", m$last),
    open_gap = \() number("open_gap", as.integer(ledger$as_of) - m$last),
    expected_gap = \() number("expected_gap", gaps$expected_gap),
    overdue = \() number("overdue", gaps$overdue),
    visits_per_year = \() number("visits_per_year", gaps$visits_per_year)
  )
}

# The rhythm of every customer, missing for who never bought.
audience_gaps <- function(ledger) {
  columns <- c("expected_gap", "overdue", "visits_per_year")
  none <- stats::setNames(rep(list(rep(NA_real_, n_customers(ledger))), 3L), columns)
  if (reduce_size(ledger)$purchases == 0L) return(none)
  gaps <- purchase_gaps(ledger)
  codes <- ledger_codes(ledger, gaps$customer)
  Map(\(whole, name) replace(whole, codes, gaps[[name]]), none, columns)
}

# `sales(category == "Kits", last = 365)`: line conditions, then a window (definition 42), as a
# question to the lines.
measure_question <- function(parts, scope, name) {
  told <- conditions_and_window(parts, scope, name, scope$ledger$history_start)
  line_question(told$filter, told$span, name == "units", scope$text)
}

# What stands in the brackets of a measure: conditions without a name, and a window, which begins on
# the day `start` unless said.
conditions_and_window <- function(parts, scope, name, start) {
  given <- names(parts) %||% rep("", length(parts))
  windows <- c("last", "from", "until", "during")
  odd <- setdiff(given, c("", windows))
  if (length(odd) > 0L) {
    abort_rule(
      scope,
      odd[[1L]],
      "{.code {name}} has no window {.field {odd[[1]]}}.",
      nearest_hint(odd[[1L]], windows),
      "i" = "Windows are {.field {windows}}; a comparison is written {.code ==}."
    )
  }
  list(filter = unname(parts[given == ""]), span = window_span(
    parts[given != ""], scope, name, start
  ))
}

# What was found of the lines is kept under the words that stand in brackets, so that measures of
# the same lines are worked out once.
asked_of_lines <- function(parts, scope, name) {
  key <- question_key(parts, name)
  if (is.null(scope$found[[key]])) {
    question <- measure_question(parts, scope, name)
    assign(key, reduce_lines(scope$ledger, list(question))[[1L]], scope$found)
  }
  scope$found[[key]]
}

question_key <- function(parts, name) {
  paste(rule_text(as.call(c(list(as.name("of")), parts))), if (name == "units") "units")
}

# All that conditions ask of the lines, in one pass. A question that cannot be asked is left to the
# condition, which says why.
ask_lines_once <- function(nodes, text, scope) {
  questions <- list()
  look <- function(node, words) {
    if (!is.call(node)) return(invisible())
    name <- if (is.symbol(node[[1L]])) as.character(node[[1L]]) else ""
    parts <- as.list(node)[-1L]
    if (name %in% line_measures) {
      scope$text <- words
      scope$depth <- 0L
      key <- question_key(parts, name)
      questions[[key]] <<- tryCatch(measure_question(parts, scope, name), error = \(e) NULL)
    } else {
      lapply(given_parts(parts), look, words)
    }
  }
  Map(look, nodes, text)
  if (length(questions) < 2L) return(invisible())
  answers <- tryCatch(reduce_lines(scope$ledger, questions), nubrek_error = \(e) list())
  for (k in seq_along(answers)) {
    assign(names(questions)[[k]], answers[[k]], scope$found)
  }
}

window_span <- function(window, scope, name, start) {
  ledger <- scope$ledger
  span <- list(from = start, until = ledger$as_of)
  if (length(window) == 0L) return(span)
  if (length(unique(names(window))) < length(window)) {
    abort_rule(scope, name, "{.code {name}} has a window twice.")
  }
  said <- lapply(window, \(node) work_part(node, scope)$x)
  if (!all(lengths(said) == 1L)) abort_rule(scope, name, "A window needs a number or a day.")
  if (!is.null(said$last)) {
    if (length(said) > 1L || !checkmate::test_number(said$last, lower = 1, upper = 1e6)) {
      abort_rule(scope, "last", "{.code last} is a number of days, and stands alone.")
    }
    span$from <- ledger$as_of - floor(said$last) + 1
    return(span)
  }
  if (!is.null(said$during)) {
    if (length(said) > 1L) abort_rule(scope, "during", "{.code during} stands alone.")
    text <- if (is.numeric(said$during)) format(said$during) else said$during
    return(read_during(text, ledger, call = NULL)[c("from", "until")])
  }
  for (end in names(said)) {
    day <- as.Date(as.character(said[[end]]), format = "%Y-%m-%d", optional = TRUE)
    if (is.na(day)) abort_rule(scope, end, "{.code {end}} is a day such as {.code \"2025-03-31\"}.")
    span[[end]] <- day
  }
  span
}

measure_call <- function(type, read) {
  function(parts, scope, name) {
    text <- rule_text(as.call(c(list(as.name(name)), parts)))
    value <- rule_value(type, read(asked_of_lines(parts, scope, name), scope$ledger), text)
    if (type == "number") scope$keep(text, value) else value
  }
}

line_measures <- c("sales", "purchases", "mean_sales", "days_since", "units", "bought", "returned")

measure_calls <- list(
  sales = measure_call("number", \(m, ledger) major(ledger, m$sales)),
  purchases = measure_call("number", \(m, ledger) as.double(m$purchases)),
  mean_sales = measure_call("number", \(m, ledger) {
    ifelse(m$purchases > 0L, major(ledger, m$sales) / m$purchases, NA_real_)
  }),
  days_since = measure_call("number", \(m, ledger) as.double(as.integer(ledger$as_of) - m$last)),
  units = measure_call("number", \(m, ledger) m$units),
  bought = measure_call("truth", \(m, ledger) m$purchases > 0L),
  returned = measure_call("truth", \(m, ledger) m$returned > 0L),
  bought_again = \(parts, scope, name) {
    within <- if (identical(names(parts), "within")) work_part(parts[[1L]], scope)$x
    if (!checkmate::test_number(within, lower = 1, upper = 1e6)) {
      abort_rule(scope, name, "{.code {name}} needs days: {.code bought_again(within = 90)}.")
    }
    text <- rule_text(as.call(c(list(as.name(name)), parts)))
    rule_value("truth", back_within(scope$ledger, within), text)
  },
  in_audience = \(parts, scope, name) {
    check_parts(parts, 1L, scope, name)
    wanted <- work_part(parts[[1L]], scope)$x
    if (!wanted[[1L]] %in% names(scope$known)) {
      abort_rule(
        scope,
        as.character(wanted[[1L]]),
        "There is no earlier audience {.val {wanted[[1]]}}.",
        nearest_hint(wanted[[1L]], names(scope$known))
      )
    }
    members <- scope$known[[wanted[[1L]]]]$customer
    rule_value("truth", ledger_ids(scope$ledger) %in% members, wanted[[1L]])
  }
)

# Whether the second purchase came within so many days of the first. Of those not seen so long it
# cannot be told, also where it came already: else the early ones of them alone would be known.
back_within <- function(ledger, days) {
  waits <- reduce_waits(ledger, 2L)
  waited <- waits$nth - waits$first
  seen <- as.integer(ledger$as_of) - waits$first >= days
  truth <- rep(NA, n_customers(ledger))
  truth[waits$code] <- ifelse(seen, !is.na(waited) & waited <= days, NA)
  truth
}

# Days that stand in attributes are text; what is no day cannot be told.
day_of <- function(node, scope, name) {
  value <- work_part(node, scope)
  if (value$type == "text" && !is_constant(value)) {
    text <- as.character(value$x)
    day <- attribute_days(scope$ledger, text, rule_text(node))
    value <- rule_value("date", as.Date(day, origin = "1970-01-01"), value$from)
  }
  wanted_type(value, "date", scope, name, node)
  value
}

date_call <- function(read) {
  function(parts, scope, name) {
    check_parts(parts, 1L, scope, name)
    value <- day_of(parts[[1L]], scope, name)
    rule_value("number", as.double(read(value$x, scope$ledger)), value$from)
  }
}

date_calls <- list(
  month_of = date_call(\(day, ledger) as.POSIXlt(day)$mon + 1L),
  # as in a leap year, so that a birthday is the same number in each
  day_of_year = date_call(\(day, ledger) {
    at <- as.POSIXlt(day)
    c(0L, 31L, 60L, 91L, 121L, 152L, 182L, 213L, 244L, 274L, 305L, 335L)[at$mon + 1L] + at$mday
  }),
  years_since = date_call(\(day, ledger) as.double(ledger$as_of - day) / 365.25),
  age_of = \(parts, scope, name) {
    check_parts(parts, 1L, scope, name)
    value <- work_part(parts[[1L]], scope)
    wanted_type(value, c("text", "date"), scope, name, parts[[1L]])
    age <- age_at(scope$ledger, as.character(value$x), rule_text(parts[[1L]]))
    rule_value("number", age, value$from)
  }
)
