#' What acquiring a customer cost
#'
#' Per acquired customer, those included who ordered and never paid; or as spend by period (and
#' channel), which is divided by the customers who were new there and then.
#'
#' @param per_customer `[numeric]` Cost of one acquired customer in major units: a number for all,
#'   or one for each value of `by`.
#' @param by For costs per customer `[character(1)]`: a group of the grid, or `"cohort"` with
#'   periods such as `2024-03` as names. For spend `[character]`: columns of the table that are
#'   groups of the grid, `c("group of the grid" = "column of the table")`; default none, so that the
#'   spend of a period is that of all its new customers.
#' @return A `nubrek_cost`, for [cohort_payback()].
#' @examples
#' acquisition_cost(12.50)
#' acquisition_cost(c(Web = 15, Mill = 8), by = "first_channel")
#' acquisition_spend(data.frame(
#'   month = "2024-01", channel = "Web", spend = 1200
#' ), period = "month", amount = "spend", by = c(first_channel = "channel"))
#' @export
acquisition_cost <- function(per_customer, by = NULL) {
  check_text(by, null = TRUE)
  throw_unless(
    checkmate::check_numeric(
      per_customer,
      0,
      any.missing = FALSE,
      finite = TRUE,
      min.len = 1L,
      max.len = if (is.null(by)) 1L,
      names = if (!is.null(by)) "unique"
    ),
    "per_customer",
    rlang::current_env()
  )
  structure(list(per_customer = per_customer, by = by), class = "nubrek_cost")
}

#' @param table `[data.frame | character]` The spend, or the path of a file with it.
#' @param period,amount `[character(1)]` Columns: the period (a day in it, or `2024-03`, `2024 Q2`,
#'   `2024-W05`, `2024`), and the money in the home currency. Periods finer than the cohorts add up.
#' @param carry_over `[logical(1)]` Give spend of a period without new customers to the next cohort
#'   of its channel? Default `FALSE`: it is shown apart.
#' @rdname acquisition_cost
#' @export
acquisition_spend <- function(
  table, period = "period", amount = "spend", by = NULL, carry_over = FALSE
) {
  throw_unless(
    checkmate::check_character(by, any.missing = FALSE, null.ok = TRUE), "by", rlang::current_env()
  )
  throw_unless(checkmate::check_flag(carry_over), "carry_over", rlang::current_env())
  read <- read_source(table)
  check_columns_exist(c(period, amount, unname(by)), names(read$table), read$files[[1L]])
  groups <- read$table[, unname(by), with = FALSE]
  data.table::setnames(groups, if (is.null(names(by))) as.character(by) else names(by))
  structure(list(
    period = read$table[[period]],
    amount = read$table[[amount]],
    groups = lapply(groups, \(x) ifelse(is_blank(x), "(missing)", trim_text(x))),
    carry_over = carry_over,
    named = c(period, amount)
  ), class = "nubrek_cost")
}

# The cost of each cohort of the grid in minor units with `digits` further decimals, and the spend
# that no cohort got.
cohort_costs <- function(cohorts, cost, basis, call = rlang::caller_env()) {
  if (checkmate::test_number(cost, lower = 0, finite = TRUE)) cost <- acquisition_cost(cost)
  if (!inherits(cost, "nubrek_cost")) {
    abort_nubrek(c(paste0(
      "{.arg cost} must be a cost per customer, 0 or more, or come from {.fn acquisition_cost} ",
      "or {.fn acquisition_spend}."
    ), "x" = "It is {.val {cost}}."), "argument", call = call)
  }
  if (is.null(cost$per_customer)) return(spread_spend(cohorts, cost, basis, call))
  each <- each_cost(cohorts, cost, basis, call)
  alone <- never_paid_alone(cohorts, basis)
  if (!is.null(cost$by)) {
    key <- unique(cost_key(
      rbind(cohorts[c(basis$by, "cohort")], alone[c(basis$by, "cohort")]), cost, basis, call))
    unknown <- setdiff(names(cost$per_customer), key)
    if (length(unknown) > 0L) {
      abort_nubrek(c(
        "A cost is given for {.val {unknown[[1]]}}, which is not in the grid.",
        nearest_hint(unknown[[1L]], key)
      ), "cost", values = unknown, call = call)
    }
  }
  acquired <- cohorts$size + never_paid_of(cohorts, basis)
  whole <- whole_rates(each[!is.na(each)] * 10^basis$decimals)
  total <- rep(NA_real_, nrow(cohorts))
  total[!is.na(each)] <- whole$whole * acquired[!is.na(each)]
  alone$amount <- alone$never_paid * round(
    each_cost(alone, cost, basis, call) * 10^(basis$decimals + whole$digits)
  )
  alone$never_paid <- NULL
  list(
    total = total, digits = whole$digits, alone = alone,
    unused = if (nrow(alone) > 0L) alone[!is.na(alone$amount), ]
  )
}

# The groups of each cohort as one, with what those cost who are in a group of their own there.
costs_together <- function(cohorts, costs, scale = 1) {
  cohorts <- cohorts_together(cohorts)
  if (is.null(costs$alone)) return(list(cohorts = cohorts, unused = costs$unused))
  more <- tapply(costs$alone$amount, as.integer(costs$alone$cohort), sum, na.rm = TRUE)
  place <- match(as.integer(names(more)), as.integer(cohorts$cohort))
  here <- !is.na(place)
  cohorts[place[here], total := total + more[here] / scale]
  lost <- !as.integer(costs$unused$cohort) %in% as.integer(cohorts$cohort)
  list(cohorts = cohorts, unused = costs$unused[lost, ])
}

# The cost of one customer of each of these cohorts.
each_cost <- function(cohorts, cost, basis, call) {
  if (is.null(cost$by)) return(rep(cost$per_customer, nrow(cohorts)))
  unname(cost$per_customer[match(
    cost_key(cohorts, cost, basis, call), names(cost$per_customer)
  )])
}

cost_key <- function(cohorts, cost, basis, call) {
  if (cost$by == "cohort") return(period_label(cohorts$cohort, basis$clock))
  group_in_grid(cohorts, cost$by, basis, call)
}

group_in_grid <- function(cohorts, name, basis, call) {
  if (!name %in% basis$by) {
    abort_nubrek(c(
      "The cost is by {.field {name}}, but the grid is not.",
      "i" = paste0(
        "Build it with {.code by = \"{name}\"}; {.code together = TRUE} adds its groups up ",
        "afterwards."
      )
    ), "cost", call = call)
  }
  cohorts[[name]]
}

spread_spend <- function(cohorts, cost, basis, call) {
  meaning <- meanings()
  spend <- data.table::setDT(c(cost$groups, list(
    cohort = ready_periods(cost$period, cost$named[[1L]], basis$clock, meaning, call),
    amount = ready_money(cost$amount, cost$named[[2L]], basis$decimals, meaning, call)
  )))
  ready_fault(spend$amount < 0, cost$named[[2L]], cost$amount, "0 or more", call)
  keys <- c(names(cost$groups), "cohort")
  for (name in names(cost$groups)) {
    group_in_grid(cohorts, name, basis, call)
  }
  spend <- spend[, .(amount = sum(amount)), keyby = keys]
  cells <- as.data.table(cohorts)[, .(new = sum(size)), keyby = keys]
  spend[, new := cells[spend, on = keys, x.new]]
  if (cost$carry_over) spend <- carry_spend(spend, cells, keys)
  line <- spend[as.data.table(cohorts), on = keys]
  list(total = line$amount * line$size / line$new, digits = 0L, unused = as.data.frame(
    spend[is.na(new) & amount > 0, c(keys, "amount"), with = FALSE]
  ))
}

# Spend without new customers goes to the next cohort of its channel; what nobody follows stays.
carry_spend <- function(spend, cells, keys) {
  cells <- cells[, c(keys, "new"), with = FALSE][, to := cohort]
  taker <- cells[spend, on = keys, roll = -Inf, x.to]
  spend[!is.na(taker), cohort := taker[!is.na(taker)]]
  spend <- spend[, .(amount = sum(amount)), keyby = keys]
  spend[, new := cells[spend, on = keys, x.new]][]
}

# People with orders and no purchase cost as much as others, and are in no cohort: how many, by the
# period and the groups of their first order (definition 65). NULL where there are none, and in a
# slice, whose customers may have paid outside of it.
never_paid <- function(ledger, clock, by) {
  if (!is.null(ledger$outside)) return(NULL)
  first <- reduce_never_paid(ledger)
  first <- first[!customer %in% known_before(ledger)]
  if (nrow(first) == 0L) return(NULL)
  groups <- lapply(stats::setNames(nm = by), \(name) {
    line <- sub("^first_", "", name)
    of_order <- startsWith(name, "first_") && line %in% line_columns(ledger)
    values <- if (of_order) {
      with_missing(goods_texts(ledger, line, "first order", first_order_line))
    } else {
      group_of(ledger, name)[[1L]]
    }
    as.character(values)[first$customer]
  })
  names(groups) <- group_names(by, grid_columns)
  people <- data.table::setDT(c(groups, list(
    cohort = period_start(period_number(first$day, clock), clock)
  )))
  people[, .(never_paid = .N), keyby = c(names(people))]
}

# How many of them belong to each of these cohorts (of these groups, others added up).
never_paid_of <- function(cohorts, basis, by = basis$by) {
  if (is.null(basis$never_paid)) return(integer(nrow(cohorts)))
  keys <- c(by, "cohort")
  sums <- basis$never_paid[, .(never_paid = sum(never_paid)), keyby = keys]
  found <- sums[as.data.table(cohorts), on = keys, x.never_paid]
  ifelse(is.na(found), 0L, found)
}

# Those of a period and group without a paying customer.
never_paid_alone <- function(cohorts, basis) {
  keys <- c(basis$by, "cohort")
  none <- cbind(cohorts[0L, keys, drop = FALSE], never_paid = integer())
  if (is.null(basis$never_paid)) return(none)
  as.data.frame(basis$never_paid[!as.data.table(cohorts), on = keys], optional = TRUE)
}

never_paid_remark <- function(people) {
  if (is.null(people)) return(NULL)
  remark_table("never paid", say(
    paste0(
      "%s ordered but never paid. No cohort includes them; they count in the acquisition cost of ",
      "the period of their first order."
    ),
    n_of(sum(people$never_paid), "customer")
  ))
}
