# The part about groups that nobody thought of.

discover_parts <- list(
  study_part(
    "discover",
    "groups that nobody thought of, judged on others than found them",
    "audiences",
    make = \(study, ledger, audiences = NULL, rule_columns) {
      study_groups(study, ledger, audiences, rule_columns)
    },
    wanted = \(study) !is.null(study$discover),
    figure = groups_height,
    options = "name",
    read = \(x, job, study, ledger) {
      each <- attr(x, "found")
      nothing_to_draw(job$verb == "draw" && length(each) == 0L, x)
      if (length(each) == 0L) return(x)
      if (is.null(job$name) && job$verb == "show" && length(each) != 1L) return(x)
      check_values(job$name %||% names(each)[[1L]], names(each), "name", NULL)
      each[[job$name %||% names(each)[[1L]]]]
    },
    page = \(run) page_groups(run)
  )
)

study_groups <- function(study, ledger, audiences, results) {
  keys <- c("using", "conditions", "least", "folds", "most", "even_if", "seed")
  made <- where_known(names(study$discover), \(name) {
    said <- study$discover[[name]]
    if (is.null(said$target)) {
      abort_study(study$source, c("discover", name), "The key {.field target} is missing here.")
    }
    told <- utils::modifyList(search_defaults(), said[intersect(keys, names(said))])
    told$with <- results
    told$known <- attr(audiences, "audiences") %||% list()
    discover_by(ledger, parse_rule(said$target), told, NULL)
  })
  found <- made$found
  rows <- lapply(names(found), \(name) {
    one <- found[[name]]
    best <- if (nrow(one) > 0L && one$confirmed[[1L]]) 1L else NA_integer_
    data.frame(
      search = name,
      target = basis_of(one, "target"),
      judged = nrow(one),
      confirmed = sum(one$confirmed),
      customers = one$customers[best],
      mean = one$mean[best],
      others = one$others[best],
      clearest = one$words[best]
    )
  })
  new_result(
    as.list(do.call(rbind, rows) %||% data.frame(search = character())),
    "searches",
    ledger,
    rbind(carried(ledger), made$remarks),
    basis = list(kinds = c(mean = "number", others = "number")),
    found = found
  )
}

search_defaults <- function() {
  told <- formals(discover_groups)
  lapply(told[setdiff(names(told), c("ledger", "target"))], eval)
}
