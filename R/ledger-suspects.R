#' Identities that need a second look
#'
#' Ids that may be one customer (same e-mail after trimming and case, same name and postcode, same
#' phone) and ids that may be many (a till, a guest account, staff). Shown with the money at stake;
#' nothing is done about them. Blanks never match anything.
#'
#' @param ledger `[nubrek_ledger]` With customer attributes.
#' @param orders_a_day,places_a_day `[integer(1)]` More orders, or orders in more channels, than
#'   this on one day are implausible for one customer.
#' @param share_of_orders `[double(1)]` So is this share of all orders or more (from 20 orders on).
#' @param people `[list]` Which customer attributes tell who somebody is: `name` (one, or its parts
#'   in order), `postcode`, `email`, `phone`. Default: attributes are recognised by their names, in
#'   English, German, French, Spanish, Italian, Dutch and Scandinavian words, names in parts too.
#' @return A `nubrek_suspects`, most money first within each kind: `kind`; `ids`, the first few;
#'   `customers`, how many ids; `orders`; `sales`, their money in major units; `evidence`, in words.
#' @examples
#' identity_suspects(example_ledger(), orders_a_day = 1)
#' @export
identity_suspects <- function(
  ledger, orders_a_day = 4L, places_a_day = 3L, share_of_orders = 0.01, people = NULL
) {
  check_ledger(ledger)
  check_whole(orders_a_day)
  check_whole(places_a_day)
  check_share(share_of_orders)
  who <- people_attributes(ledger, people)
  m <- reduce_customers(ledger)
  text <- \(part) {
    cells <- lapply(who[[part]], \(name) squeeze(ledger$attributes[[name]]))
    if (length(cells) > 0L) Reduce(both, cells)
  }
  named <- both(text("name"), text("postcode"))
  found <- rbind(
    same_people(ledger, m, text("email"), "same e-mail"),
    same_people(ledger, m, named, "same name and postcode"),
    same_people(ledger, m, phone_digits(text("phone")), "same phone"),
    catch_alls(ledger, m, orders_a_day, places_a_day, share_of_orders)
  )
  found <- found[order(match(kind, unique(kind)), -sales)]
  # somebody under two kinds counts once
  stake <- major(ledger, sum(m$sales[unique(unlist(found$codes))]))
  new_result(list(
    kind = found$kind,
    ids = found$ids,
    customers = found$customers,
    orders = found$orders,
    sales = major(ledger, found$sales),
    evidence = found$evidence
  ), "suspects", ledger, basis = list(at_stake = stake, compared = c(
    if (length(who$email) > 0L) "e-mail",
    if (!is.null(named)) "name and postcode",
    if (length(who$phone) > 0L) "phone"
  )), codes = found$codes)
}

# Words that column names have in the languages of the files we read; a name may stand in two parts.
identity_words <- list(
  email = c("email", "e mail", "mail", "courriel", "correo"),
  name = c(
    "name", "full name", "customer name", "kundenname", "nom complet", "nombre completo", "naam",
    "navn", "namn"
  ),
  first = c(
    "first name", "firstname", "given name", "forename", "vorname", "prenom", "pr\u00e9nom",
    "nombre", "voornaam", "fornavn", "f\u00f6rnamn", "nome"
  ),
  last = c(
    "last name", "lastname", "surname", "family name", "nachname", "familienname", "nom",
    "apellido", "apellidos", "achternaam", "efternavn", "etternavn", "efternamn", "cognome"
  ),
  postcode = c(
    "postcode", "post code", "postal code", "zip", "zip code", "zipcode", "plz", "postleitzahl",
    "code postal", "codigo postal", "c\u00f3digo postal", "cap", "postnummer", "postnr"
  ),
  phone = c(
    "phone", "phone number", "telephone", "mobile", "telefon", "telefonnummer", "handy", "tel",
    "t\u00e9l\u00e9phone", "telefono", "tel\u00e9fono", "telefoon", "mobil"
  )
)

# The customer attributes that tell who somebody is: those that are said, or recognised by name.
people_attributes <- function(ledger, said, call = rlang::caller_env()) {
  known <- names(ledger$attributes)
  if (!is.null(said)) {
    check_values(names(said), c("name", "postcode", "email", "phone"), "people", call = call)
    said <- lapply(said, \(names) {
      names <- vapply(as.character(names), own_name, "", known)
      check_columns_exist(names, known, "the customer attributes", call)
      names
    })
    return(said)
  }
  header <- trim_text(header_text(known))
  found <- lapply(identity_words, \(words) utils::head(known[header %in% words], 1L))
  if (length(found$name) == 0L && length(found$first) > 0L && length(found$last) > 0L) {
    found$name <- c(found$first, found$last)
  }
  found[c("name", "postcode", "email", "phone")]
}

# Digits alone; fewer than seven are no phone.
phone_digits <- function(text) {
  if (is.null(text)) return(NULL)
  digits <- gsub("[^0-9]", "", text)
  ifelse(nchar(digits) < 7L, NA_character_, digits)
}

no_suspects <- function() {
  data.table(
    kind = character(),
    ids = character(),
    customers = integer(),
    orders = integer(),
    sales = double(),
    evidence = character(),
    codes = list()
  )
}

# Blanks squeezed, case folded; NA where nothing is left.
squeeze <- function(text) {
  if (is.null(text)) return(NULL)
  text <- tolower(trim_text(gsub("[\\s\u00a0]+", " ", text, perl = TRUE)))
  ifelse(is.na(text) | text == "", NA_character_, text)
}
both <- function(a, b) {
  if (is.null(a) || is.null(b)) {
    NULL
  } else {
    ifelse(is.na(a) | is.na(b), NA_character_, paste(a, b, sep = " / "))
  }
}

same_people <- function(ledger, m, value, kind) {
  if (is.null(value)) return(no_suspects())
  use <- !is.na(value)
  rows <- data.table(
    code = seq_along(ledger$ids), id = ledger$ids, value, orders = m$orders, sales = m$sales
  )[use]
  rows <- rows[value %in% value[duplicated(value)]]
  if (nrow(rows) == 0L) return(no_suspects())
  result <- rows[,
    .(
      ids = first_few(id),
      customers = .N,
      orders = sum(orders),
      sales = sum(sales),
      codes = list(code)
    ),
    by = value
  ]
  result[, .(kind = kind, ids, customers, orders, sales, evidence = value, codes)]
}

first_few <- function(id) {
  paste0(paste(utils::head(id, 3L), collapse = ", "), if (length(id) > 3L) ", ...")
}

catch_alls <- function(ledger, m, orders_a_day, places_a_day, share_of_orders) {
  busy <- busiest_days(ledger)
  busiest <- data.table(code = seq_along(busy$orders), most = busy$orders)
  result <- rbind(
    busiest[most > orders_a_day, .(code, evidence = paste("up to", most, "orders on one day"))],
    {
      n <- m$orders
      big <- which(n >= 20L & n >= share_of_orders * sum(n))
      share <- written(100 * n[big] / sum(n), format = "f", digits = 1L)
      data.table(code = big, evidence = paste(share, "% of all orders", recycle0 = TRUE))
    }
  )
  if (!is.null(busy$channels)) {
    places <- data.table(code = seq_along(busy$channels), most = busy$channels)
    result <- rbind(
      result,
      places[most > places_a_day, .(code, evidence = paste("in", most, "channels on one day"))]
    )
  }
  if (nrow(result) == 0L) return(no_suspects())
  result <- result[, .(evidence = paste(evidence, collapse = "; ")), by = code]
  result[,
    .(
      kind = "one id, many customers",
      ids = ledger$ids[code],
      customers = 1L,
      orders = m$orders[code],
      sales = m$sales[code],
      evidence,
      codes = as.list(code)
    )
  ]
}

# Per customer code, the most orders, and the most channels, that one day saw.
busiest_days <- function(ledger) {
  most <- \(rows, n) {
    if (nrow(rows) == 0L) return(integer(n))
    found <- rows[, .N, by = .(code, day)][, .(most = max(N)), by = code]
    replace(integer(n), found$code, found$most)
  }
  by_customer(ledger, \(part, codes) {
    orders <- data.table(code = part$orders$customer, day = part$orders$day)
    n <- n_customers(part)
    list(orders = most(orders, n), channels = if ("channel" %in% names(part$lines)) {
      most(unique(data.table(orders[part$lines$number], channel = part$lines$channel)), n)
    })
  })
}
