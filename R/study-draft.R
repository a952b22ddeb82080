# A first study file for a stranger's export: the best guess for each column, with its evidence, to
# be corrected.

draft_study <- function(files, folder) {
  guesses <- lapply(files, guess_columns)
  tables <- lapply(files, \(file) read_source(file)$table)
  main <- main_file(guesses, tables)
  whole <- join_files(tables, guesses, main)
  guess <- whole$guess
  roles <- guess$role
  orders <- whole$orders
  places <- lapply(files, path_from, folder = folder)
  text <- c(
    paste0(
      "# Written by `nubrek new`: a guess for each column, with what was seen. Correct it, then: ",
      "nubrek check"
    ),
    "study: My customers",
    "",
    "data:",
    "  orders:",
    files_line(places[c(main, whole$more)]),
    "    columns:",
    column_lines(guess, roles),
    attribute_lines(guess, roles),
    spare_lines(guess, roles),
    join_lines(whole$joins, files, places)
  )
  joined <- vapply(whole$joins, `[[`, 0L, "file")
  for (i in setdiff(seq_along(files), c(main, whole$more, joined))) {
    text <- c(text, attribute_file_lines(tables[[i]], places[[i]], orders, roles))
  }
  codes <- currency_codes(orders, guess, roles)
  home <- if (length(codes) > 0L) codes[[1L]] else "EUR"
  seen <- if (length(codes) > 1L) paste0("; seen: ", paste(codes, collapse = ", "))
  text <- c(
    text,
    "",
    "meanings:",
    paste0("  currency: ", home, "               # the home currency", seen),
    zone_line(guess, roles),
    "  purchase_unit: order        # or day: all orders of a day are one purchase",
    "  # dates: day-first          # or month-first, where days can be read in two ways",
    "  # decimal_mark: \",\"         # or \".\", where amounts can be read in two ways",
    "  # history_start: 2023-01-01 # the first day the export covers",
    "  # cancelled: {column: state, values: [cancelled]}",
    "  # excluded_ids: [GUEST]     # a till, a guest account, staff",
    consent_line(guesses),
    unit_cost_line(guesses, roles),
    kind_lines(orders, guess, roles),
    "",
    "# economics: {margin_rate: 0.45, yearly_discount: 0.10}",
    "# payback: {cost: 12.50}                 # of winning a customer",
    "# tiers: {shares: {top: 10, middle: 30, base: 60}}",
    "# moves: {periods: [2023, 2024]}          # who rose, who fell",
    "# forecast: {years: 1, purchases: pareto-nbd, spend: gamma-gamma}",
    "",
    "outputs:",
    "  folder: results"
  )
  list(text = text, guesses = guesses, main = main)
}

# The currencies of the orders, the most frequent first.
currency_codes <- function(orders, guess, roles) {
  name <- guess$column[match("currency", roles)]
  if (is.na(name)) return(character())
  cells <- code_column(orders[[name]])
  found <- currencies_in(cells)
  if (length(found) > 0L) found else utils::head(setdiff(trim_text(levels(cells)), ""), 3L)
}

# The cost of a piece, in the order lines or beside the products, where no line has its cost.
unit_cost_line <- function(guesses, roles) {
  names <- unlist(lapply(guesses, `[[`, "column"), use.names = FALSE)
  hit <- names[is_unit_cost(names)]
  if (length(hit) == 0L || "cost" %in% roles || !"quantity" %in% roles) return(NULL)
  paste0("  unit_cost: ", quoted(plain_name(hit[[1L]])), "  # the cost of a piece, times quantity")
}

# Who agreed to be contacted, where a column is called so.
consent_line <- function(guesses) {
  names <- unlist(lapply(guesses, `[[`, "column"), use.names = FALSE)
  hit <- grepl(consent_pattern, vapply(names, header_text, ""), perl = TRUE)
  if (!any(hit)) {
    return("  # consent: COLUMN           # who agreed to be contacted; or: not recorded")
  }
  paste0(
    "  consent: ", quoted(plain_name(names[hit][[1L]])),
    "  # who agreed to be contacted; lists with contacts hold only these"
  )
}

# Lines that may be no goods, by the words of a column with few texts; a proposal, as each takes
# lines out of the sales or the goods.
kind_lines <- function(orders, guess, roles) {
  columns <- guess$column[
    roles %in% c("product", "category", NA) & guess$dates < 0.8 & guess$numbers < 0.9
  ]
  for (name in columns) {
    texts <- unique(trim_text(as.character(orders[[name]])))
    texts <- texts[!is_blank(texts)]
    if (length(texts) == 0L || length(texts) > 20000L) next
    said <- vapply(texts, header_text, "")
    found <- lapply(kind_patterns, \(pattern) texts[grepl(pattern, said, perl = TRUE)])
    found$voucher <- setdiff(found$voucher, found$gift_card)
    found <- found[lengths(found) > 0L & lengths(found) < 50L]
    if (length(found) == 0L) next
    return(c(
      "  # kinds:                    # lines that are no goods, by their words; see nubrek keys",
      sprintf(
        "  #   %s: {column: %s, values: [%s]}", names(found), quoted(name),
        vapply(found, \(one) paste(quoted_each(one), collapse = ", "), "")
      )
    ))
  }
  NULL
}

consent_pattern <- paste0(
  "consent|permission|opt ?in\\b|may contact|(letter|mail|mailing|newsletter)s? ok|",
  "einwillig|erlaubnis|consentement|consenso|consentimiento|toestemming|consentimento"
)
kind_patterns <- c(
  voucher = "\\b(voucher|coupon|gutschein|rabattcode|promo ?code|bon de reduction)",
  shipping = paste0(
    "\\b(shipping|delivery|freight|postage|versand|porto|livraison|frais de port|spedizione)"
  ),
  gift_card = "\\b(gift ?(card|voucher)|geschenk(karte|gutschein)|carte cadeau|buono regalo)",
  deposit = "\\b(deposit|pfand|consigne|statiegeld)",
  fee = "\\b(fee|surcharge|geb\u00fchr|gebuehr|frais de dossier)",
  tip = "\\b(tip|gratuity|trinkgeld|pourboire)\\b"
)

# Stamps with an offset from Greenwich need the zone of the shop.
zone_line <- function(guess, roles) {
  offsets <- guess$offsets[match("date", roles)]
  if (isTRUE(offsets > 0)) {
    paste0(
      "  time_zone: \"?\"              # the stamps carry an offset: name the zone of the shop, ",
      "such as Europe/Vienna"
    )
  }
}

# Columns of the orders that become attributes: days of people, the cost of a piece.
are_attributes <- function(guess, roles) {
  of_people <- vapply(guess$column, \(name) any(life_words %in% header_words(name)), NA)
  is.na(roles) & (of_people | is_unit_cost(guess$column))
}

attribute_lines <- function(guess, roles) {
  own <- guess$column[are_attributes(guess, roles)]
  if (length(own) > 0L) paste0("    attributes: ", attribute_list(own))
}

# Columns as attributes: a list, or where a name is no word that rules can speak, with one that is.
attribute_list <- function(columns) {
  names <- vapply(columns, plain_name, "", USE.NAMES = FALSE)
  if (identical(names, columns)) {
    return(paste0("[", paste(quoted_each(columns), collapse = ", "), "]"))
  }
  paste0("{", paste0(
    quoted_each(make.unique(names, "_")), ": ", quoted_each(columns), collapse = ", "
  ), "}")
}

# "Letters ok" as letters_ok.
plain_name <- function(column) {
  if (grepl("^[A-Za-z][A-Za-z0-9_.]*$", column)) return(column)
  word <- gsub("[^[:alnum:]]+", "_", tolower(column))
  word <- gsub("^_+|_+$", "", word)
  if (grepl("^[[:alpha:]]", word)) word else paste0("column_", word)
}

# The orders are where a date and an amount stand; of several such files the longest. Their lines,
# where they stand apart, with an amount and the key of the order, come first.
main_file <- function(guesses, tables) {
  money <- vapply(guesses, \(g) any(c("sales", "gross", "unit_price") %in% g$role), NA)
  fits <- money & vapply(guesses, \(g) all(c("date", "customer") %in% g$role), NA)
  rows <- vapply(guesses, basis_of, 0, field = "rows")
  longest <- \(which) which[[which.max(rows[which])]]
  if (!any(fits)) return(longest(if (any(money)) which(money) else seq_along(rows)))
  heads <- longest(which(fits))
  lines <- Filter(\(i) {
    rows[[i]] > rows[[heads]] && !is.null(common_key(tables[[i]], tables[[heads]]))
  }, which(money & !fits))
  if (length(lines) > 0L) longest(lines) else heads
}

files_line <- function(places) {
  text <- paste(quoted_each(unlist(places)), collapse = ", ")
  paste0("    files: ", if (length(places) > 1L) paste0("[", text, "]") else text)
}

quoted <- function(text) as.character(jsonlite::toJSON(text, auto_unbox = TRUE))
path_from <- function(file, folder) {
  if (normalizePath(dirname(file)) == normalizePath(folder)) {
    basename(file)
  } else {
    normalizePath(file)
  }
}

column_lines <- function(guess, role) {
  used <- which(!is.na(role))
  used <- used[order(match(role[used], column_roles))]
  lines <- paste0("      ", role[used], ": ", quoted_each(guess$column[used]))
  lacking <- setdiff(
    c("customer", "date", if (!any(c("sales", "gross", "unit_price") %in% role)) "sales"), role
  )
  c(
    paste0(format(lines), "  # ", seen_in(guess, used)),
    if (length(lacking) > 0L) paste0("      ", lacking, ": \"?\"  # none found: name the column")
  )
}

spare_lines <- function(guess, role) {
  spare <- which(is.na(role) & !are_attributes(guess, role))
  if (length(spare) == 0L) return(NULL)
  c(
    "    # not used; any of them can be an attribute, or take another role:",
    paste0("    #   ", quoted_each(guess$column[spare]), "  ", seen_in(guess, spare))
  )
}

quoted_each <- function(text) vapply(text, quoted, "", USE.NAMES = FALSE)

seen_in <- function(guess, at) {
  kind <- ifelse(
    guess$dates[at] >= 0.8,
    paste(present_share(guess$dates[at]), "dates"),
    ifelse(guess$numbers[at] >= 0.9, paste(present_share(guess$numbers[at]), "numbers"), "text")
  )
  examples <- gsub("[[:cntrl:]]", " ", ifelse(
    nchar(guess$examples[at]) > 50L,
    paste0(substr(guess$examples[at], 1L, 49L), "..."),
    guess$examples[at]
  ))
  gsub("[\u202f\u00a0]", " ", paste0(
    kind,
    ", ",
    format_count(guess$distinct[at]),
    " different, ",
    present_share(guess$blank[at]),
    " blank: ",
    examples
  ))
}

# Another file: of customers or products, when a column of it holds each of their ids once.
attribute_file_lines <- function(rows, place, orders, roles) {
  for (role in c("customer", "product")) {
    if (!role %in% roles) next
    key <- key_among(orders[[match(role, roles)]], rows)
    if (is.null(key)) next
    return(c(
      paste0("  ", role, "s:"),
      paste0("    files: ", quoted(place)),
      paste0(
        "    key: ", quoted(key$name), "  # ", present_share(key$share), " of the ", role,
        " ids are in it"
      ),
      paste0("    attributes: ", attribute_list(setdiff(names(rows), key$name)))
    ))
  }
  paste0(
    "  # not used: ", place,
    " (no column holds customer or product ids once each, none joins it to the orders)"
  )
}
