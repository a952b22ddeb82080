# What decides over all parts how rows are read: the texts that tell how dates and amounts are
# written, currencies, columns that hold their codes, and orders that lost a row without a customer.

# `texts`, one row each: `kind` (dates, the column of amounts, currency, codes of a column), `text`,
# and `n`, how often (of dates: in which row first). `nobody` are hashes of orders.
piece_evidence <- function(cells, origin, customer, above) {
  map <- origin$columns
  dates <- telling_dates(role_cells(cells, map, "date"), above)
  amounts <- unique(c(
    unname(sales_columns(map)), unlist(unclass(map)[intersect(c("tax", "shipping"), names(map))])
  ))
  roles <- unname(unclass(map)[intersect(names(map), column_roles)])
  others <- setdiff(names(cells), roles)
  rows <- \(kind, text, n) list(kind = rep(kind, length(text)), text = text, n = as.double(n))
  texts <- rbindlist(c(
    list(rows("dates", dates$text, dates$row)),
    lapply(amounts, \(name) rows(paste("amount of", name), levels(cells[[name]]), 1)),
    if (has_role(map, "currency")) {
      list(rows("currency", levels(role_cells(cells, map, "currency")), 1))
    },
    lapply(others, \(name) {
      # of many texts so many that all are seen to be many
      text <- utils::head(levels(cells[[name]]), 5001L)
      rows(paste("codes of", name), text, tabulate(cells[[name]], length(text)))
    })
  ))
  list(texts = texts, nobody = orders_of_nobody(cells, map, customer))
}

# Dates of each kind that tells how all are written, and some in any case; each with its row.
telling_dates <- function(cells, above) {
  text <- as.character(levels(cells))
  seen <- cpp_date_orders(text)
  place <- c(seen$only_day, seen$only_month, seen$first_both)
  first_of <- \(sorting) {
    day <- cpp_read_days(text, sorting)$day
    utils::head(which(!is.na(day)), 1L)
  }
  place <- unique(c(place[place > 0], unlist(lapply(
    c("year-first", "day-first", "month-first"), first_of
  )), seq_len(min(length(text), 100L))))
  list(text = text[place], row = above + match(place, as.integer(cells)))
}

orders_of_nobody <- function(cells, map, customer) {
  if (!has_role(map, "order")) return(numeric())
  lost <- blank_rows(customer)
  if (length(lost) == 0L) return(numeric())
  order <- narrow_cells(trim_cells(role_cells(cells, map, "order")), lost)
  hash_of_orders(levels(order)[!is_blank(levels(order))])
}

hash_of_orders <- function(texts) cpp_keyed_units(enc2utf8(as.character(texts)), part_key)

both_evidence <- function(a, b) {
  if (is.null(a)) return(b)
  texts <- rbind(a$texts, b$texts)[,
    .(n = if (kind[[1L]] == "dates") min(n) else sum(n)), by = .(kind, text)
  ]
  list(texts = texts, nobody = unique(c(a$nobody, b$nobody)))
}

# What was found when the exports were dealt, all together.
dealt_evidence <- function(folder, deals) {
  found <- NULL
  for (deal in deals) {
    read <- \(name) saved_table(file.path(folder, "exports", deal$folder, name))
    found <- both_evidence(found, list(
      texts = as.data.table(read("evidence")), nobody = as.double(read("nobody")$order)
    ))
  }
  found
}

# The meanings with everything decided that open_ledger() decides from the rows, and how they are
# written.
decided_meaning <- function(evidence, map, meaning, call) {
  texts <- evidence$texts
  of <- \(wanted) {
    mine <- which(texts$kind == wanted)
    list(text = texts$text[mine], n = texts$n[mine])
  }
  kinds <- \(start) grep(paste0("^", start), unique(texts$kind), value = TRUE)
  if (!has_role(map, "currency") && meaning$currencies != "one") {
    codes <- kinds("codes of ")
    cells <- lapply(codes, \(kind) {
      found <- of(kind)
      # shares are what counts: so many rows in ten thousand as there are
      times <- ceiling(found$n / sum(found$n) * 1e4)
      factor(rep(found$text, times), unique(found$text))
    })
    check_one_currency(stats::setNames(cells, sub("^codes of ", "", codes)), map, meaning, call)
  }
  dates <- of("dates")
  meaning$dates <- detect_date_order(
    dates$text, map[["date"]], meaning$dates, \(place) dates$n[place], call
  )
  amounts <- lapply(kinds("amount of "), \(kind) {
    text <- of(kind)$text
    factor(text, unique(text))
  })
  meaning$decimal_mark <- detect_decimal_mark(amounts, meaning$decimal_mark, call)
  codes <- setdiff(toupper(trim_text(of("currency")$text)), c("", NA))
  home <- home_currency(codes, map, meaning, call)
  if (nzchar(home)) meaning$currency <- home
  meaning$currencies <- "one"
  meaning
}
