# The customers of a ledger by their codes: the only way to their ids and attributes.

# A table of the customers with these codes (all, in the order of their ids): `customer`, the id,
# and attributes by name.
ledger_customers <- function(ledger, columns = "customer", codes = NULL) {
  UseMethod("ledger_customers")
}

#' @export
ledger_customers.nubrek_ledger <- function(ledger, columns = "customer", codes = NULL) {
  known <- if (any(columns != "customer")) known_attributes(ledger, columns)
  found <- lapply(stats::setNames(nm = columns), \(name) {
    values <- if (name == "customer") ledger$ids else known[[name]]
    if (is.null(codes)) values else values[codes]
  })
  as.data.frame(found, optional = TRUE, stringsAsFactors = FALSE)
}

ledger_ids <- function(ledger, codes = NULL) {
  if (is.null(codes)) ledger$ids else ledger$ids[codes]
}

# The codes of ids; missing for those that are not in the ledger.
ledger_codes <- function(ledger, ids) {
  ids <- as.character(ids)
  codes <- cpp_sorted_places(ids, ledger$ids)
  # the same id in other bytes
  odd <- which(is.na(codes))
  odd <- odd[Encoding(ids[odd]) == "latin1"]
  codes[odd] <- match(ids[odd], ledger$ids)
  codes
}

# Rows of a part of the ledger (orders, lines, purchases, days or before) between two days, of some
# customers, or those that stand somewhere: these columns, and `row`, where they stand.
ledger_rows <- function(ledger, part, columns, codes = NULL, from = NULL, until = NULL, at = NULL) {
  UseMethod("ledger_rows")
}

#' @export
ledger_rows.nubrek_ledger <- function(
  ledger, part, columns, codes = NULL, from = NULL, until = NULL, at = NULL
) {
  stand <- rows_stand(ledger, part)
  wanted <- if (!is.null(codes)) replace(logical(n_customers(ledger)), codes, TRUE)
  found <- each_part(ledger, \(one, own) {
    if (is.null(own)) return(rows_between(one, part, columns, codes, from, until, at))
    here <- stand(one[[part]]$customer, own)
    rows <- rows_between(
      one, part, columns, if (!is.null(wanted)) which(wanted[own]), from, until,
      if (!is.null(at)) which(here %in% at)
    )
    if (!is.null(rows$customer)) rows$customer <- own[rows$customer]
    rows$row <- here[rows$row]
    rows
  })
  if (inherits(ledger, "nubrek_memory")) return(found[[1L]])
  rows <- lapply(stats::setNames(nm = names(found[[1L]])), \(name) {
    do.call(c, lapply(found, `[[`, name))
  })
  sorting <- if (is.null(at)) order(rows$row) else match(at, rows$row)
  lapply(rows, `[`, sorting)
}

# Where the rows of a part of the ledger stand in the whole, by customer: a function of the
# customers of the rows of one part, and of these customers' codes.
rows_stand <- function(ledger, what) {
  if (what == "lines" || inherits(ledger, "nubrek_memory")) {
    return(\(customer, codes) seq_along(customer))
  }
  n <- by_customer(ledger, \(part, codes) tabulate(part[[what]]$customer, n_customers(part)))
  starts <- cumsum(c(0, n))
  \(customer, codes) starts[codes[customer]] + sequence(rle(customer)$lengths)
}

rows_between <- function(ledger, part, columns, codes, from, until, at) {
  rows <- as.list(ledger[[part]])
  if (!is.null(at)) return(c(lapply(rows[columns], `[`, at), list(row = at)))
  if (is.null(codes) && is.null(from) && is.null(until)) {
    return(c(rows[columns], list(row = seq_along(rows[[1L]]))))
  }
  keep <- rep(TRUE, length(rows[[1L]]))
  if (!is.null(codes)) {
    wanted <- logical(n_customers(ledger))
    wanted[codes] <- TRUE
    keep <- wanted[rows$customer]
  }
  if (!is.null(from)) keep <- keep & rows$day >= as.integer(from)
  if (!is.null(until)) keep <- keep & rows$day <= as.integer(until)
  keep <- which(keep)
  c(lapply(rows[columns], `[`, keep), list(row = keep))
}

# The same ledger with the purchase days of these customers alone, for what looks at histories.
only_customers <- function(ledger, codes) UseMethod("only_customers")

#' @export
only_customers.nubrek_ledger <- function(ledger, codes) {
  wanted <- replace(logical(n_customers(ledger)), codes, TRUE)
  change_parts(ledger, \(part, own) {
    columns <- c("customer", "day", "sales")
    part$days <- rows_between(part, "days", columns, which(of_part(wanted, own)), NULL, NULL, NULL)[
      columns
    ]
    part
  })
}
