#' First-purchase cohorts: who came when, and what they did since
#'
#' One row per cohort and observed age. A cell after the as-of day is not there; zero means that it
#' was observed and nobody came.
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Width of cohorts and ages: `"week"`, `"month"`, `"quarter"`,
#'   `"year"` or `"day"`; default the ledger's.
#' @param ages `[character(1)]` `"calendar"` (default): calendar periods since the one of the first
#'   purchase. `"elapsed"`: the customer's own time since the first purchase, months by anniversary
#'   (31 January + 1 month is the last of February), weeks of 7 days, quarters of 3 and years of 12
#'   such months.
#' @param by `[character]` Customer attributes, see [customers()]: the cohorts of each of their
#'   values side by side; `"(missing)"` is one of them. An attribute called like a column of the
#'   grid becomes `..._group`, such as `age_group`.
#' @param margin `[numeric(1) | nubrek_margin]` Margin by sales, or [margin_rates()]. Default the
#'   ledger's own cost; where that is not known there is no margin, only sales.
#' @param older_within `[integer(1)]` Cohorts starting within this many periods of the history's
#'   start may hold customers from before it. Default: the first number of periods within which 90 %
#'   of the observed gaps between purchases had ended, at least 1.
#' @return A `nubrek_grid`, sorted by group, cohort and age: the columns of `by`; `cohort`, `period`
#'   `[Date]`, first days of periods (`period` is missing for elapsed ages, which begin on a
#'   different day for each customer); `age` `[integer]`; `size`, customers of the cohort;
#'   `customers` active at this age; `still_active`, active at this age or later; `orders`,
#'   `purchases`; `sales` in major units, net; `margin`, where it is known; `complete`, whether all
#'   of the age was observed for all of the cohort; `older`, whether the cohort may hold older
#'   customers. Invariants: `customers == size` at age 0; sizes add up to the customers with a
#'   purchase; sales and those without a cohort add up to the ledger.
#' @examples
#' cohort_grid(example_ledger(), clock = "quarter")
#' cohort_grid(
#'   example_ledger(), clock = "quarter", ages = "elapsed", by = "first_channel", margin = 0.45
#' )
#' @export
cohort_grid <- function(
  ledger, clock = NULL, ages = "calendar", by = NULL, margin = NULL, older_within = NULL
) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  check_choice(ages, c("calendar", "elapsed"))
  throw_unless(
    checkmate::check_character(
      by, any.missing = FALSE, min.len = 1L, unique = TRUE, null.ok = TRUE
    ),
    "by",
    rlang::current_env()
  )
  check_whole(older_within, lower = 0L, null = TRUE)
  check_purchases(ledger)
  by <- meant_attributes(ledger, by)
  unpaid <- never_paid(ledger, clock, by)
  cells <- reduce_cells(ledger, clock, ages == "elapsed", by, margin)
  if (!is.null(by)) names(cells$labels) <- group_names(by, grid_columns)
  early <- older_within %||% usual_gap(ledger, clock)
  position <- if (ages == "elapsed") elapsed_cells(cells, ledger, clock) else calendar_cells(cells)
  pick <- function(m) m[cbind(position$row, position$place)]
  finer <- 10^(ledger$decimals + (cells$margin_digits %||% 0L))
  columns <- columns_of_cells(ledger, cells, position, pick, clock, early, finer)
  new_grid(
    columns,
    ledger,
    rbind(
      carried(ledger, c("as of", "history start")),
      grid_remarks(columns, clock, ages, cells$frame, early),
      no_cohort_remark(ledger, cells$sales$outside),
      never_paid_remark(unpaid),
      margin_remark(cells$margin_words)
    ),
    list(
      clock = clock,
      ages = ages,
      by = names(cells$labels),
      attributes = by,
      older_within = early,
      margin = cells$margin_words,
      margin_digits = cells$margin_digits,
      no_cohort = major(ledger, cells$sales$outside),
      never_paid = unpaid
    ),
    scatter_of(cells, pick, 10^ledger$decimals, finer)
  )
}

# A row for each cell that can be observed; rows of cells are cohorts, group after group.
columns_of_cells <- function(ledger, cells, at, pick, clock, within, finer) {
  n <- length(cells$cohorts)
  number <- cells$cohorts[(at$row - 1L) %% n + 1L]
  early <- number - cells$frame$number[[1L]]
  c(
    lapply(cells$labels, \(x) x[(at$row - 1L) %/% n + 1L]),
    list(
      cohort = period_start(number, clock),
      age = at$age,
      period = at$period,
      size = cells$size[at$row],
      customers = pick(cells$customers),
      still_active = pick(from_here_on(cells$last)),
      orders = pick(cells$sales$orders),
      purchases = pick(cells$purchases),
      sales = major(ledger, pick(cells$sales$sums))
    ),
    if (!is.null(cells$margin)) list(margin = pick(cells$margin$sums) / finer),
    list(complete = at$complete, older = early >= 0L & early < within)
  )
}

# `scatter` has a row per cell with the sums of squares that intervals of money need; a ready table
# does not know them.
new_grid <- function(columns, ledger, said, basis, scatter = NULL) {
  new_result(
    columns,
    "grid",
    ledger,
    said,
    basis,
    scatter = if (!is.null(scatter)) cbind(cell_key(columns, basis$by), scatter)
  )
}

# The rows of the scatter for cells, by what they are and not by where they stand.
scatter_for <- function(grid, cells) {
  scatter <- attr(grid, "scatter")
  key <- \(table) do.call(paste, c(
    lapply(as.list(table)[c(basis_of(grid, "by"), "cohort", "age")], as.character), sep = "\r"
  ))
  if (!is.null(scatter)) {
    scatter[
      match(key(cells), key(scatter)),
      setdiff(names(scatter), c(basis_of(grid, "by"), "cohort", "age"))
    ]
  }
}

# The 95 % interval of a mean over customers, given the sum of the squares of what each brought.
mean_interval <- function(mean, squares, size) {
  half <- stats::qnorm(0.975) * sqrt(pmax(0, squares / size - mean^2) / pmax(1, size - 1))
  list(lower = mean - half, upper = mean + half)
}

cell_key <- function(columns, by) as.data.frame(columns[c(by, "cohort", "age")], optional = TRUE)

scatter_of <- function(cells, pick, unit, margin_unit) {
  result <- list(
    squares = pick(cells$sales$squares) / unit^2,
    with_first = pick(cells$sales$with_first) / unit^2,
    running = pick(cells$sales$running) / unit^2
  )
  if (!is.null(cells$margin)) {
    result <- c(result, list(margin_running = pick(cells$margin$running) / margin_unit^2))
  }
  as.data.frame(result)
}

# The observed cells: every period from the cohort's own on.
calendar_cells <- function(cells) {
  line <- which(cells$size > 0L)
  frame <- cells$frame
  mine <- cells$cohorts[(line - 1L) %% length(cells$cohorts) + 1L] - frame$number[[1L]] + 1L
  from <- pmax(1L, mine)
  n <- length(frame$number) - from + 1L
  place <- sequence(n, from)
  list(
    row = rep(line, n),
    place = place,
    age = place - rep(mine, n),
    period = frame$start[place],
    complete = !frame$partial[place]
  )
}

# An age is there once the first of the cohort has begun it, and complete once the last has
# completed it. Ages before the history (of customers known earlier) were not observed.
elapsed_cells <- function(cells, ledger, clock) {
  line <- which(cells$size > 0L)
  oldest <- cells$oldest[line]
  youngest <- cells$youngest[line]
  starts <- as.integer(ledger$history_start)
  until <- as.integer(ledger$as_of)
  from <- pmax(0L, elapsed_age(youngest, starts, clock))
  whole_from <- ifelse(oldest >= starts, 0L, elapsed_age(oldest, starts - 1L, clock) + 1L)
  whole_to <- elapsed_age(youngest, until + 1L, clock) - 1L
  n <- elapsed_age(oldest, until, clock) - from + 1L
  age <- sequence(n, from)
  list(
    row = rep(line, n),
    place = age + 1L,
    age = age,
    period = rep(as.Date(NA), length(age)),
    complete = age >= rep(whole_from, n) & age <= rep(whole_to, n)
  )
}

# Sums from each column on to the last.
from_here_on <- function(m) {
  for (j in rev(seq_len(ncol(m) - 1L))) {
    m[, j] <- m[, j] + m[, j + 1L]
  }
  m
}

# The first number of periods within which 90 % of the gaps between purchases had ended, at least 1.
usual_gap <- function(ledger, clock, share = 0.9, until = ledger$as_of) {
  # nobody can be older than what is known
  if (!is.null(ledger$meaning$first_purchase_known)) return(0L)
  gaps <- reduce_gap_counts(ledger, clock, until)
  if (sum(gaps) == 0L) return(1L)
  max(1L, which(cumsum(gaps) >= share * sum(gaps))[[1L]] - 1L)
}

grid_remarks <- function(columns, clock, ages, frame, within) {
  partial <- frame$start[frame$partial]
  older <- length(unique(columns$cohort[columns$older]))
  idle <- sum(columns$customers == 0L & columns$sales != 0)
  rbind(
    if (length(partial) > 0L) {
      remark_table("partial period", say(
        "The data cover %s only in part%s",
        paste(period_label(partial, clock), collapse = " and "),
        if (ages == "elapsed") "." else ". Shares and averages at the bottom leave out such cells."
      ))
    },
    if (ages == "elapsed") {
      remark_table("elapsed ages", say(paste0(
        "Ages in elapsed %ss since each customer's first purchase; an age that not all of a ",
        "cohort have completed is partial."
      ), clock))
    },
    if (older > 0L) {
      remark_table("older cohorts", say(
        "The first %s, within %s of the history's start, may hold customers from before it.",
        if (older == 1L) "cohort" else n_of(older, "cohort"),
        n_of(within, clock)
      ))
    },
    if (idle > 0L) {
      remark_table(
        "returns only", say("%s with nobody active but money: returns.", n_of(idle, "cell"))
      )
    }
  )
}

no_cohort_remark <- function(ledger, outside) {
  if (outside != 0) {
    remark_table("no cohort", say(
      "%s %s of sales belong to no cohort: customers without a purchase, or before their first.",
      written(major(ledger, outside), format = "f", digits = ledger$decimals, big.mark = "\u202f"),
      ledger$currency
    ))
  }
}

margin_remark <- function(words) {
  if (!is.null(words)) {
    remark_table("margin", say("Margin: %s.", words))
  }
}
