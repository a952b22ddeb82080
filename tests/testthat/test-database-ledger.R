# A ledger that stays in its database is the ledger that its rows make in memory: the record of
# intake, the folded rows, and every answer.

# Rows with all that exports bring: blanks around ids, two currencies, returns that name their
# order, repeated rows and lines, times, days before 1970, texts beyond ASCII.
rich_rows <- function(seed) {
  set.seed(seed)
  n <- 80L + seed %% 50L
  rows <- random_orders(seed, n)
  n <- nrow(rows)
  pick <- \(x, ...) sample(x, n, TRUE, ...)
  rows$customer <- paste0(pick(c("", " ", "\u00a0"), c(8, 1, 1)), rows$customer)
  rows$customer[pick(c(FALSE, TRUE), c(30, 1))] <- "Zo\u00eb's \"caf\u00e9\"; --"
  rows$receipt[pick(c(FALSE, TRUE), c(20, 1))] <- pick(c("", NA, "x'y"))[1:1]
  rows$day <- paste0(rows$day, pick(c("", " 10:30", " 08:05:59"), c(2, 1, 1)))
  rows$day[pick(c(FALSE, TRUE), c(60, 1))] <- "1968-03-05"
  rows$money <- pick(c("EUR", "USD", "", "SEK"), c(20, 2, 1, 1))
  rows$pieces <- pick(c("1", "2", "2.5", "", "x"), c(20, 5, 2, 1, 1))
  rows$off <- pick(c("0", "1.25", "", "0.005"), c(6, 2, 2, 1))
  rows$paid_for <- sprintf("%.2f", pick(0:700) / 100)
  rows$thing <- pick(c("Yarn", "yarn ", "Kit", "", NA, "N\u00e4hset"))
  rows$back_of <- ifelse(startsWith(rows$amount, "-") & runif(n) < 0.5, pick(rows$receipt), "")
  rows$line <- sprintf("L%03d", seq_len(n))
  rows$line[sample(n, 3L)] <- ""
  rbind(rows, rows[sample(n, 5L), ])
}

# What is said of them, drawn.
rich_opening <- function(seed, rows) {
  set.seed(seed + 1000L)
  some <- \(x) if (runif(1) < 0.4) x
  ids <- unique(trim_text(rows$customer))
  roles <- c(list(
    customer = "customer", date = "day", sales = "amount", order = some("receipt") %||% "receipt",
    currency = "money", channel = if (runif(1) < 0.8) "shop", product = some("thing"), cost = some("paid_for"),
    discount = some("off"), quantity = some("pieces"), return_of = some("back_of"),
    tax = some("off")
  ), if (runif(1) < 0.2) list(line = "line"))
  if (runif(1) < 0.15) roles$order <- NULL
  list(
    columns = do.call(column_map, Filter(Negate(is.null), roles)),
    meaning = meanings(
      currency = "EUR",
      cancelled = some(order_rule("state", "cancelled")),
      test = some(order_rule("shop", c("Mill", "it's"))),
      purchase_unit = sample(meaning_choices$purchase_unit, 1L),
      returns = sample(meaning_choices$returns, 1L),
      duplicates = sample(meaning_choices$duplicates, 1L),
      conflicts = sample(c("newer replaces", "first stays"), 1L),
      minimum_sales = sample(c(0, 5), 1L),
      history_start = some("2024-05-05"),
      as_of = some("2025-03-03"),
      excluded_ids = some(ids[[2L]]) %||% character(),
      cost_per = sample(meaning_choices$cost_per, 1L)
    ),
    customers = some(attribute_table(data.frame(
      no = c(rev(ids[nzchar(ids)]), "only here"),
      town = c(rep_len(c("Carrow", "", "Pell"), sum(nzchar(ids))), "Carrow")
    ), key = "no", attributes = "town")),
    products = if (!is.null(roles$product)) some(attribute_table(data.frame(
      thing = c("Yarn", "Kit"), category = c("wool", "")
    ), key = "thing", attributes = "category")),
    aliases = some(attribute_table(data.frame(
      no = c("C01", "C02"), main = c("C02", "C03")
    ), key = "no", attributes = c(same_as = "main"))),
    rates = some(currency_rates(data.frame(
      day = c("1960-01-01", "2024-06-01"), money = "USD", rate = c("0.9", "0.912345")
    ), date = "day", currency = "money"))
  )
}

test_that("random rows folded in the database are the ledger that they make in memory", {
  for (seed in 1:40) {
    rows <- rich_rows(seed)
    said <- rich_opening(seed, rows)
    con <- local_database(sold = rows)
    open <- \(...) tryCatch(
      do.call(open_ledger, c(list(db_table(con, "sold")), said, list(...))),
      nubrek_error = \(e) list(class(e)[[1L]], conditionMessage(e))
    )
    memory <- open()
    database <- open(workspace = "temporary")
    label <- \(part) paste(part, "seed", seed)
    if (!inherits(memory, "nubrek_ledger")) {
      expect_identical(database, memory, label = label("error"))
      next
    }
    part <- open_part(database, 1L)
    for (name in c("orders", "before", "days", "purchases")) {
      expect_equal(part[[name]], memory[[name]], label = label(name))
    }
    expect_equal(
      lapply(part$lines, as.character), lapply(memory$lines, as.character), label = label("lines")
    )
    for (name in c(
      "ids", "known_first", "attributes", "history_start", "as_of", "least", "returns", "currency",
      "decimals", "intake"
    )) {
      expect_equal(database[[name]], memory[[name]], label = label(name))
    }
    expect_equal(remarks(database), remarks(memory), label = label("remarks"))
  }
})
