#' Choose customers by a list of conditions
#'
#' Conditions in the order written; all must hold. Each is an R expression over a vocabulary:
#'   * measures of the customer: `purchases`, `orders`, `sales`, `mean_sales`, `first_purchase`,
#'   `last_purchase` (days), `open_gap`, `expected_gap`, `overdue`, `visits_per_year`;
#'   * attributes of the customer and of the first order, as in [customers()], and columns of
#'   results given as `with`: `tier`, `tier_rank`, `to_next` of [assign_tiers()]; `rfm_code`,
#'   `rfm_group`, `rfm_index` and the bands of [score_rfm()]; `quadrant` of [order_map()] (in a
#'   study: those of its sections, and `active`, `expected_purchases`, `expected_sales`, `value`,
#'   `lifetime_value` of its forecast). A column of your own with such a name is called
#'   `customer_tier` (`order_tier`, `product_tier`, by its table) from [open_ledger()] on;
#'   * measures with conditions on lines and a window: `sales(category == "Kits", last = 365)`,
#'   `purchases()`, `mean_sales()`, `units()` (of the mapped quantity), `bought()`, `returned()`,
#'   `days_since()`; windows are `last`
#'   (days up to the as-of day, both included), `from`, `until`, `during`;
#'   * `bought_again(within = 90)`, whether the second purchase came so soon after the first;
#'   * `is_missing(x)`, `number_of(x)` of an attribute that holds numbers;
#'   * days: `month_of()`, `day_of_year()`, `years_since()`, `age_of()` (whole years);
#'   * `in_audience("name")` of `known`;
#'   * contacts, where the ledger has them ([add_contacts()]): `contacted()`, `contacts()` (how
#'   many), `responded()`, `days_since_contact()`, with conditions on `campaign`, `offer` and
#'   `responded` and the same windows: `contacted(campaign == "letter", last = 90)`;
#'   * `agreed()`, or `agreed("post")` where each way of contact has its own, by the `consent` of
#'   [meanings()];
#'   * comparisons, `%in% c()`, `between()`, arithmetic, `&`, `|`, `!`, `all_of()`, `any_of()`,
#'   `none_of()`; `unless(x)` takes away those for whom `x` is true.
#'
#' A condition is true, false or cannot be told, because something is missing; what cannot be told
#' is never true, and is counted. Rules are worked out by this package alone: nothing in them is
#' evaluated by R, so that they may come from a file.
#'
#' @param ledger `[nubrek_ledger]`
#' @param ... Conditions, as expressions.
#' @param rule `[character]` The same as texts, such as those of a study file.
#' @param name `[character(1)]` What the audience is called.
#' @param among `[character]` Only buyers of this part of time, such as `"2025"`. Default: every
#'   customer that the ledger knows, also those without a purchase.
#' @param as_of `[Date(1) | character(1)]` Membership at a past day: only orders and contacts up to
#'   it count, and customers whose first order (or registration, see [meanings()]) came later are
#'   not known; attributes are as they are.
#' @param with `[list]` Results by customer whose columns rules may name: tiers, scores, forecasts.
#' @param known `[list]` Earlier audiences, by names in the list or by their own. Unions and
#'   differences are rules: `in_audience("a") | in_audience("b")`,
#'   `unless(in_audience("b"))`.
#' @return A `nubrek_audience`, one row per member, sorted by id: `customer`, then each measure that
#'   the rule used, under the words of the rule. [audience_course()] has the count while building.
#' @section Errors: `nubrek_error_rule` shows the place in the condition, what is known there and
#'   the nearest word.
#' @examples
#' audience(example_ledger(), sales >= 50, purchases(channel == "Web") > 0, unless(open_gap < 30))
#' @export
audience <- function(
  ledger, ..., rule = character(), name = NULL, among = NULL, as_of = NULL, with = list(),
  known = list()
) {
  check_ledger(ledger)
  throw_unless(checkmate::check_character(rule, any.missing = FALSE), "rule", rlang::current_env())
  check_text(name, null = TRUE)
  throw_unless(
    checkmate::check_list(known, types = "nubrek_audience"), "known", rlang::current_env()
  )
  written <- as.list(substitute(list(...)))[-1L]
  nodes <- unname(c(written, lapply(rule, parse_rule)))
  if (length(nodes) == 0L) {
    abort_nubrek(c(
      "An audience needs a condition.", "i" = "For example {.code sales >= 200}."
    ), "rule")
  }
  lapply(written, check_depth, "")
  text <- c(vapply(written, rule_text, ""), rule)
  then <- if (is.null(as_of)) ledger else ledger_at(ledger, check_day(as_of))
  choose_audience(then, nodes, text, name, among, with, by_own_names(known))
}

# The audience of parsed conditions in a ledger as it is.
choose_audience <- function(
  then, nodes, text, name = NULL, among = NULL, with = list(), known = list(), told = NULL
) {
  population <- audience_population(then, among)
  spoken <- as.character(unlist(lapply(nodes, all.vars)))
  scope <- audience_scope(then, columns_by_customer(then, with, spoken), known)
  ask_lines_once(nodes, text, scope)
  steps <- Map(\(node, words) rule_step(node, words, scope, n_customers(then)), nodes, text)
  course <- count_course(then, steps, text, population, scope$money())
  inside <- which(course$failed == 0L)
  new_result(
    c(list(customer = ledger_ids(then, inside)), used_measures(scope, inside)),
    "audience",
    then,
    rbind(carried(then), told, latest_remark(scope$read_as)),
    basis = list(
      name = name,
      rule = text,
      population = sum(population),
      among = among,
      sales = course$table$sales[[nrow(course$table)]],
      sales_of_all = course$all,
      cannot_be_told = course$unsure
    ),
    course = course$table,
    failed = list(customer = ledger_ids(then), step = course$failed)
  )
}

#' An audience of ids from elsewhere
#'
#' @param ledger `[nubrek_ledger]`
#' @param ids `[character]` Ids of customers, each once or more.
#' @param name `[character(1)]` What the audience is called.
#' @return A `nubrek_audience` (see [audience()]) whose only condition is to be on the list. Ids
#'   that the ledger does not know are counted in its remarks.
#' @section Errors: `nubrek_error_argument` where none of the ids is known.
#' @examples
#' ledger <- example_ledger()
#' invited <- audience_of(ledger, c("P01", "P04", "P09"), "invited")
#' audience(ledger, in_audience("invited"), unless(bought(last = 90)), known = list(invited))
#' @export
audience_of <- function(ledger, ids, name) {
  check_ledger(ledger)
  check_text(name)
  throw_unless(
    checkmate::check_character(as.character(ids), any.missing = FALSE), "ids", rlang::current_env()
  )
  ids <- unique(trim_text(as.character(ids)))
  known <- !is.na(ledger_codes(ledger, ids))
  if (!any(known)) {
    abort_nubrek(c(
      "None of the {length(ids)} ids of {.val {name}} is a customer of the ledger.",
      "x" = "The first is {.val {utils::head(ids, 1L)}}.",
      "i" = "The ledger's ids look like {.val {ledger_ids(ledger, 1L)}}."
    ), "argument")
  }
  listed <- list(data.frame(customer = ids))
  names(listed) <- name
  rule <- sprintf("in_audience(%s)", encodeString(name, quote = "\""))
  lacking <- sum(!known)
  told <- if (lacking > 0L) {
    remark_table("unknown ids", say(
      "%s of the list \u201c%s\u201d %s not known to the ledger, such as %s.",
      n_of(lacking, "id"),
      name,
      if (lacking == 1L) "is" else "are",
      ids[!known][[1L]]
    ))
  }
  choose_audience(ledger, list(parse_rule(rule)), rule, name, known = listed, told = told)
}

# Audiences without a name in the list go by their own.
by_own_names <- function(known) {
  given <- names(known) %||% rep("", length(known))
  own <- vapply(known, \(one) basis_of(one, "name") %||% "", "")
  stats::setNames(known, ifelse(given == "", own, given))
}

# The ledger as it was on a day: only orders and contacts up to it, and of the people only those
# who were known by then.
ledger_at <- function(ledger, day) {
  if (day >= ledger$as_of) return(ledger)
  then <- ledger_slice(ledger, until = day, first = "any")
  if (!is.null(ledger$contacts)) {
    then$contacts <- lapply(ledger$contacts, `[`, ledger$contacts$day <= as.integer(day))
  }
  then$unknown_then <- unknown_at(ledger, then, day)
  then
}

# Whose first order came after the day, and nobody says that they were there before; or who came to
# be registered after it.
unknown_at <- function(ledger, then, day) {
  ids <- ledger_ids(then)
  ordered <- reduce_customers(ledger)$orders[ledger_codes(ledger, ids)] > 0L
  by_then <- reduce_customers(then)$orders > 0L
  column <- ledger$meaning$registered
  registered <- if (!is.null(column)) attribute_day(ledger, column)[ledger_codes(ledger, ids)]
  registered <- registered %||% rep(as.Date(NA), length(ids))
  !by_then & ifelse(is.na(registered), ordered, registered > day)
}

audience_population <- function(ledger, among) {
  if (is.null(among)) return(!(ledger$unknown_then %||% logical(n_customers(ledger))))
  reduce_span(ledger, read_during(among, ledger, "among"), all = FALSE)$purchases > 0L
}

# Columns of results by customer, in the order of the ledger's customers; those that nobody speaks
# of have their name only.
columns_by_customer <- function(ledger, results, spoken = NULL, call = rlang::caller_env()) {
  columns <- list()
  for (result in results) {
    if (!is.data.frame(result) || !"customer" %in% names(result)) {
      abort_nubrek("{.arg with} must be results by customer.", "argument", call = call)
    }
    result <- with_rule_words(result)
    fresh <- setdiff(names(result), c("customer", names(columns)))
    columns[fresh] <- list(NULL)
    fresh <- intersect(fresh, spoken %||% fresh)
    if (length(fresh) == 0L) next
    codes <- rev(ledger_codes(ledger, result$customer))
    known <- !is.na(codes)
    place <- rep(NA_integer_, n_customers(ledger))
    place[codes[known]] <- rev(seq_along(codes))[known]
    columns[fresh] <- lapply(plain_table(result)[fresh], `[`, place)
  }
  columns
}

# What rules call the columns of a result, where that is not what the result does: short names are
# left to the columns of users (definition 62).
rule_words <- list(
  nubrek_tiers = c(rank = "tier_rank"),
  nubrek_rfm = c(code = "rfm_code", index = "rfm_index", group = "rfm_group"),
  nubrek_map = c(region = "quadrant")
)

with_rule_words <- function(result) {
  words <- rule_words[[intersect(class(result), names(rule_words))[1L]]]
  result <- plain_table(result)
  place <- match(names(words), names(result))
  names(result)[place[!is.na(place)]] <- words[!is.na(place)]
  result
}

# One condition: for whom it holds, whether it takes away, and what it was read from.
rule_step <- function(node, text, scope, n) {
  scope$text <- text
  away <- is.call(node) && identical(node[[1L]], quote(unless))
  if (away) {
    if (length(node) != 2L || !is.null(names(node))) {
      abort_rule(scope, "unless", "{.code unless} takes one condition.")
    }
    node <- node[[2L]]
  }
  truth <- rule_truth(node, scope, n)
  list(away = away, truth = truth$x, from = truth$from)
}

# The count while building (definition 44), and for each customer the first condition not met.
count_course <- function(ledger, steps, text, population, money) {
  counted <- cpp_count_steps(
    lapply(steps, `[[`, "truth"), vapply(steps, `[[`, NA, "away"), population, money,
    reading_threads()
  )
  read_from <- vapply(steps, \(step) paste(step$from, collapse = ", "), "")
  table <- data.frame(
    step = seq_along(steps),
    condition = text,
    customers = counted$customers,
    share = counted$customers / max(1L, sum(population)),
    sales = major(ledger, counted$money),
    taken_away = counted$taken,
    alone = counted$alone,
    cannot_be_told = counted$cannot_tell,
    missing = ifelse(counted$cannot_tell > 0L, read_from, "")
  )
  list(
    table = table,
    failed = counted$failed,
    unsure = counted$unsure,
    all = major(ledger, sum(money[population]))
  )
}

# What the rule worked out, for the members.
used_measures <- function(scope, codes) {
  used <- mget(sort(ls(scope$seen)), envir = scope$seen)
  lapply(used, \(value) {
    x <- if (is.factor(value$x)) as.character(value$x) else value$x
    x[codes]
  })
}

#' The count of an audience while it was built
#'
#' @param audience `[nubrek_audience]` From [audience()].
#' @return A `nubrek_course`, one row per condition in the order written: `step`, `condition`;
#'   `customers` left and their `sales`; `share` of the population; `taken_away` by it; `alone`, for
#'   how many of the population it holds by itself; `cannot_be_told`, of how many it cannot,
#'   and what was `missing`. The last row is the audience.
#' @examples
#' audience_course(audience(example_ledger(), sales >= 50, unless(first_channel == "Web")))
#' @export
audience_course <- function(audience) {
  throw_unless(
    checkmate::check_class(audience, "nubrek_audience"), "audience", rlang::current_env()
  )
  side_table(attr(audience, "course"), "audience_course", audience)
}

#' Who joined and who left an audience
#'
#' @param now,before `[nubrek_audience]` Of one ledger: the same rule at two days, or two rules.
#' @param ledger `[nubrek_ledger]` The ledger they were chosen from.
#' @return A `nubrek_audience_changes`: `change` (`"joined"`, `"stayed"`, `"left"`), `customers`,
#'   `sales` to date; of those who left one row for each `because`, the first condition that is no
#'   longer met. The attribute `who` has each customer with the change.
#' @examples
#' ledger <- example_ledger()
#' now <- audience(ledger, purchases >= 2)
#' audience_changes(now, audience(ledger, purchases >= 2, as_of = "2024-06-30"), ledger)
#' @export
audience_changes <- function(now, before, ledger) {
  for (one in list(now, before)) {
    throw_unless(
      checkmate::check_class(one, "nubrek_audience"), "now, before", rlang::current_env()
    )
  }
  check_ledger(ledger)
  ids <- sort(union(now$customer, before$customer), method = "radix")
  change <- ifelse(
    !ids %in% before$customer, "joined", ifelse(ids %in% now$customer, "stayed", "left")
  )
  because <- ifelse(change == "left", reason_for(now, ids), "")
  rows <- unique(data.table(
    change = c("joined", "stayed", if (!any(change == "left")) "left"), because = ""
  ))
  left <- c(basis_of(now, "rule"), outside_population(now))
  left <- left[left %in% because[change == "left"]]
  rows <- rbind(rows, data.table(change = rep("left", length(left)), because = left))
  place <- match(paste(change, because), paste(rows$change, rows$because))
  money <- reduce_customers(ledger)$sales[ledger_codes(ledger, ids)]
  sums <- cpp_group_sums(as.double(money), place, 0L, nrow(rows))
  new_result(
    list(
      change = rows$change,
      because = rows$because,
      customers = sums$rows,
      sales = major(ledger, sums$sums)
    ),
    "audience_changes",
    ledger,
    carried(ledger),
    basis = list(name = basis_of(now, "name"), days = c(basis_of(before, "as_of"), ledger$as_of)),
    who = data.frame(
      customer = ids, change = change, because = because, sales = major(ledger, money)
    )
  )
}

# The first condition of an audience that each of these customers does not meet.
reason_for <- function(audience, ids) {
  failed <- attr(audience, "failed")
  step <- failed$step[match(ids, failed$customer)]
  ifelse(is.na(step), outside_population(audience), c("", basis_of(audience, "rule"))[step + 1L])
}

outside_population <- function(audience) {
  among <- basis_of(audience, "among")
  if (is.null(among)) return("not in the ledger")
  paste("did not buy in", paste(among, collapse = " to "))
}
