# The watches of a study: numbers that every run looks at.

# One row for each watch and group. A limit fires while a number is beyond it; noise fires at the
# first run that sees it.
study_watches <- function(study, ledger) {
  if (length(study$watches) == 0L) {
    abort_study(study$source, "watches", "The study names no watches.")
  }
  seen <- last_seen(study, ledger)
  noise <- lapply(Filter(\(said) said$number %in% names(noise_watches()), study$watches), \(said) {
    watch <- noise_watches()[[said$number]]
    do.call(watch, c(list(ledger), said[intersect(names(said), names(formals(watch)))]))
  })
  rows <- lapply(names(study$watches), \(name) {
    if (name %in% names(noise)) return(watched_noise(name, noise[[name]], seen))
    watched_limit(name, study$watches[[name]], study, ledger)
  })
  new_result(
    as.list(rbindlist(rows)),
    "watches",
    ledger,
    carried(ledger),
    basis = list(kinds = c(value = "number", limit = "number")),
    noise = noise
  )
}

# What is watched beyond noise; a function, for the files are read in the order of their names.
noise_watches <- function() list(again = watch_returns, basket = watch_baskets)

# The as-of day of the run before, if there is one.
last_seen <- function(study, ledger) {
  record <- tryCatch(
    earlier_run(study, ledger, results_folder(study)), nubrek_error_unidentified = \(e) NULL
  )
  if (is.null(record)) as.Date(NA) else as.Date(record$as_of)
}

watched_noise <- function(name, x, seen) {
  known <- !is.na(x$day) & !is.na(seen) & x$day <= seen
  data.table(
    watch = name,
    group = x$group,
    value = x$rate,
    limit = x$rate_before,
    fired = x$fired & !known,
    day = x$day,
    says = vapply(seq_len(nrow(x)), \(i) {
      one <- plain_table(x)[i, ]
      if (one$fired) return(watch_words(one, x))
      say(
        "%s of %s, %s: not significant.",
        present_share(one$rate, 1L), n_of(one$customers, "customer"), watch_expected(one)
      )
    }, "")
  )
}

watched_limit <- function(name, said, study, ledger) {
  place <- c("watches", name)
  if (is.null(said$number)) {
    abort_study(study$source, place, "A watch needs a {.field number}.", key = "number")
  }
  if (length(c(said$below, said$above)) != 1L) {
    abort_study(
      study$source, place,
      paste0("A watch on {.val ", said$number, "} needs {.field below} or {.field above}.")
    )
  }
  one <- change_numbers()[[said$number]]
  sums <- sums_of_people(change_people(ledger, as.character(said$by)))
  sums <- sums[number == one$name & is.na(by) == is.null(said$by)]
  if (nrow(sums) == 0L) {
    abort_study(
      study$source, c(place, "by"),
      paste0("The number {.val ", said$number, "} is not counted by group."), key = "by"
    )
  }
  value <- value_of_number(one, sums$top, sums$below, ledger$decimals)
  limit <- said$below %||% said$above
  fired <- if (is.null(said$above)) value < limit else value > limit
  write <- \(x) change_text(x, one$kind, ledger$decimals)
  data.table(
    watch = name,
    group = ifelse(is.na(sums$level), "all", sums$level),
    value = value,
    limit = limit,
    fired = fired %in% TRUE,
    day = as.Date(ifelse(fired %in% TRUE, ledger$as_of, NA), origin = "1970-01-01"),
    says = say(
      "%s, %s %s.", write(value),
      ifelse(
        fired %in% TRUE,
        if (is.null(said$above)) say("below") else say("above"),
        if (is.null(said$above)) say("not below") else say("not above")
      ),
      write(limit)
    )
  )
}

watch_keys <- function() {
  named_each(
    "numbers that every run looks at; nubrek run ends with status 3 when one fires",
    keys_of_section(
      "one watch; its name is yours",
      number = study_key(
        leaf_choice(c(names(noise_watches()), names(change_numbers()))),
        paste0(
          "again (a second purchase soon) or basket (the size of purchases), beyond noise; or a ",
          "number of nubrek changes, with a limit"
        ),
        "",
        "again"
      ),
      below = study_key(leaf_number(-1e15, 1e15), "fires below this", "none", "0.5"),
      above = study_key(leaf_number(-1e15, 1e15), "fires above this", "none", "1000000"),
      by = study_key(leaf_text(), "an attribute whose groups are watched", "none", "first_channel"),
      within = study_key(leaf_whole(1, 3650), "of again: days to the second purchase", "30", "60"),
      from = study_key(
        leaf_day(), "beyond noise: begins on this day, and anew each year", "1 January",
        "2025-07-01"
      ),
      false_alarms = study_key(
        leaf_share(0.001, 1), "beyond noise: false alarms a year, over all groups", "0.2", "0.05"
      ),
      direction = study_key(
        leaf_choice(c("either", "falls", "rises")), "beyond noise: which way", "either", "falls"
      )
    )
  )
}
