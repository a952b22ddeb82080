# Groups that were found, in words.

#' @export
describe.nubrek_groups <- function(x) {
  target <- seen_text(basis_of(x, "target"))
  list(
    heading = paste(say("Groups that differ in"), target),
    finding = if (!is_part(x)) groups_finding(x),
    table = if (!is_part(x)) groups_face(x),
    after = c(if (!is_part(x)) c("", listed_rules(x)), "", groups_words(x), seen_words(x))
  )
}

groups_finding <- function(x) {
  n <- sum(x$confirmed)
  if (n == 0L) {
    return(say(
      "No group is confirmed: of %s that were found none holds beyond chance.",
      n_of(nrow(x), "group")
    ))
  }
  paste(
    say(
      "%s of %s that were found %s on customers who had no part in finding them.",
      format_count(n),
      n_of(nrow(x), "group"),
      if (n == 1L) "holds" else "hold"
    ),
    x$sentence[[1L]],
    if (nzchar(x$restates[[1L]])) say("Nearly all of it has %s.", x$restates[[1L]])
  )
}

# The confirmed ones; where there is none, the nearest.
groups_told <- function(x) {
  keep <- which(x$confirmed)
  if (length(keep) > 0L) keep else seq_len(min(5L, nrow(x)))
}

# Rules are too long for a column of a terminal: they stand below, by the number of the group.
listed_rules <- function(x) {
  each <- utils::head(groups_told(x), 10L)
  c(
    paste0(each, ": ", seen_text(x$words[each])),
    if (on_command() && length(each) > 0L) c("", paste(
      say("To count a group:"), "nubrek count", shQuote(x$rule[[each[[1L]]]]), "STUDY"
    ))
  )
}

groups_face <- function(x, rules = FALSE) {
  rows <- plain_table(x)
  rows$group <- seq_len(nrow(rows))
  rows <- rows[groups_told(x), ]
  yes <- basis_of(x, "yes")
  size <- if (yes) 100 else 1
  rows$interval <- say(
    "%s to %s%s", signed(size * rows$lower), signed(size * rows$upper), if (yes) " points" else ""
  )
  columns <- c(
    if (rules) "words" else "group", "customers", "mean", "others", "interval", "shrunk",
    "adjusted_p",
    if (!all(is.na(rows$money_a_year))) "money_a_year",
    if (rules && any(nzchar(rows$restates))) "restates"
  )
  basis <- attr(x, "basis")
  basis$kinds["interval"] <- "cell"
  structure(rows[columns], basis = basis)
}

groups_words <- function(x) {
  folds <- basis_of(x, "folds")
  start <- basis_of(x, "start")
  say(
    paste0(
      "%sFound among %s, judged on the others%s. Mean, others and interval are of those judged; ",
      "shrunk is the difference drawn towards the common one; p adjusted for all judged together."
    ),
    if (is.null(start)) "" else say("Before: up to %s. ", format_day(start - 1)),
    n_of(basis_of(x, "found"), "customer"),
    if (folds > 1L) say(", %d parts in turn", folds) else ""
  )
}

# What can be seen at all with so many customers.
seen_words <- function(x) {
  seen <- basis_of(x, "seen")
  if (nrow(seen) == 0L) return(NULL)
  yes <- basis_of(x, "yes")
  few <- seen[c(1L, nrow(seen)), ]
  number <- \(v) if (yes) present_share(v) else four_digits(v)
  say(
    "To be seen, a group of %s must differ by %s, one of %s by %s.",
    present_share(few$share[[1L]]), number(few$difference[[1L]]),
    present_share(few$share[[2L]]), number(few$difference[[2L]])
  )
}

#' @export
describe.nubrek_searches <- function(x) {
  list(
    heading = say("Groups that nobody thought of"),
    finding = if (!is_part(x) && nrow(x) > 0L) {
      say(
        "%s of %s judged in %s hold.",
        format_count(sum(x$confirmed)),
        n_of(sum(x$judged), "group"),
        if (nrow(x) == 1L) "1 search" else paste(nrow(x), "searches")
      )
    },
    after = c("", say("One of the searches: --name."))
  )
}
