# The dealt rows of each part become rows of a ledger; what is known of all is put together.

split_into_ledger <- function(deals, origin, meaning, bands, n, folder, exports, call) {
  version <- basename(tempfile("version-"))
  place <- file.path(folder, version)
  dir.create(place)
  done <- FALSE
  on.exit(if (!done) unlink(place, recursive = TRUE))
  evidence <- dealt_evidence(folder, deals)
  job <- list(
    deals = deals,
    origin = origin,
    meaning = decided_meaning(evidence, origin$columns, meaning, call),
    lookup = alias_lookup(origin$aliases),
    nobody = evidence$nobody,
    folder = folder,
    to = place,
    call = call
  )
  job$only <- members_of_table(origin$customers, job$lookup, n)
  parts <- lapply(seq_len(n), \(k) {
    signal_progress("taking in the parts", (k - 1) / n)
    open_dealt(job, k)
  })
  whole <- judged_over_parts(parts)
  # parts that judged their copies otherwise than all together do
  for (k in which(vapply(parts, \(part) judged_otherwise(part$judged, whole), NA))) {
    parts[[k]] <- open_dealt(job, k, whole)
  }
  ledger <- ledger_of_parts(parts, job, meaning, whole)
  ledger <- with_beside(ledger, meaning, bands, job$lookup)
  source <- if (exports) {
    save_source(c(list(orders = list(list(parts = n))), origin), folder, version, call)
  }
  finish_save(ledger, folder, version, source, list(parts = list(
    n = n, lines = as.list(ledger$line_names), cost = ledger$has_cost,
    deals = if (exports) deals
  )), if (exports) vapply(deals, `[[`, "", "folder"))
  done <- TRUE
  open_saved_ledger(folder, call = call)
}

# Of a customer table, the ids of each part.
members_of_table <- function(customers, lookup, n) {
  if (is.null(customers)) return(NULL)
  ids <- unique(resolve_aliases(customers$id, lookup))
  split(ids, factor(part_of_ids(ids, n), seq_len(n)))
}

# Rows of one part as they were dealt, as cells; `rows` and `files` are those of all.
dealt_cells <- function(job, k) {
  paths <- unlist(lapply(job$deals, \(deal) {
    sort(list.files(
      file.path(job$folder, "exports", deal$folder), sprintf("^part-%04d-.*[.]parquet$", k),
      full.names = TRUE
    ))
  }))
  if (length(paths) == 0L) return(NULL)
  read <- read_cells(as.list(paths), file_format(), job$call)
  at <- lapply(paths, \(path) {
    bin <- sub("[.]parquet$", ".bin", path)
    readBin(bin, "integer", file.size(bin) / 4)
  })
  said <- unlist(lapply(job$deals, `[[`, "said"))
  list(
    table = read$table,
    n = read$n,
    at = unlist(at),
    rows = as.numeric(unlist(lapply(job$deals, `[[`, "rows"))),
    files = file_names(unlist(lapply(job$deals, `[[`, "paths"))),
    remarks = if (length(said) > 0L) reading_remarks(names(said), said)
  )
}

# A part: its rows are written, what is said of them is given back.
open_dealt <- function(job, k, whole = NULL) {
  unlink(file.path(job$to, part_folder(k)), recursive = TRUE)
  read <- dealt_cells(job, k)
  only <- job$only[[k]]
  if (is.null(read)) return(list(ids = sort(as.character(only), method = "radix")))
  origin <- job$origin
  intake <- take_in_orders(
    read, origin$columns, job$meaning, job$lookup, origin$joins, origin$rates, job$call, whole
  )
  if (length(job$nobody) > 0L) {
    hit <- !is_blank(intake$order_ids) & hash_of_orders(intake$order_ids) %in% job$nobody
    intake$elsewhere <- which(hit)
  }
  aside <- first_faults(intake$faults)
  found <- c(intake[c("judged", "currency", "decimals", "written", "names", "conflicts")], list(
    intake = summarise_intake(intake, aside),
    replaced = length(intake$replaced),
    read = intake$read[c("files", "rows", "remarks")]
  ))
  if (length(aside$rows) == intake$n) {
    return(c(found, list(ids = sort(as.character(only), method = "radix"))))
  }
  kept <- if (length(aside$rows) > 0L) seq_len(intake$n)[-aside$rows]
  lines <- kept_lines(intake, origin$columns, origin$products, job$meaning, kept)
  known <- sorted_ids(
    intake$people, lines$customer, if (!is.null(only)) list(id = only), character()
  )
  lines$customer <- known$code[lines$customer]
  formed <- form_orders(lines, intake$order_ids, length(known$ids), job$meaning)
  told <- told_of_rows(formed, intake, aside)
  told$same_ids <- same_ids_share(told, intake)
  days <- range(formed$orders$day)
  start <- job$meaning$history_start %||% as.Date(days[[1L]], origin = "1970-01-01")
  rows <- from_start(formed, formed$orders$day < as.integer(start))
  least <- least_units(job$meaning, intake$decimals)
  save_part(rows, file.path(job$to, part_folder(k)))
  c(found, list(
    ids = known$ids,
    known_first = first_before(rows$before, least, length(known$ids)),
    lines = setdiff(names(rows$lines), "number"),
    cost = !is.null(rows$orders$cost),
    told = told,
    days = days,
    formed = formed[c("spread", "returns_split", "no_id", "unknown_cost", "moved")]
  ))
}

# The share of ids that are those of orders too, and of how many; looked at only where nearly every
# customer may have one order (see `order_as_customer_remark()`).
same_ids_share <- function(told, intake) {
  n <- length(intake$people)
  if (told$orders > 1e4 && told$people < 0.8 * told$orders) return(c(0, n))
  c(told$same_ids(), n)
}

part_folder <- function(k) sprintf("part-%04d", k)

save_part <- function(rows, folder) {
  dir.create(folder, showWarnings = FALSE)
  rows$lines <- rows$lines[, setdiff(names(rows$lines), "number"), with = FALSE]
  for (name in names(rows)) {
    save_table(rows[[name]], file.path(folder, name))
  }
}

# How copies are judged over all parts: whether each order has one row, how often all was exported.
judged_over_parts <- function(parts) {
  judged <- Filter(Negate(is.null), lapply(parts, `[[`, "judged"))
  if (length(judged) == 0L) return(list())
  twice <- unlist(lapply(judged, `[[`, "twice"))
  several <- sum(vapply(judged, `[[`, 0L, "several"))
  list(
    one_each = all(vapply(judged, `[[`, NA, "one_each")),
    times = export_times(twice, several),
    exported_twice = c(orders = length(twice), of = several)
  )
}

judged_otherwise <- function(judged, whole) {
  if (is.null(judged) || judged$again == 0L) return(FALSE)
  judged$one_each != whole$one_each ||
    (!whole$one_each && export_times(judged$twice, judged$several) != whole$times)
}

# The ledger over the parts: all but the rows.
ledger_of_parts <- function(parts, job, meaning, whole) {
  counts <- counts_over_parts(parts)
  sold <- Filter(\(part) !is.null(part$formed), parts)
  if (length(sold) == 0L) {
    abort_none_left(sort(tapply(counts$rows, droplevels(counts$reason), sum)), job$call)
  }
  span <- ledger_span(meaning, range(vapply(sold, `[[`, integer(2L), "days")), job$call)
  ids <- unlist(lapply(parts, `[[`, "ids"))
  first <- unlist(lapply(parts, \(part) part$known_first %||% rep(NA_integer_, length(part$ids))))
  sorted <- cpp_order_texts(ids)
  one <- sold[[1L]]
  facts <- list(
    ids = ids[sorted],
    attributes = data.table(),
    least = least_units(meaning, one$decimals),
    known_first = first[sorted],
    history_start = span$start,
    as_of = span$as_of,
    meaning = meaning,
    currency = one$currency,
    decimals = one$decimals,
    day_order = one$written$dates,
    bands = list(),
    intake = intake_over_parts(parts, counts),
    returns = both_added_up(lapply(sold, \(part) part$formed$moved)),
    part_of = rep.int(seq_along(parts), lengths(lapply(parts, `[[`, "ids")))[sorted]
  )
  facts$attributes <- customer_attributes(facts$ids, job$origin$customers, job$lookup)
  ledger <- new_parts(facts, list(), one$lines)
  ledger$has_cost <- one$cost
  attr(ledger, "remarks") <- remarks_over_parts(sold, parts, ledger, whole)
  ledger
}

both_added_up <- function(found) Reduce(both_added, found)

counts_over_parts <- function(parts) {
  counts <- rbindlist(lapply(parts, \(part) part$intake$counts))
  counts[, place := unlist(lapply(parts, \(part) part$intake$places$counts))]
  counts <- counts[,
    .(
      file = file[1L], rows = sum(rows), units = sum(units), unknown = sum(unknown),
      example = min(example)
    ),
    by = .(place, reason, currency)
  ]
  data.table::setorderv(counts, c("place", "reason", "currency"))
  data.table::setcolorder(counts, c("file", "reason", "currency"))
  counts[, place := NULL][]
}

intake_over_parts <- function(parts, counts) {
  aside <- as.data.frame(rbindlist(lapply(parts, \(part) part$intake$aside)), optional = TRUE)
  # columns of the rows may be called as ours, which stand behind them
  row <- aside[[ncol(aside) - 2L]]
  file <- unlist(lapply(parts, \(part) part$intake$places$aside))
  aside <- aside[order(file, row, method = "radix"), , drop = FALSE]
  rownames(aside) <- NULL
  identified <- rbindlist(lapply(parts, \(part) part$intake$identified))[,
    .(identified = sum(identified), all = sum(all)), keyby = day
  ]
  list(
    counts = counts,
    aside = aside,
    rows = sum(vapply(parts, \(part) part$intake$rows %||% 0L, 0L)),
    identified = identified,
    joins = added_joins(Filter(Negate(is.null), lapply(parts, \(part) part$intake$joins)))
  )
}

remarks_over_parts <- function(sold, parts, ledger, whole) {
  one <- sold[[1L]]
  of <- \(name) sum(unlist(lapply(sold, \(part) part$told[[name]])))
  told <- lapply(stats::setNames(nm = setdiff(names(one$told), c("same_ids", "days"))), of)
  told$days <- sort(unique(unlist(lapply(sold, \(part) part$told$days))))
  same <- vapply(sold, \(part) part$told$same_ids, numeric(2L))
  told$same_ids <- \() sum(same[1L, ] * same[2L, ]) / sum(same[2L, ])
  read <- Filter(\(part) !is.null(part$read), parts)
  intake <- c(one[c("currency", "decimals", "written", "names", "read")], list(
    exported_twice = if (isTRUE(whole$times > 1L)) whole$exported_twice,
    conflicts = sum(vapply(read, `[[`, 0L, "conflicts")),
    replaced = seq_len(sum(vapply(read, `[[`, 0L, "replaced")))
  ))
  sums <- both_added_up(lapply(sold, \(part) part$formed[names(part$formed) != "moved"]))
  ledger_remarks(
    c(sums, list(moved = ledger$returns)), intake, told, ledger$intake,
    ledger$history_start, ledger$as_of, ledger$meaning
  )
}
