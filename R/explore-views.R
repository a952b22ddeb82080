# What can be explored: each view is a part of the study whose keys are moved by hand. The numbers
# come by the same way as those of a run, so that a saved study gives them again.

# `knobs(study, ledger)`: what moves; `section(values, study)`: the sections of the study that it
# means; `call(values, study)`: the R call that gives the same; `show(x, values)`: the table, its
# rows picked by the columns `pick`; `drawn(view, x, width)`: its picture, where the table is none
# itself; `behind(x, ledger, study, picked)`: the orders behind a mark;
# `result(study, ledger, kept)`: what is shown, where it is not the part as the study makes it.
explore_view <- function(
  part, title, knobs, section, call, show, pick = character(), drawn = NULL,
  behind = \(x, ledger, study, picked) do.call(rows_behind, c(list(x, ledger), picked)),
  result = \(study, ledger, kept) ask_part(part, study, ledger)
) {
  list(
    part = part, title = title, knobs = knobs, section = section, call = call, show = show,
    pick = pick, drawn = drawn, behind = behind, result = result
  )
}

# `slide`: how far a hand moves it; more can be written.
knob_number <- function(id, label, value, low, high, step = 1, slide = high) {
  list(
    kind = "number", id = id, label = label, value = value, low = low, high = high, step = step,
    slide = max(slide, value)
  )
}
knob_choice <- function(id, label, value, choices) {
  list(kind = "choice", id = id, label = label, value = value, choices = choices)
}
knob_text <- function(id, label, value) list(kind = "text", id = id, label = label, value = value)

clock_knob <- function(value) {
  knob_choice("clock", say("period"), value, c("week", "month", "quarter", "year"))
}

plain_clock <- function(ledger) as.vector(ledger_clock(ledger, NULL))

# A value as it stands in a call.
call_value <- function(x) paste(deparse(x, width.cutoff = 500L), collapse = "")

# A further argument of a call, where there is one.
call_option <- function(name, value) {
  if (is.null(value)) "" else sprintf(", %s = %s", name, call_value(value))
}

explore_views <- function() {
  views <- list(
    explore_cohorts(), explore_map(), explore_tiers(), explore_moves(), explore_payback(),
    explore_counts(), explore_waits(), explore_new(), explore_audience(), explore_value()
  )
  stats::setNames(views, vapply(views, `[[`, "", "part"))
}

explore_cohorts <- function() {
  explore_view(
    "cohorts",
    say("Cohorts"),
    knobs = \(study, ledger) list(
      clock_knob(study$cohorts$clock %||% plain_clock(ledger)),
      knob_choice("measure", say("measure"), "retention", explored_measures(study)),
      knob_number("most", say("cohorts shown"), 18, 3, 60)
    ),
    section = \(values, study) list(cohorts = list(clock = values$clock)),
    call = \(values, study) sprintf(
      "grid_measure(cohort_grid(ledger, %s%s), %s)",
      call_value(values$clock),
      call_option("margin", study$economics$margin_rate),
      call_value(values$measure)
    ),
    show = \(x, values) shaded_grid(grid_measure(x, values$measure), values$most),
    pick = c("cohort", "age")
  )
}

explored_measures <- function(study) {
  known <- names(grid_measures)
  if (is.null(study_margin(study))) known[!grepl("margin|value_to_date", known)] else known
}

explore_map <- function() {
  explore_view(
    "map",
    say("Order map"),
    knobs = \(study, ledger) {
      now <- study$map$cut
      now <- if (length(now) == 2L) as.double(now) else basis_of(order_map(ledger), "cut")
      list(
        knob_number("purchases", say("often from so many purchases"), ceiling(now[[1L]]), 1, 30),
        knob_number(
          "mean_sales", say("large from"), round(now[[2L]], 2), 0, 1e6, 0.01, 4 * now[[2L]]
        ),
        knob_number("top", say("the best"), study$map$top %||% 10L, 0, 1000, 1, 100)
      )
    },
    section = \(values, study) list(map = c(
      list(cut = c(values$purchases, values$mean_sales), top = as.integer(values$top)),
      study$map["during"][!is.null(study$map$during)]
    )),
    call = \(values, study) sprintf(
      "order_map(ledger, cut = c(purchases = %s, mean_sales = %s), top = %s)",
      call_value(values$purchases), call_value(values$mean_sales), call_value(values$top)
    ),
    show = \(x, values) plain_rows(map_profile(x)),
    pick = "region",
    drawn = drawn_map,
    behind = behind_map
  )
}

explore_tiers <- function() {
  explore_view(
    "tiers",
    say("Tiers"),
    knobs = \(study, ledger) {
      shares <- study$tiers$shares %||% c(top = 10, middle = 30, base = 60)
      if (max(shares) <= 1) shares <- 100 * shares
      lapply(seq_along(shares)[-length(shares)], \(i) knob_number(
        paste0("share", i), names(shares)[[i]], shares[[i]], 1, 98
      ))
    },
    section = \(values, study) list(tiers = c(
      list(shares = explored_shares(values, study)),
      study$tiers[intersect(names(study$tiers), c("measure", "during"))]
    )),
    call = \(values, study) sprintf(
      "assign_tiers(ledger, shares = %s%s%s)",
      call_value(explored_shares(values, study)),
      call_option("measure", study$tiers$measure),
      call_option("during", study$tiers$during)
    ),
    show = \(x, values) plain_rows(tier_profile(x)),
    pick = "tier",
    drawn = drawn_tiers
  )
}

# The last tier takes what is left.
explored_shares <- function(values, study) {
  called <- names(study$tiers$shares %||% c(top = 10, middle = 30, base = 60))
  given <- unlist(values[paste0("share", seq_along(called)[-length(called)])], use.names = FALSE)
  if (sum(given) > 99) given <- floor(given * 99 / sum(given))
  stats::setNames(c(given, 100 - sum(given)), called)
}

explore_moves <- function() {
  explore_view(
    "moves",
    say("Moves"),
    knobs = \(study, ledger) {
      years <- format(seq(
        as.Date(format(ledger$history_start, "%Y-01-01")), ledger$as_of, by = "year"
      ), "%Y")
      now <- study$moves$periods %||% utils::tail(years, 2L)
      list(
        knob_choice("from", say("from"), now[[1L]], years),
        knob_choice("to", say("to"), now[[length(now)]], years)
      )
    },
    section = \(values, study) list(
      moves = list(periods = c(values$from, values$to)),
      tiers = study$tiers[intersect(names(study$tiers), c("measure", "shares", "thresholds"))]
    ),
    call = \(values, study) sprintf(
      "tier_moves(ledger, %s%s)", call_value(c(values$from, values$to)),
      call_option("shares", study$tiers$shares)
    ),
    show = \(x, values) plain_rows(x, setdiff(names(x), "step")),
    pick = c("from", "to"),
    drawn = drawn_moves
  )
}

explore_payback <- function() {
  explore_view(
    "payback",
    say("Payback"),
    knobs = \(study, ledger) list(
      knob_number("cost", say("a customer costs"), study$payback$cost %||% 30, 0, 1e5, 0.5, 200),
      margin_knob(study),
      knob_number("within", say("within so many periods"), study$payback$within %||% 12L, 1, 60)
    ),
    section = \(values, study) list(
      economics = with_margin(study, values$margin),
      payback = list(cost = values$cost, within = as.integer(values$within))
    ),
    call = \(values, study) sprintf(
      paste0(
        "cohort_payback(cohort_grid(ledger, margin = %s), cost = %s, together = TRUE, within = %sL)"
      ),
      call_value(values$margin / 100), call_value(values$cost), values$within
    ),
    show = \(x, values) plain_rows(payback_pool(x)),
    pick = "age",
    drawn = drawn_payback,
    behind = behind_payback
  )
}

explore_counts <- function() {
  explore_view(
    "counts",
    say("Number of purchases"),
    knobs = \(study, ledger) list(),
    section = \(values, study) list(),
    call = \(values, study) "order_counts(ledger)",
    show = \(x, values) plain_rows(x),
    pick = "purchases",
    drawn = drawn_counts
  )
}

explore_waits <- function() {
  explore_view(
    "waits",
    say("Waits"),
    knobs = \(study, ledger) list(
      clock_knob(study$waits$clock %||% plain_clock(ledger)),
      knob_number("nth", say("until the purchase number"), study$waits$nth %||% 2L, 2, 20)
    ),
    section = \(values, study) list(
      waits = list(clock = values$clock, nth = as.integer(values$nth))
    ),
    call = \(values, study) sprintf(
      "next_purchase(ledger, nth = %sL, clock = %s)", values$nth, call_value(values$clock)
    ),
    show = \(x, values) plain_rows(x),
    pick = c("cohort", "waited"),
    drawn = drawn_waits
  )
}

explore_new <- function() {
  explore_view(
    "new",
    say("New or returning"),
    knobs = \(study, ledger) list(
      clock_knob(study$new$clock %||% plain_clock(ledger)),
      knob_number(
        "lookback", say("look-back in periods"), study$new$lookback %||% 12L, 0, 120, 1, 36
      )
    ),
    section = \(values, study) list(
      new = list(clock = values$clock, lookback = as.integer(values$lookback))
    ),
    call = \(values, study) sprintf(
      "new_returning(ledger, %s, lookback = %sL)", call_value(values$clock), values$lookback
    ),
    show = \(x, values) plain_rows(x, setdiff(names(x), "reactivation_possible")),
    pick = "period",
    drawn = drawn_new
  )
}

explored_name <- "explored"

explore_audience <- function() {
  explore_view(
    "audiences",
    say("Audience"),
    knobs = \(study, ledger) list(
      knob_text("rule", say("conditions, one a line"), "sales >= 200\nunless(bought(last = 90))")
    ),
    section = \(values, study) list(
      audiences = stats::setNames(list(list(rule = rule_lines(values$rule))), explored_name)
    ),
    call = \(values, study) sprintf(
      "audience(ledger, rule = %s, name = %s)",
      call_value(rule_lines(values$rule)), call_value(explored_name)
    ),
    show = \(x, values) plain_rows(audience_course(one_audience(x, explored_name))),
    pick = "step",
    drawn = drawn_audience,
    behind = behind_audience
  )
}

rule_lines <- function(text) {
  lines <- trim_text(strsplit(text, "\n", fixed = TRUE)[[1L]])
  lines[nzchar(lines)]
}

# A table as it is shown: ready cells, and shades from 0 to 1 where they have some.
plain_rows <- function(x, columns = names(x)) list(kind = "rows", x = x, columns = columns)

shaded_grid <- function(measure, most) {
  rows <- plain_table(measure)
  cohorts <- utils::tail(sort(unique(rows$cohort)), most)
  rows <- rows[rows$cohort %in% cohorts, ]
  kind <- grid_measures[[basis_of(measure, "measure")]]$kind
  ramp <- rows$age > 0L | kind != "share"
  top <- max(rows$value[ramp], 1e-9, na.rm = TRUE)
  rows$shade <- ifelse(ramp, pmax(0, rows$value) / top, 0)
  rows$text <- figure_cell(kind, rows$value)$write(rows$value)
  rows$row <- paste0(
    period_label(rows$cohort, basis_of(measure, "clock")), " (", format_count(rows$size), ")"
  )
  list(kind = "grid", x = rows, columns = sort(unique(rows$age)))
}
