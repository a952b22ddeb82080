# Words that trades use in headers, by role; matched against the words of a column's name.
role_words <- list(
  customer = c(
    "customer", "cust", "client", "kunde", "kunden", "kd", "member", "buyer", "shopper", "card",
    "karte"
  ),
  order = c(
    "order", "receipt", "invoice", "beleg", "bon", "bestellung", "auftrag", "transaction", "ticket",
    "basket"
  ),
  line = c("line", "position", "pos", "row"),
  date = c(
    "date", "day", "datum", "time", "timestamp", "sold", "ordered", "created", "when", "verkauft"
  ),
  sales = c(
    "net", "netto", "amount", "sales", "revenue", "betrag", "umsatz", "total", "paid", "turnover",
    "sum", "summe"
  ),
  quantity = c("quantity", "qty", "menge", "units", "pieces", "anzahl"),
  unit_price = c("price", "preis", "einzelpreis"),
  gross = c("gross", "brutto"),
  discount = c("discount", "rabatt", "reduction"),
  currency = c("currency", "curr", "waehrung", "w\u00e4hrung"),
  tax = c("tax", "vat", "mwst"),
  shipping = c("shipping", "freight", "delivery", "versand"),
  cost = c("cost", "costs", "kosten"),
  product = c("sku", "product", "article", "artikel", "item", "ean"),
  category = c("category", "group", "warengruppe", "kategorie", "department"),
  channel = c(
    "channel", "shop", "store", "branch", "filiale", "outlet", "kanal", "till", "kasse", "location",
    "site", "laden"
  ),
  return_of = c("return", "returned", "original", "refund", "retoure")
)

# Columns that name a person, used as the customer where no column is called after one.
person_words <- c("email", "mail", "phone", "mobile", "telephone", "telefon", "handy", "loyalty")

# Days of people, never the day of an order.
life_words <- c(
  "birthday", "birth", "born", "geburtstag", "geburtsdatum", "registered", "registration", "signup",
  "joined", "since"
)

offset_pattern <- "([+-][0-9]{2}:?[0-9]{2}|[0-9]Z)$"

money_roles <- c("sales", "quantity", "unit_price", "gross", "discount", "tax", "shipping", "cost")

#' Guess which column plays which role, with the evidence
#'
#' A guess to be corrected, never used silently: `nubrek new` writes it into a study file.
#'
#' @param source `[character | data.frame]` A file or a data frame.
#' @param format `[nubrek_format]` From [file_format()].
#' @return A `nubrek_guess`, one row per column, in the file's order: `column`; `role`, missing
#'   where none fits; `dates`, `numbers`, `blank`, the shares of cells that are dates, numbers,
#'   blank; `distinct`, how many different values; `examples`.
#' @examples
#' guess_columns(data.frame(
#'   KundenNr = c("A1", "B2"), Datum = c("05.03.2024", "25.04.2024"), Betrag = c("1,50", "22,00")
#' ))
#' @export
guess_columns <- function(source, format = file_format()) {
  read <- read_cells(source, format, rlang::current_env())
  seen <- lapply(read$table, look_at)
  pick <- \(name) unlist(lapply(seen, `[[`, name), use.names = FALSE)
  role <- assign_roles(
    names(read$table), pick("dates"), pick("numbers"), pick("codes"), pick("blank")
  )
  role <- guess_person(role, read$table, pick("numbers"))
  role <- guess_currency(role, read$table)
  new_result(
    list(
      column = names(read$table),
      role = role,
      dates = pick("dates"),
      numbers = pick("numbers"),
      blank = pick("blank"),
      distinct = pick("distinct"),
      examples = pick("examples"),
      offsets = pick("offsets")
    ),
    "guess",
    remarks = read$remarks,
    basis = list(rows = read$n, file = read$files[[1L]])
  )
}

# What the cells of a column look like: each distinct text (of very many, a part of them) weighs as
# often as it stands.
look_at <- function(cells) {
  text <- levels(cells)
  filled <- which(!is_blank(text))
  some <- if (length(filled) > 20000L) {
    filled[round(seq(1, length(filled), length.out = 20000L))]
  } else {
    filled
  }
  times <- tabulate(cells, length(text))
  share <- \(hit) if (length(some) == 0L) 0 else sum(times[some][hit]) / sum(times[some])
  words <- trim_text(text[some])
  dates <- max(vapply(
    c("day-first", "month-first"), \(order) share(!is.na(cpp_read_days(words, order)$day)), 0
  ))
  numbers <- share(
    !parse_minor(words, 6L, ".")$unreadable | !parse_minor(words, 6L, ",")$unreadable
  )
  list(
    dates = dates,
    numbers = numbers,
    codes = share(grepl("^[A-Z]{3}$", words)),
    offsets = share(grepl(offset_pattern, words)),
    blank = 1 - sum(times[filled]) / length(cells),
    distinct = if (length(filled) > length(some)) length(filled) else uniqueN(words),
    examples = paste(utils::head(unique(words), 3L), collapse = " | ")
  )
}

header_words <- function(name) {
  words <- strsplit(header_text(name), " ", fixed = TRUE)[[1L]]
  # a number of something may be written in one word
  setdiff(sub("(?<=...)(nr|nummer|number|num|id)$", "", words, perl = TRUE), "")
}

# The words of a column's name as small letters with blanks between them.
header_text <- function(name) {
  spaced <- gsub("([[:lower:][:digit:]])([[:upper:]])", "\\1 \\2", name)
  tolower(gsub("[^[:alnum:]]+", " ", spaced))
}

# Each role goes to the column whose name fits it best and whose cells allow it; each column has at
# most one role.
assign_roles <- function(columns, dates, numbers, codes, blank) {
  words <- lapply(columns, header_words)
  score <- vapply(
    names(role_words),
    \(role) vapply(
      words,
      \(w) {
        hits <- match(role_words[[role]], w, nomatch = 0L) > 0L |
          vapply(
            role_words[[role]], \(k) nchar(k) >= 4L && any(startsWith(w, k) | endsWith(w, k)), NA
          )
        if (any(hits)) 2 - 0.05 * which(hits)[[1L]] - 0.02 * length(w) else 0
      },
      0
    ),
    numeric(length(columns))
  )
  score <- matrix(score, length(columns), dimnames = list(NULL, names(role_words)))
  score[dates < 0.8, "date"] <- 0
  score[dates >= 0.8, setdiff(names(role_words), "date")] <- 0
  life <- vapply(words, \(w) any(w %in% life_words), NA)
  score[life, ] <- 0
  dates[life] <- 0
  score[dates >= 0.8, "date"] <- score[dates >= 0.8, "date"] + 1 - blank[dates >= 0.8]
  score[numbers < 0.9, money_roles] <- 0
  score[codes < 0.9, "currency"] <- 0
  # a line's total is no id of the line; the cost of a piece is no cost of the line, nor its sales
  of_money <- vapply(words, \(w) any(w %in% role_words$sales), NA)
  score[of_money, "line"] <- 0
  score[is_unit_cost(columns), ] <- 0
  # a name such as "order date" or "customer group" speaks of more than one thing; the cells decided
  # above
  result <- rep(NA_character_, length(columns))
  while (any(score > 0)) {
    best <- arrayInd(which.max(score), dim(score))
    result[[best[[1L]]]] <- names(role_words)[[best[[2L]]]]
    score[best[[1L]], ] <- 0
    score[, best[[2L]]] <- 0
  }
  # sales in one column need no arithmetic; the quantity is kept for units()
  unused <- if ("sales" %in% result) {
    c("unit_price", "gross")
  } else if (all(c("quantity", "unit_price") %in% result)) {
    "gross"
  } else {
    character()
  }
  result[result %in% unused] <- NA_character_
  # a bare id among columns of which none is the order's
  if (!"order" %in% result) {
    bare <- which(is.na(result) & tolower(columns) %in% c("id", "nr", "no", "number", "nummer"))
    if (length(bare) > 0L && any(!is.na(result))) result[[bare[[1L]]]] <- "order"
  }
  result
}

# Headers such as unit_cost, cost per piece, Stueckkosten.
is_unit_cost <- function(columns) {
  text <- vapply(columns, header_text, "")
  cost <- "(cost|costs|kosten|einkaufspreis|einstandspreis|cogs)"
  piece <- "(unit|piece|item|each|st\u00fcck|stueck)"
  grepl(paste0(piece, ".*", cost, "|", cost, ".*", piece, "|einkaufspreis|einstandspreis"), text)
}

# No column is called after the customer: an e-mail, a phone or card number stands for one.
guess_person <- function(role, table, numbers) {
  if ("customer" %in% role) return(role)
  fits <- which(
    is.na(role) & vapply(names(table), \(name) any(person_words %in% header_words(name)), NA)
  )
  if (length(fits) > 0L) role[[fits[[1L]]]] <- "customer"
  role
}

# A column that holds the codes of several currencies is the currency, whatever it is called.
guess_currency <- function(role, table) {
  if ("currency" %in% role) return(role)
  fits <- which(is.na(role) & vapply(table, \(cells) length(currencies_in(cells)) > 1L, NA))
  if (length(fits) > 0L) role[[fits[[1L]]]] <- "currency"
  role
}
