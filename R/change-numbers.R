# The numbers that are compared from run to run. Each is a sum over customers, or the ratio of two
# such sums, so that a change can be laid at the door of people, and its noise be told.

change_number <- function(name, label, kind, top, below = NULL, grouped = FALSE) {
  list(name = name, label = label, kind = kind, top = top, below = below, grouped = grouped)
}

# By name. `top` and `below` are columns of `change_people()`; `grouped` ones stand for each group
# too.
change_numbers <- function() {
  numbers <- list(
    change_number("customers", say("customers"), "count", "bought", grouped = TRUE),
    change_number("purchases", say("purchases"), "count", "purchases"),
    change_number("sales", say("net sales"), "money", "sales", grouped = TRUE),
    change_number("mean_sales", say("mean purchase"), "money", "sales", "purchases"),
    change_number("rate", say("repeat rate"), "share", "again", "bought", grouped = TRUE),
    change_number(
      "back_soon", say("again in %d days", soon_days), "share", "back", "seen", grouped = TRUE
    ),
    change_number("active", say("active, %d days", soon_days), "count", "active"),
    change_number("year_sales", say("sales, 365 days"), "money", "year_sales")
  )
  stats::setNames(numbers, vapply(numbers, `[[`, "", "name"))
}

# The value of a number of which both sums are known, in major units.
value_of_number <- function(one, top, below, decimals) {
  unit <- if (one$kind == "money") 10^decimals else 1
  (if (is.null(one$below)) top else top / below) / unit
}

# Columns of people in the order of `ids`; who is not among them counts nothing.
people_on <- function(people, ids) {
  place <- data.table::chmatch(ids, people$customer)
  lapply(people, \(x) {
    x <- x[place]
    if (is.character(x)) x else replace(x, is.na(x), 0)
  })
}

# Those that are ratios.
ratio_numbers <- function() {
  unlist(lapply(change_numbers(), \(one) if (!is.null(one$below)) one$name))
}

soon_days <- 90L

# Per customer with an order: what the numbers count, money in minor units, and the groups `by`.
change_people <- function(ledger, by = character()) {
  m <- reduce_customers(ledger)
  waits <- reduce_waits(ledger, 2L)
  end <- as.integer(ledger$as_of)
  lately <- \(days) reduce_span(ledger, list(from = end - days + 1L, until = end), all = FALSE)
  n <- n_customers(ledger)
  seen <- back <- integer(n)
  long <- end - waits$first >= soon_days
  seen[waits$code[long]] <- 1L
  back[waits$code[long]] <- as.integer((waits$nth - waits$first)[long] %in% 0:soon_days)
  groups <- lapply(stats::setNames(nm = by), \(name) group_of(ledger, name)[[1L]])
  people <- as.data.table(c(
    list(
      customer = ledger_ids(ledger),
      bought = as.integer(m$purchases > 0L),
      purchases = m$purchases,
      sales = as.double(m$sales),
      again = as.integer(m$purchases > 1L),
      seen = seen,
      back = back,
      active = as.integer(lately(soon_days)$purchases > 0L),
      year_sales = as.double(lately(365L)$sales)
    ),
    stats::setNames(lapply(groups, as.character), sprintf("by_%s", names(groups)))
  ))
  people[m$orders > 0L]
}

# One row for each number and group: the two sums.
sums_of_people <- function(people) {
  of <- function(rows, by, level) {
    numbers <- Filter(\(one) is.na(by) || one$grouped, change_numbers())
    data.table(
      number = names(numbers),
      by = by,
      level = level,
      top = vapply(numbers, \(one) as.double(sum(rows[[one$top]])), 0),
      below = vapply(numbers, \(one) {
        if (is.null(one$below)) NA_real_ else as.double(sum(rows[[one$below]]))
      }, 0)
    )
  }
  groups <- sub("^by_", "", grep("^by_", names(people), value = TRUE))
  rbindlist(c(
    list(of(people, NA_character_, NA_character_)),
    unlist(lapply(groups, \(name) {
      lapply(split(people, people[[paste0("by_", name)]]), \(rows) {
        of(rows, name, rows[[paste0("by_", name)]][[1L]])
      })
    }), recursive = FALSE, use.names = FALSE)
  ))
}

# What one customer adds to a change: the parts by which a sum over customers moves it (the delta
# method); their squares add up to its variance.
change_shares <- function(one, now, before) {
  at <- \(people, column) if (is.null(column)) NULL else as.double(people[[column]])
  if (is.null(one$below)) return(at(now, one$top) - at(before, one$top))
  side <- function(people) {
    top <- at(people, one$top)
    below <- at(people, one$below)
    (top - sum(top) / sum(below) * below) / sum(below)
  }
  side(now) - side(before)
}
