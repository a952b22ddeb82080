# Parts about repeat buying.

repeat_parts <- list(
  study_part(
    "repeat",
    "how many customers come back",
    "repeat",
    make = \(study, ledger) repeat_rate(ledger),
    figure = rates_height,
    options = "by",
    read = \(x, job, study, ledger) {
      if (is.null(job$by)) x else repeat_rate(ledger, by = words_given(job$by))
    },
    page = \(run) page_rates(run)
  ),
  study_part(
    "by",
    "the repeat rate by the attributes that the study names",
    "repeat",
    make = \(study, ledger) {
      names <- stats::setNames(nm = study[["repeat"]]$by %||% character())
      lapply(names, \(name) repeat_rate(ledger, by = name))
    },
    shown = FALSE,
    page = \(run) page_rates_by(run),
    findings = \(run) findings_rates_by(run),
    remarks = character()
  ),
  study_part(
    "counts",
    "customers by their number of purchases",
    "repeat",
    make = \(study, ledger) order_counts(ledger),
    figure = 6.5
  ),
  study_part(
    "curve",
    "the share who have come back, by days since the first purchase",
    "repeat",
    make = \(study, ledger) waiting_curve(ledger, study$waits$nth %||% 2L, study$waits$by),
    figure = 6.5,
    page = \(run) page_curve(run)
  ),
  study_part(
    "waits",
    "cohorts by the periods waited for the next purchase",
    "repeat",
    make = \(study, ledger) do.call(
      next_purchase, c(list(ledger), settings_of(study, "waits", c("nth", "clock")))
    ),
    figure = \(x) max(4, 2.6 + 0.24 * length(unique(x$cohort))),
    options = "measure",
    measures = \() names(wait_measures),
    read = \(x, job, study, ledger) {
      if (job$verb == "list") ask_part("waiters", study, ledger) else x
    },
    face = \(job) if (is.null(job$measure)) list() else list(measure = job$measure),
    page = \(run) page_waits(run),
    remarks = character()
  ),
  study_part(
    "waiters",
    "who waited how long, and who is not back yet",
    "repeat",
    make = \(study, ledger) do.call(
      waiting_customers, c(list(ledger), settings_of(study, "waits", c("nth", "clock")))
    ),
    wanted = asks_never
  ),
  study_part(
    "gaps",
    "days between purchases of each customer, and who is overdue",
    "repeat",
    make = \(study, ledger) purchase_gaps(ledger),
    figure = 6.5,
    lists = list("overdue.csv" = \(run) contact_list(run, overdue_tail(run))),
    page = \(run) page_gaps(run),
    findings = \(run) findings_gaps(run)
  ),
  study_part(
    "new",
    "new, returning and reactivated customers by period",
    "repeat",
    make = \(study, ledger) do.call(new_returning, c(list(ledger), study$new)),
    figure = 6.5,
    page = \(run) page_new(run),
    findings = \(run) findings_new(run)
  ),
  study_part(
    "sales",
    "where the sales come from",
    "repeat",
    make = \(study, ledger) do.call(
      sales_by, c(list(ledger), with_fields(list(by = sales_from(ledger)), study$sales))
    ),
    figure = 6.5,
    page = \(run) page_sales(run),
    findings = \(run) findings_sales(run)
  ),
  study_part(
    "home",
    "the store where each customer buys most",
    "repeat",
    make = \(study, ledger) {
      do.call(home_store, c(list(ledger), settings_of(study, "stores", c("store", "last"))))
    },
    wanted = \(study) !is.null(study$stores),
    lists = list("home.csv" = \(run) contact_list(run, run$home)),
    remarks = character()
  ),
  study_part(
    "stores",
    "where the customers of each store have gone",
    "repeat",
    make = \(study, ledger) store_losses(
      ledger,
      wanted_key(study, "stores", "before"),
      wanted_key(study, "stores", "now"),
      study$stores$store %||% "channel"
    ),
    wanted = \(study) !is.null(study$stores),
    may_lack = TRUE,
    figure = \(x) 2.6 + 0.36 * min(20L, nrow(x)),
    page = \(run) page_stores(run)
  ),
  study_part(
    "store_clock",
    "the stores on the clock, which opened and which closed",
    "repeat",
    make = \(study, ledger) do.call(
      store_clock, c(list(ledger), settings_of(study, "stores", c("store", "clock")))
    ),
    wanted = \(study) !is.null(study$stores),
    may_lack = TRUE,
    figure = \(x) 2 + 1.5 * ceiling(min(8L, nrow(basis_of(x, "stores"))) / 2)
  ),
  study_part(
    "events",
    "sales in the days of events, against usual days and the time before",
    "repeat",
    make = \(study, ledger) event_sales(ledger),
    wanted = \(study) !is.null(study$events),
    may_lack = TRUE,
    figure = \(x) 2.4 + 0.44 * min(15L, nrow(x)),
    page = \(run) page_events(run)
  ),
  study_part(
    "event_cohorts",
    "customers won in events, and beside them",
    "repeat",
    make = \(study, ledger) event_cohorts(ledger),
    wanted = \(study) !is.null(study$events),
    may_lack = TRUE,
    figure = \(x) 2.6 + 0.3 * nrow(x)
  ),
  study_part(
    "returns",
    "sales before and after returns, by customer",
    "repeat",
    make = \(study, ledger) do.call(customer_returns, c(
      list(ledger, margin = study_margin(study)), settings_of(study, "returns", "best")
    )),
    wanted = \(study) !is.null(study$returns),
    lists = list("returns.csv" = \(run) contact_list(run, run$returns))
  ),
  study_part(
    "returns_by",
    "returns by the attributes that the study names",
    "repeat",
    make = \(study, ledger) {
      names <- stats::setNames(nm = study$returns$by %||% "first_channel")
      lapply(names, \(name) returns_by(ledger, name, study_margin(study)))
    },
    wanted = \(study) !is.null(study$returns),
    shown = FALSE,
    page = \(run) page_returns(run),
    remarks = "returns"
  ),
  study_part(
    "discounts",
    "what becomes of customers by the discount of their first order",
    "repeat",
    make = \(study, ledger) do.call(
      discount_starts, c(list(ledger), settings_of(study, "discounts", c("breaks", "within")))
    ),
    wanted = \(study) !is.null(study$discounts),
    may_lack = TRUE,
    figure = \(x) 2.4 + 0.5 * nrow(x),
    page = \(run) page_discounts(run)
  ),
  study_part(
    "constant_currency",
    "growth as it was, and at the rates of before",
    "repeat",
    make = \(study, ledger) constant_currency(
      ledger,
      wanted_key(study, "constant_currency", "currency"),
      wanted_key(study, "constant_currency", "during"),
      wanted_key(study, "constant_currency", "against")
    ),
    wanted = \(study) !is.null(study$constant_currency),
    may_lack = TRUE,
    figure = \(x) 2.4 + 0.6 * nrow(x),
    page = \(run) page_constant_currency(run)
  ),
  study_part(
    "steps",
    "from the first purchase to the second",
    "repeat",
    make = \(study, ledger) do.call(
      product_steps, c(list(ledger), settings_of(study, "steps", c("by", "basket", "at_least")))
    ),
    wanted = \(study) !is.null(study$steps),
    may_lack = TRUE,
    figure = \(x) 2.2 + 0.36 * min(most_pairs, nrow(x)),
    page = \(run) page_steps(run)
  ),
  study_part(
    "companions",
    "what is bought together",
    "repeat",
    make = \(study, ledger) do.call(
      companion_goods, c(list(ledger), settings_of(study, "steps", c("by", "at_least")))
    ),
    wanted = \(study) !is.null(study$steps),
    may_lack = TRUE,
    figure = \(x) 2.2 + 0.36 * min(most_pairs, nrow(x))
  ),
  study_part(
    "first",
    "after which first goods customers come back",
    "repeat",
    make = \(study, ledger) do.call(
      first_products,
      c(list(ledger), settings_of(
        study, "steps", c("by", "within", "adjust", "basket", "at_least")
      ))
    ),
    wanted = \(study) !is.null(study$steps),
    may_lack = TRUE,
    figure = \(x) 2.2 + 0.36 * min(15L, nrow(x))
  )
)

# Where the sales come from is first of all where they were made.
sales_from <- function(ledger) {
  places <- c("channel", "shop", "store", "branch", "country", "category")
  c(intersect(places, c(line_columns(ledger), attribute_names(ledger))), "cohort")[[1L]]
}
