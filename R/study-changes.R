# What has changed since an earlier run, and through what (definition 57).

#' What has changed since the run before
#'
#' Each number of both runs, and its change in four parts that add up to it: **definitions** (of
#' the study or the code), **corrected** (orders dated up to the earlier day that are known
#' otherwise today: late, changed, cancelled), **time** (the as-of day moved on: ages completed,
#' windows moved), **new_orders** (later than the earlier day).
#'
#' @param now `[nubrek_run | character(1) | nubrek_study]` A run, or a study that is opened.
#' @param before `[character(1)]` The name of a kept run (see [kept_runs()]); default the newest one
#'   that is not this run itself.
#' @param folder `[character(1)]` The folder of results that keeps the runs; default the study's.
#' @return A `nubrek_changes`, one row per number and group: `number` (`"customers"` with a
#'   purchase, `"purchases"`, net `"sales"`, `"mean_sales"` of a purchase, the repeat `"rate"`,
#'   `"back_soon"`, a second purchase within 90 days among those whose first lies 90 days back or
#'   more, `"active"`, with a purchase in the last 90 days, `"year_sales"`, net sales of the last
#'   365), `by`, `group` (missing for all customers), `kind` (`"count"`, `"money"`, `"share"`),
#'   `before`, `now`, `change`; `definitions`, `corrected`, `time`, `new_orders`, which add up to
#'   `change`; `lower`, `upper`, the 95 % interval of the change over the customers of either run
#'   (delta method; a sum's by the squares of its changes); `beyond`, does it leave out 0?;
#'   `customers`, who moved it. Where the data of then are not at hand, or cannot be read by
#'   today's study, and the definitions or the code have changed, `definitions` is missing and its
#'   part lies in `corrected`. [rows_behind()] has the orders of those who moved a number.
#' @section Errors: `nubrek_error_unidentified`: there is no earlier run, or it counts another
#'   currency. `nubrek_error_runs`: there is no run of that name.
#' @examples
#' \donttest{
#' folder <- tempfile("shop")
#' dir.create(folder)
#' orders <- data.frame(
#'   who = c("A", "A", "B"), day = c("2024-01-05", "2024-02-09", "2024-02-11"), paid = c(5, 8, 4)
#' )
#' write.csv(orders, file.path(folder, "orders.csv"), row.names = FALSE)
#' study <- file.path(folder, "study.yaml")
#' writeLines(c(
#'   "data: {orders: {files: orders.csv, columns: {customer: who, date: day, sales: paid}}}",
#'   "meanings: {currency: EUR}",
#'   "outputs: {report: no}"
#' ), study)
#' run_study(study)
#' orders <- rbind(orders, data.frame(who = "B", day = "2024-03-02", paid = 6))
#' write.csv(orders, file.path(folder, "orders.csv"), row.names = FALSE)
#' compare_runs(study)
#' }
#' @export
compare_runs <- function(now, before = NULL, folder = NULL) {
  if (is.character(now)) now <- read_study(now)
  throw_unless(
    checkmate::check_multi_class(now, c("nubrek_run", "nubrek_study")), "now",
    rlang::current_env()
  )
  check_text(before, null = TRUE)
  study <- if (inherits(now, "nubrek_run")) now$study else now
  ledger <- if (inherits(now, "nubrek_run")) now$ledger else open_study_ledger(study)
  record <- earlier_run(study, ledger, results_folder(study, folder), before)
  changes_since(study, ledger, record)
}

# The named run, or the newest that is not today's own.
earlier_run <- function(study, ledger, folder, name = NULL, call = rlang::caller_env()) {
  known <- known_runs(folder)
  called <- vapply(known, \(one) basename(one$path), "")
  if (!is.null(name)) {
    if (!name %in% called) {
      abort_nubrek(c(
        "There is no kept run {.val {name}}.", nearest_hint(name, called),
        "i" = "Those in {.file {folder}}: {.val {called}}."
      ), "runs", call = call)
    }
    return(known[[match(name, called)]])
  }
  own <- list(
    as_of = format(ledger$as_of),
    sums = as_sums(sums_of_people(change_people(ledger, change_groups(study))))
  )
  other <- Filter(\(one) !same_numbers(one, own), known)
  if (length(other) == 0L) {
    abort_nubrek(c(
      "There is no earlier run to compare with.",
      "i" = "Every {.code nubrek run} keeps one, unless the study says {.code outputs: runs: no}."
    ), "unidentified", call = call)
  }
  other[[length(other)]]
}

changes_since <- function(study, ledger, record, call = rlang::caller_env()) {
  if (!identical(c(record$currency, record$decimals), c(ledger$currency, ledger$decimals))) {
    abort_nubrek(c(
      "The run of {record$as_of} counts in {record$currency %||% 'no currency'}.",
      "x" = "Today's counts in {ledger$currency %||% 'no currency'}."
    ), "unidentified", call = call)
  }
  by <- change_groups(study)
  people <- people_of_levels(study, ledger, record, by)
  columns <- change_columns(people, ledger$decimals)
  told <- is.na(columns$definitions) & !is.na(columns$change)
  new_result(
    columns,
    "changes",
    ledger,
    rbind(
      carried(ledger),
      if (any(told)) {
        remark_table("definitions", say(paste0(
          "Definitions or code have changed, and the data of then are not at hand as the study ",
          "reads them: that part lies in \u201ccorrected\u201d."
        )))
      },
      if (isTRUE(record$erased > 0)) {
        remark_table("erased", say(
          "%s erased since, on request: in neither of the two runs.",
          n_of(record$erased, "customer")
        ))
      },
      later_remark(record, ledger),
      young_remark(columns)
    ),
    basis = list(
      since = as.Date(record$as_of), run = basename(record$path), kinds = change_kinds
    ),
    people = people[c("before", "now")]
  )
}

change_kinds <- c(
  before = "decimal", now = "decimal", change = "decimal", definitions = "decimal",
  corrected = "decimal", time = "decimal", new_orders = "decimal", lower = "decimal",
  upper = "decimal"
)

later_remark <- function(record, ledger) {
  if (as.Date(record$as_of) <= ledger$as_of) return(NULL)
  remark_table("as of", say(
    "The data end on %s, before those of the earlier run (%s).",
    format_day(ledger$as_of), format_day(as.Date(record$as_of))
  ))
}

young_remark <- function(columns) {
  at <- \(number) which(columns$number == number & is.na(columns$by))
  if (!isTRUE(columns$change[at("customers")] > 0) || !isTRUE(columns$new_orders[at("rate")] < 0)) {
    return(NULL)
  }
  remark_table("repeat rate", say(paste0(
    "Customers won since have had little time to come back, and draw the repeat rate down; ",
    "\u201cagain in %d days\u201d counts those who had it."
  ), soon_days))
}

# The customers at each of the five levels of the definition; a level that cannot be had is missing.
people_of_levels <- function(study, ledger, record, by) {
  then <- as.Date(record$as_of)
  same <- identical(record$definitions, definitions_of(study)) && identical(record$code, code_of())
  before <- run_people(record)
  known <- if (then < ledger$as_of) {
    ledger_slice(ledger, until = then, first = "any")
  } else {
    ledger
  }
  aged <- known
  aged$as_of <- ledger$as_of
  list(
    before = before,
    defined = if (same) before else people_of_then(study, record, by),
    corrected = change_people(known, by),
    aged = change_people(aged, by),
    now = change_people(ledger, by)
  )
}

people_of_then <- function(study, record, by) {
  if (length(record$data) == 0L) return(NULL)
  then <- study_of_then(study, record)
  if (is.null(then)) return(NULL)
  tryCatch(change_people(open_study_ledger(then), by), nubrek_error = \(e) NULL)
}

change_columns <- function(people, decimals) {
  levels <- lapply(people, \(one) if (!is.null(one)) sums_of_people(one))
  rows <- unique(rbindlist(lapply(levels, \(x) x[, c("number", "by", "level")])))
  # a grouping that was not asked for then has no change
  there <- \(one) is.na(rows$by) | paste0("by_", rows$by) %in% names(one)
  rows <- rows[there(people$before) & there(people$now)]
  ratio <- rows$number %in% ratio_numbers()
  values <- lapply(levels, \(sums) {
    if (is.null(sums)) return(rep(NA_real_, nrow(rows)))
    found <- sums[rows, on = c("number", "by", "level")]
    # who is not there adds nothing; of nobody no ratio is known
    ifelse(
      ratio,
      ifelse(found$below > 0, found$top / found$below, NA),
      ifelse(is.na(found$top), 0, found$top)
    )
  })
  missing <- is.null(people$defined)
  numbers <- change_numbers()
  kind <- vapply(numbers[rows$number], `[[`, "", "kind", USE.NAMES = FALSE)
  unit <- ifelse(kind == "money", 10^decimals, 1)
  noise <- change_noise(rows, people$before, people$now, numbers)
  v <- lapply(values, `/`, unit)
  defined <- if (missing) v$before else v$defined
  change <- v$now - v$before
  list(
    number = rows$number,
    by = rows$by,
    group = rows$level,
    kind = kind,
    before = v$before,
    now = v$now,
    change = change,
    definitions = if (missing) rep(NA_real_, nrow(rows)) else v$defined - v$before,
    corrected = v$corrected - defined,
    time = v$aged - v$corrected,
    new_orders = v$now - v$aged,
    lower = change - stats::qnorm(0.975) * noise$error / unit,
    upper = change + stats::qnorm(0.975) * noise$error / unit,
    beyond = abs(change) > stats::qnorm(0.975) * noise$error / unit,
    customers = noise$customers
  )
}

# The standard error of each change, and how many customers moved it.
change_noise <- function(rows, before, now, numbers) {
  ids <- union(before$customer, now$customer)
  counted <- setdiff(unlist(lapply(numbers, `[`, c("top", "below"))), NA)
  before <- people_on(before, ids)
  now <- people_on(now, ids)
  each <- Map(\(number, by, level) {
    one <- numbers[[number]]
    inside <- \(people) {
      if (is.na(by)) return(people[counted])
      column <- paste0("by_", by)
      here <- people[[column]] %in% level
      lapply(people[counted], \(x) x * here)
    }
    a <- inside(now)
    b <- inside(before)
    moved <- a[[one$top]] != b[[one$top]]
    if (!is.null(one$below)) moved <- moved | a[[one$below]] != b[[one$below]]
    list(error = sqrt(sum(change_shares(one, a, b)^2)), customers = sum(moved))
  }, rows$number, rows$by, rows$level)
  list(
    error = vapply(each, `[[`, 0, "error", USE.NAMES = FALSE),
    customers = vapply(each, `[[`, 0L, "customers", USE.NAMES = FALSE)
  )
}

# The orders of those who moved the numbers.
#' @export
rows_behind.nubrek_changes <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  numbers <- change_numbers()
  ids <- union(attr(result, "people")$before$customer, attr(result, "people")$now$customer)
  people <- lapply(attr(result, "people"), people_on, ids)
  moved <- logical(length(ids))
  for (i in seq_len(nrow(picked))) {
    one <- numbers[[picked$number[[i]]]]
    at <- \(rows) rows[[paste0("by_", picked$by[[i]])]] %in% picked$group[[i]]
    here <- if (is.na(picked$by[[i]])) TRUE else at(people$now) | at(people$before)
    for (column in c(one$top, one$below)) {
      moved <- moved | here & people$now[[column]] != people$before[[column]]
    }
  }
  codes <- ledger_codes(ledger, ids[moved])
  orders_of(ledger, codes[!is.na(codes)])
}
