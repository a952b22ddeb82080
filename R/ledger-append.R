# What a ledger was made from travels with it, so that the next export can be added.

#' Add the next export to a ledger
#'
#' Rows that are already there are recognised (equal over all columns, as within one export); an
#' order that comes again in another state is a conflict (`conflicts` in [meanings()]); dates,
#' amounts and currencies are read in the one way that fits all exports. Invariant: the result
#' equals one ledger opened from all exports, to the row.
#'
#' @param ledger `[nubrek_ledger]` From [open_ledger()], also of a saved folder. Not a slice: append
#'   to the whole ledger, then slice.
#' @param orders `[character | data.frame | list]` The new export, of the same columns; as in
#'   [open_ledger()].
#' @param customers,products,aliases,joins,rates As in [open_ledger()]; what is given replaces the
#'   table of before, what is not stays.
#' @return A `nubrek_ledger`. The given one stays as it is; [save_ledger()] puts the new one in the
#'   place of the old. Of a ledger in parts (see [split_ledger()]) the folder takes the new orders
#'   at once, and the given one is of no use afterwards.
#' @section Errors: `nubrek_error_file`: an export of before has changed or is gone.
#'   `nubrek_error_source`: a slice, or a ledger saved without its exports.
#' @examples
#' march <- data.frame(
#'   who = c("A", "B"), receipt = 1:2, on = c("2024-03-05", "2024-03-09"), paid = c(12.5, 30)
#' )
#' april <- data.frame(
#'   who = c("B", "A"), receipt = 2:3, on = c("2024-03-09", "2024-04-01"), paid = c(30, 8)
#' )
#' ledger <- open_ledger(
#'   march, column_map(customer = "who", order = "receipt", date = "on", sales = "paid")
#' )
#' audit(append_orders(ledger, april)) # receipt 2 came twice
#' @export
append_orders <- function(
  ledger, orders, customers = NULL, products = NULL, aliases = NULL, joins = NULL, rates = NULL
) {
  check_ledger(ledger)
  here <- rlang::current_env()
  origin <- ledger$source
  in_database <- inherits(ledger, "nubrek_database")
  if (is.null(origin) || in_database) {
    abort_nubrek(c(
      "This ledger cannot take more orders.",
      "x" = if (in_database) {
        "It stays in its database."
      } else {
        "It is a slice, or was saved without its exports."
      },
      "i" = if (in_database) {
        "New rows of its table are seen by {.fn refresh_ledger}."
      } else {
        "Append to the whole ledger, then slice."
      }
    ), "source")
  }
  given <- Filter(Negate(is.null), list(
    customers = customers, products = products, aliases = aliases, joins = as_joins(joins),
    rates = rates
  ))
  beside <- origin[names(origin) != "orders"]
  beside[names(given)] <- given
  if (!is.null(ledger$folder)) {
    return(with_contacts_of(append_to_parts(ledger, orders, beside, here), ledger))
  }
  result <- do.call(open_ledger, c(
    list(c(found_again(origin$orders, here), source_parts(orders, here))), beside,
    list(meaning = ledger$meaning, bands = ledger$bands)
  ))
  result$source$orders[seq_along(origin$orders)] <- origin$orders
  with_contacts_of(result, ledger)
}

# The ledger with the contacts that another has.
with_contacts_of <- function(ledger, other) {
  if (is.null(other$contacts)) return(ledger)
  written <- as.data.frame(other$contacts)
  written$day <- as.Date(written$day, origin = "1970-01-01")
  add_contacts(ledger, written)
}

# The parts of a source where they can be found again: whole paths with the size and time of the
# file, data frames as they are.
located <- function(source, call = rlang::caller_env()) {
  lapply(source_parts(source, call), \(part) {
    if (is.data.frame(part)) return(part)
    path <- normalizePath(part)
    list(path = path, size = file.size(path), changed = as.double(file.mtime(path)))
  })
}

# Of located parts: what they were made of. Files that are not as they were when they were read are
# refused.
found_again <- function(parts, call) {
  lapply(parts, \(part) {
    if (is.data.frame(part)) return(part)
    if (
      !isTRUE(file.size(part$path) == part$size) ||
        !isTRUE(abs(as.double(file.mtime(part$path)) - part$changed) < 1e-3)
    ) {
      abort_nubrek(c(
        "The file {.file {part$path}} is not as it was when the ledger was opened.",
        "i" = "Open the ledger from its files again."
      ), "file", path = part$path, call = call)
    }
    if (isTRUE(part$frame)) as.data.frame(nanoparquet::read_parquet(part$path)) else part$path
  })
}

# The exports are copied into the folder (those of an earlier save are there already), the tables
# beside the orders into the version; a table in a database is named.
save_source <- function(source, path, version, call) {
  orders <- if (is.null(source$orders[[1L]]$path) && !is.data.frame(source$orders[[1L]])) {
    source$orders
  } else {
    save_exports(source$orders, path, call)
  }
  tables <- Filter(Negate(is.null), c(
    source[c("customers", "products", "aliases")],
    if (length(source$joins) > 0L) {
      stats::setNames(source$joins, paste0("join-", seq_along(source$joins)))
    },
    if (!is.null(source$rates)) {
      list(
        rates = list(
          id = source$rates$table$currency, attributes = source$rates$table[, .(day, rate)]
        )
      )
    }
  ))
  for (name in names(tables)) {
    save_table(
      c(list(.key = tables[[name]]$id), as.list(tables[[name]]$attributes)),
      file.path(path, version, paste0("source-", name))
    )
  }
  list(
    orders = orders,
    columns = as.list(unclass(source$columns)),
    format = unclass(source$format),
    tables = lapply(tables, \(t) list(file = t$file, by = t$by))
  )
}

save_exports <- function(orders, path, call) {
  if (!dir.exists(file.path(path, "exports"))) dir.create(file.path(path, "exports"))
  found_again(Filter(\(part) !is.data.frame(part), orders), call)
  lapply(orders, \(part) {
    if (
      !is.data.frame(part) &&
        dirname(dirname(part$path)) == normalizePath(file.path(path, "exports"))
    ) {
      return(list(folder = basename(dirname(part$path)), name = basename(part$path), frame = isTRUE(
        part$frame
      )))
    }
    folder <- basename(tempfile("export-"))
    dir.create(file.path(path, "exports", folder))
    frame <- is.data.frame(part) || isTRUE(part$frame)
    name <- if (frame) "data frame.parquet" else basename(part$path)
    to <- file.path(path, "exports", folder, name)
    signal_progress("keeping the exports")
    if (is.data.frame(part)) {
      nanoparquet::write_parquet(as.data.frame(lapply(part, column_as_text), optional = TRUE), to)
    } else {
      copy_whole(part$path, to)
    }
    list(folder = folder, name = name, frame = frame)
  })
}

# The source of a saved ledger.
saved_source <- function(facts, read, path) {
  folder <- normalizePath(file.path(path, "exports"), mustWork = FALSE)
  orders <- lapply(facts$orders, \(part) {
    if (is.null(part$folder)) return(part)
    place <- file.path(folder, part$folder, part$name)
    list(
      path = place,
      size = file.size(place),
      changed = as.double(file.mtime(place)),
      frame = part$frame
    )
  })
  rows <- function(name) {
    if (is.null(facts$tables[[name]])) return(NULL)
    columns <- read(paste0("source-", name))
    structure(list(
      id = columns$.key,
      attributes = as.data.table(columns[names(columns) != ".key"]),
      file = facts$tables[[name]]$file
    ), class = "nubrek_table")
  }
  joins <- lapply(
    grep("^join-", names(facts$tables), value = TRUE),
    \(name) structure(
      c(unclass(rows(name)), list(by = facts$tables[[name]]$by)), class = "nubrek_join"
    )
  )
  rates <- rows("rates")
  columns <- unlist(facts$columns)
  mine <- setdiff(names(columns), column_roles)
  list(
    orders = orders,
    columns = do.call(column_map, c(
      as.list(columns[setdiff(names(columns), mine)]),
      if (length(mine) > 0L) list(attributes = columns[mine])
    )),
    customers = rows("customers"),
    products = rows("products"),
    aliases = rows("aliases"),
    joins = joins,
    rates = if (!is.null(rates)) {
      structure(
        list(table = data.table(currency = rates$id, rates$attributes)), class = "nubrek_rates"
      )
    },
    format = do.call(file_format, Filter(Negate(is.null), facts$format))
  )
}
