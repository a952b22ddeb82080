# Ledgers whose rows do not stand in one piece of memory, and all that is asked of them.

local_database <- function(..., frame = parent.frame()) {
  path <- withr::local_tempfile(fileext = ".db", .local_envir = frame)
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  withr::defer(if (DBI::dbIsValid(con)) DBI::dbDisconnect(con), frame)
  for (name in names(list(...))) {
    DBI::dbWriteTable(con, name, list(...)[[name]])
  }
  structure(con, path = path)
}

# The same ledger with its customers dealt into so many parts, some of them without anybody.
in_parts <- function(ledger, n) {
  place <- (seq_along(ledger$ids) * 7919L) %% n + 1L
  parts <- lapply(seq_len(n), \(k) {
    codes <- which(place == k)
    own <- match(seq_along(ledger$ids), codes)
    mine <- which(!is.na(own[ledger$orders$customer]))
    lines <- ledger$lines[ledger$lines$number %in% mine]
    lines$number <- match(lines$number, mine)
    orders <- lapply(ledger$orders, `[`, mine)
    orders$customer <- own[orders$customer]
    before <- lapply(ledger$before, `[`, !is.na(own[ledger$before$customer]))
    before$customer <- own[before$customer]
    rows <- list(orders = orders, lines = lines, before = before)
    list(open = \() lapply(rows, data.table::copy), codes = codes)
  })
  new_parts(ledger, parts, names(ledger$lines))
}

# Everything that is asked of a ledger, as far as it has an answer; or only that.
answers <- function(ledger, only = NULL) {
  asked <- list(
    customers = \(l) customers(l, everybody = TRUE),
    rates = \(l) repeat_rate(l),
    rates_by = \(l) repeat_rate(l, by = "first_channel"),
    counts = \(l) order_counts(l),
    gaps = \(l) all_gaps(l),
    gaps_of = \(l) purchase_gaps(l),
    tail = \(l) gap_tail(purchase_gaps(l)),
    next_one = \(l) next_purchase(l),
    curve = \(l) waiting_curve(l),
    waiting = \(l) waiting_customers(l),
    new = \(l) new_returning(l, "month", lookback = 3),
    new_of = \(l) new_returning(l, "quarter", by = "channel"),
    periods = \(l) customer_periods(l, "quarter"),
    sales = \(l) sales_by(l, "channel"),
    sales_of = \(l) sales_by(l, c("first_channel", "channel")),
    grid = \(l) cohort_grid(l, "month", margin = 0.4),
    grid_by = \(l) cohort_grid(l, "quarter", by = "first_channel"),
    elapsed = \(l) cohort_grid(l, "month", ages = "elapsed"),
    payback = \(l) cohort_payback(cohort_grid(l, "quarter", margin = 0.5), cost = 10),
    scores = \(l) score_rfm(l),
    profile = \(l) rfm_profile(score_rfm(l)),
    tiers = \(l) assign_tiers(l),
    map = \(l) map_profile(order_map(l)),
    ranks = \(l) rank_customers(l, within = "first_channel"),
    ranks_there = \(l) rank_customers(l, within = "channel", top = 5),
    slice = \(l) repeat_rate(ledger_slice(l, lines = list(channel = "Mill"))),
    during = \(l) customers(ledger_during(l, "2024")),
    history = \(l) purchase_history(l),
    behind = \(l) rows_behind(cohort_grid(l), l, age = 1),
    behind_sales = \(l) rows_behind(sales_by(l, "channel"), l, channel = "Quay"),
    moves = \(l) tier_moves(l, c("2024", "2025")),
    audience = \(l) {
      audience(l, purchases >= 2, sales(channel == "Quay") > 20, unless(open_gap < 9))
    },
    home = \(l) home_store(l),
    store_clock = \(l) store_clock(l, clock = "quarter"),
    losses = \(l) store_losses(l, "2024", "2025"),
    steps = \(l) product_steps(l, "channel", at_least = 3),
    companions = \(l) companion_goods(l, "channel", at_least = 3),
    first = \(l) first_products(l, "channel", within = 90, at_least = 3),
    returns = \(l) customer_returns(l),
    returns_by = \(l) returns_by(l, "channel"),
    discounts = \(l) discount_starts(l, within = 60),
    due = \(l) purchase_due(l, steps = product_steps(l, "channel", at_least = 3)),
    suspects = \(l) identity_suspects(l),
    audit = \(l) audit(l),
    proof = \(l) prove_totals(l)
  )
  lapply(asked[only %||% names(asked)], \(ask) {
    tryCatch(ask(ledger), nubrek_error = \(e) class(e)[[1L]])
  })
}

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
  rows$amount[pick(c(FALSE, TRUE), c(6, 1))] <- "0.00"
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
    currency = "money", channel = if (runif(1) < 0.8) "shop", product = some("thing"),
    cost = some("paid_for"),
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
      minimum_sales = sample(list(NULL, 0, 5), 1L)[[1L]],
      kinds = some(list(
        voucher = order_rule("thing", "Kit"), shipping = order_rule("thing", "N\u00e4hset")
      )),
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
