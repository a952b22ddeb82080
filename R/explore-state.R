# What an exploration knows: the study, its ledger, the slices and results that were asked for.

new_exploration <- function(study) {
  state <- new.env()
  state$study <- study
  state$ledger <- open_study_ledger(study)
  state$kept <- list()
  state
}

# What was computed before is at hand; the oldest go, sooner where they are large.
kept_or <- function(state, key, make) {
  name <- rlang::hash(key)
  if (!name %in% names(state$kept)) {
    state$kept[[name]] <- make()
    rows <- rev(cumsum(rev(vapply(state$kept, \(x) max(1, NROW(x)), 0))))
    last <- seq_along(rows) == length(rows)
    state$kept <- utils::tail(state$kept[rows < 5e6 | last], 60L)
  }
  state$kept[[name]]
}

# The ledger with the lines that are looked at: `lines` names values by line column.
explored_ledger <- function(state, lines) {
  lines <- Filter(length, lines)
  if (length(lines) == 0L) return(state$ledger)
  kept_or(state, list("ledger", lines), \() ledger_slice(state$ledger, lines = lines))
}

# The study as a view has set it.
explored_study <- function(state, view, values) {
  study <- state$study
  section <- view$section(values, study)
  study[names(section)] <- section
  study
}

explored_result <- function(state, view, values, lines = list()) {
  ledger <- explored_ledger(state, lines)
  kept_or(state, list(view$part, view$section(values, state$study), lines), \() {
    view$result(
      explored_study(state, view, values), ledger,
      \(key, make) kept_or(state, list(view$part, lines, key), make)
    )
  })
}

# The orders behind a row, cell or mark, and whose they are. Single points of a picture are people.
explored_orders <- function(state, view, values, lines, picked) {
  x <- explored_result(state, view, values, lines)
  ledger <- explored_ledger(state, lines)
  if (identical(names(picked), "customer")) {
    return(orders_of(ledger, ledger_codes(ledger, as.character(picked$customer))))
  }
  view$behind(x, ledger, explored_study(state, view, values), picked)
}

# A region of the order map, or a cell of its picture.
behind_map <- function(x, ledger, study, picked) {
  if ("region" %in% names(picked)) return(rows_behind(x, ledger, region = picked$region))
  rows <- plain_table(x)
  inside <- rows$purchases >= picked$purchases_from &
    rows$purchases <= picked$purchases_until &
    rows$mean_sales >= picked$sales_from &
    rows$mean_sales < picked$sales_below
  orders_of(ledger, ledger_codes(ledger, rows$customer[inside]))
}

# What the cohorts that are complete at an age have bought until then.
behind_payback <- function(x, ledger, study, picked) {
  course <- attr(x, "course")
  there <- course$age == picked$age & course$complete & !course$older & course$cost > 0
  grid <- study_grid(study, ledger)
  cells <- plain_table(grid)
  cells <- cells[cells$cohort %in% course$cohort[there] & cells$age <= picked$age, ]
  orders_in_cells(cells, ledger, attr(grid, "basis"))
}

# Who is left after a condition.
behind_audience <- function(x, ledger, study, picked) {
  failed <- attr(one_audience(x, explored_name), "failed")
  left <- failed$step == 0L | failed$step > picked$step
  orders_of(ledger, ledger_codes(ledger, failed$customer[left %in% TRUE]))
}

# The call, with the slice it is of.
explored_call <- function(state, view, values, lines) {
  call <- view$call(values, explored_study(state, view, values))
  lines <- Filter(length, lines)
  if (length(lines) == 0L) return(call)
  c(sprintf("ledger <- ledger_slice(ledger, lines = %s)", call_value(lines)), call)
}

# The sections of a study that say the same, as a list to be written.
explored_section <- function(state, view, values, lines) {
  lines <- Filter(length, lines)
  c(
    lapply(view$section(values, state$study), plain_section),
    if (length(lines) > 0L) list(slice = list(lines = lapply(lines, as.list)))
  )
}

# Named numbers are keys with values, others lists.
plain_section <- function(x) {
  if (is.list(x)) return(lapply(Filter(Negate(is.null), x), plain_section))
  if (!is.null(names(x)) || length(x) > 1L) as.list(x) else x
}

# A path where nothing stands yet, numbered where something does.
free_path <- function(folder, name, ending) {
  path <- file.path(folder, paste0(name, ending))
  number <- 2L
  while (file.exists(path)) {
    path <- file.path(folder, paste0(name, "-", number, ending))
    number <- number + 1L
  }
  path
}

# The study with what was set, beside it, with the call on top: read again it gives the same.
save_explored <- function(state, view, values, lines, path = NULL) {
  study <- state$study
  text <- paste(study$source$text, collapse = "\n")
  whole <- yaml::yaml.load(text, eval.expr = FALSE)
  section <- explored_section(state, view, values, lines)
  whole[names(section)] <- section
  path <- path %||% free_path(dirname(study$path), paste0("explored-", view$part), ".yaml")
  write_text(paste0(
    paste0("# ", explored_call(state, view, values, lines), "\n", collapse = ""),
    yaml::as.yaml(whole, indent.mapping.sequence = TRUE)
  ), path)
  path
}
