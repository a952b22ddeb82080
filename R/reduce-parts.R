# The rows of a ledger stand in parts, each with all rows of some of its customers: one in memory,
# more where they are too many for it. A reduction passes over each part and combines what it found,
# so that it says the same however the rows are parted.

# What `pass` finds in each part, taken by `take` as it comes, so that no more than needed is held.
# `pass` is called with a ledger in memory, whose customers are numbered among themselves, and with
# their codes in the whole ledger (NULL where these are all); `take` with what it found and the
# codes. `pass` may run elsewhere: it changes nothing outside of itself.
each_part <- function(ledger, pass, take = \(found, codes) found) UseMethod("each_part")

#' @export
each_part.nubrek_memory <- function(ledger, pass, take = \(found, codes) found) {
  list(take(pass(ledger, NULL), NULL))
}

# The ledger whose parts are changed, each by itself.
change_parts <- function(ledger, change) UseMethod("change_parts")

#' @export
change_parts.nubrek_memory <- function(ledger, change) change(ledger, NULL)

# The columns that the lines have.
line_names <- function(ledger) UseMethod("line_names")

#' @export
line_names.nubrek_memory <- function(ledger) names(ledger$lines)

# Values of the customers of a part, from those of all.
of_part <- function(values, codes) if (is.null(codes)) values else values[codes]

# What is found per customer (a vector, or columns), everybody's at his code in the whole. Elements
# named in `once` are no columns: they are the same for all parts.
by_customer <- function(ledger, pass, once = character()) {
  out <- kept <- NULL
  table <- FALSE
  each_part(ledger, pass, \(found, codes) {
    table <<- data.table::is.data.table(found)
    if (table) found <- as.list(found)
    if (length(once) > 0L) {
      kept <<- found[once]
      found <- found[setdiff(names(found), once)]
    }
    out <<- if (is.null(codes)) found else placed(out, found, codes, n_customers(ledger))
    NULL
  })
  if (table) return(data.table::setDT(out)[])
  if (length(once) > 0L) c(out, kept) else out
}

placed <- function(out, found, codes, n) {
  if (is.null(found)) return(out)
  if (!is.list(found)) {
    if (length(found) != length(codes)) return(found) # not asked for
    out <- out %||% rep(found[NA_integer_], n)
    out[codes] <- found
    return(out)
  }
  out <- out %||% stats::setNames(vector("list", length(found)), names(found))
  for (k in seq_along(found)) out[k] <- list(placed(out[[k]], found[[k]], codes, n))
  out
}

# Rows of customers (`code`) found in each part, in the order of the customers, each one's as they
# were found. Columns named in `once` are the same for all parts.
by_row <- function(ledger, pass, code = "code", once = character()) {
  found <- each_part(ledger, pass, \(rows, codes) {
    if (!is.null(rows) && !is.null(codes)) rows[[code]] <- codes[rows[[code]]]
    rows
  })
  found <- Filter(Negate(is.null), found)
  if (length(found) < 2L) return(if (length(found) == 1L) found[[1L]])
  columns <- setdiff(names(found[[1L]]), once)
  rows <- lapply(stats::setNames(nm = columns), \(name) do.call(c, lapply(found, `[[`, name)))
  sorting <- order(rows[[code]], method = "radix")
  rows <- lapply(rows, `[`, sorting)
  if (data.table::is.data.table(found[[1L]])) return(data.table::setDT(rows)[])
  c(rows, found[[1L]][once])
}

# Sums over the parts: numbers, vectors and matrices of one size, and lists of such; elements named
# in `once` are the same for all parts.
added_up <- function(ledger, pass, once = character()) {
  sum <- kept <- NULL
  each_part(ledger, pass, \(found, codes) {
    if (length(once) > 0L) {
      kept <<- found[once]
      found <- found[setdiff(names(found), once)]
    }
    sum <<- both_added(sum, found)
    NULL
  })
  if (length(once) > 0L) c(sum, kept) else sum
}

both_added <- function(a, b) {
  if (is.null(a) || is.null(b)) return(a %||% b)
  if (is.list(a)) Map(both_added, a, b) else a + b
}
