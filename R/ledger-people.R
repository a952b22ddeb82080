# The customers of a ledger by their codes: the only way to their ids and attributes.

# A table of the customers with these codes (all, in the order of their ids): `customer`, the id,
# and attributes by name.
ledger_customers <- function(ledger, columns = "customer", codes = NULL) {
  UseMethod("ledger_customers")
}

#' @export
ledger_customers.nubrek_memory <- function(ledger, columns = "customer", codes = NULL) {
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
ledger_rows.nubrek_memory <- function(
  ledger, part, columns, codes = NULL, from = NULL, until = NULL, at = NULL
) {
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
only_customers <- function(ledger, codes) {
  columns <- c("customer", "day", "sales")
  ledger$days <- ledger_rows(ledger, "days", columns, codes)[columns]
  ledger
}
