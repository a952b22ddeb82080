#' Identities that need a second look
#'
#' Ids that may be one customer (same e-mail after trimming and case, same name and postcode) and
#' ids that may be many (a till, a guest account, staff). Shown with the money at stake; nothing is
#' done about them. Blanks never match anything.
#'
#' @param ledger `[nubrek_ledger]` E-mails, names and postcodes are the customer attributes of these
#'   names: `email`, `name`, `postcode`.
#' @param orders_a_day,places_a_day `[integer(1)]` More orders, or orders in more channels, than
#'   this on one day are implausible for one customer.
#' @param share_of_orders `[double(1)]` So is this share of all orders or more (from 20 orders on).
#' @return A `nubrek_suspects`, most money first within each kind: `kind`; `ids`, the first few;
#'   `customers`, how many ids; `orders`; `sales`, their money in major units; `evidence`, in words.
#' @examples
#' identity_suspects(example_ledger(), orders_a_day = 1)
#' @export
identity_suspects <- function(
  ledger, orders_a_day = 4L, places_a_day = 3L, share_of_orders = 0.01
) {
  check_ledger(ledger)
  check_whole(orders_a_day)
  check_whole(places_a_day)
  check_share(share_of_orders)
  m <- reduce_customers(ledger)
  found <- rbind(
    same_people(ledger, m, squeeze(ledger$attributes$email), "same e-mail"),
    same_people(
      ledger,
      m,
      both(squeeze(ledger$attributes$name), squeeze(ledger$attributes$postcode)),
      "same name and postcode"
    ),
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
  ), "suspects", ledger, basis = list(at_stake = stake), codes = found$codes)
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
