# Ledgers in databases of several servers, in ones where nothing may be written, and beside tables
# that are joined: the same as in memory.

# So many databases, the rows dealt to them by who their customers are.
dealt_databases <- function(rows, said, n = 2L, frame = parent.frame()) {
  person <- resolve_aliases(
    trim_text(ifelse(is.na(rows$customer), "", rows$customer)), alias_lookup(said$aliases)
  )
  place <- vapply(paste0(person, "x"), \(id) sum(utf8ToInt(id)) %% n, 0) + 1L
  lapply(seq_len(n), \(k) local_database(sold = rows[place == k, ], frame = frame))
}

# One question of each kind; all of them are asked of real engines (`make test-engines`).
few <- c(
  "customers", "gaps_of", "tail", "new_of", "sales_of", "grid_by", "waiting", "history", "slice",
  "behind", "audience"
)

expect_same_answers <- function(found, whole, label) {
  found <- answers(found, few)
  whole <- answers(whole, few)
  for (name in names(whole)) {
    expect_equal(found[[name]], whole[[name]], label = paste(name, label))
  }
}

test_long("rows dealt to servers by customer are one ledger, also when it is kept", {
  rows <- rich_rows(6L)
  said <- rich_opening(6L, rows)
  cons <- dealt_databases(rows, said, 3L)
  open <- \(...) do.call(open_ledger, c(list(lapply(cons, db_table, "sold")), said, list(...)))
  memory <- open()
  ledger <- open(workspace = "main")
  expect_equal(remarks(ledger), remarks(memory))
  expect_same_answers(ledger, memory, "on three servers")
  folder <- file.path(withr::local_tempdir(), "kept")
  save_ledger(ledger, folder)
  expect_error(
    open_ledger(folder, connection = cons[[1L]]), "3 servers", class = "nubrek_error_source"
  )
  kept <- open_ledger(folder, connection = cons)
  expect_equal(repeat_rate(kept), repeat_rate(memory))
  expect_identical(refresh_ledger(kept), kept)
  DBI::dbExecute(cons[[2L]], "DELETE FROM sold WHERE rowid = 1")
  fresh <- refresh_ledger(kept)
  expect_equal(repeat_rate(fresh), repeat_rate(open()))
  close_ledger(kept)
  close_ledger(fresh)
  # what only questions need is gone with their session
  left <- lapply(cons, DBI::dbGetQuery, "SELECT name FROM sqlite_master WHERE type = 'table'")
  expect_identical(unique(unlist(left)), "sold")
})

test_that("a customer on two servers, other columns, one connection twice: refused, nothing left", {
  rows <- random_orders(4L)
  cons <- list(local_database(sold = rows), local_database(sold = rows[1:3, ]))
  map <- column_map(customer = "customer", date = "day", sales = "amount")
  open <- \(tables) open_ledger(tables, map, meanings(currency = "EUR"), workspace = "main")
  expect_error(
    open(lapply(cons, db_table, "sold")), rows$customer[[1L]], class = "nubrek_error_database"
  )
  expect_error(
    open(list(db_table(cons[[1L]], "sold"), db_table(cons[[1L]], "sold"))), "UNION ALL",
    class = "nubrek_error_database"
  )
  DBI::dbWriteTable(cons[[2L]], "sold", rows[1:3, -1L], overwrite = TRUE)
  expect_error(
    open(lapply(cons, db_table, "sold")), "customer", class = "nubrek_error_database"
  )
  expect_identical(unlist(lapply(cons, DBI::dbListTables)), c("sold", "sold"))
})

test_long("where nothing may be written, questions bring their tables with them", {
  rows <- rich_rows(3L)
  said <- rich_opening(3L, rows)
  con <- local_database(sold = rows)
  reader <- DBI::dbConnect(RSQLite::SQLite(), attr(con, "path"), flags = RSQLite::SQLITE_RO)
  withr::defer(DBI::dbDisconnect(reader))
  ledger <- do.call(open_ledger, c(list(db_table(reader, "sold")), said, workspace = "none"))
  expect_match(remarks(ledger)$remark[[1L]], "folds all rows anew")
  # rows have no order of their own: the questions number them as they are sorted
  sorted <- rows[do.call(order, c(lapply(rows, \(x) ifelse(is.na(x), "", x)), method = "radix")), ]
  memory <- do.call(open_ledger, c(list(sorted), said))
  attr(ledger, "remarks") <- remarks(memory)
  expect_equal(set_aside(ledger)$reason, set_aside(memory)$reason)
  memory$intake <- ledger$intake
  expect_same_answers(ledger, memory, "nothing written")
  expect_identical(DBI::dbListTables(con), "sold")
  expect_error(save_ledger(ledger, tempfile()), class = "nubrek_error_source")
  DBI::dbExecute(con, "DELETE FROM sold WHERE rowid = 1")
  expect_error(repeat_rate(ledger), "not those", class = "nubrek_error_database")
})

test_long("tables joined to rows in a database are those joined in memory", {
  rows <- random_orders(5L)
  heads <- unique(rows[c("receipt", "day", "state")])
  heads <- heads[!duplicated(heads$receipt), ]
  shops <- data.frame(shop = c(unique(rows$shop), "none"), region = "north", open = "yes")
  lines <- rows[c("customer", "receipt", "amount", "shop")]
  con <- local_database(lines = lines)
  joins <- list(
    join_table(heads[-1L, ], by = "receipt"), join_table(shops, by = "shop")
  )
  open <- \(sales = "amount", joined = joins, ...) open_ledger(
    db_table(con, "lines"), column_map(
      customer = "customer", order = "receipt", date = "day", sales = sales,
      attributes = c(region = "region")
    ), meanings(currency = "EUR", cancelled = order_rule("state", "cancelled")),
    joins = joined, ...
  )
  memory <- open()
  ledger <- open(workspace = "main")
  expect_equal(audit(ledger), audit(memory))
  expect_equal(set_aside(ledger), set_aside(memory))
  expect_same_answers(ledger, memory, "joined")
  expect_identical(remarks(ledger), remarks(memory))
  heads_joined <- sum(!is.na(lines$receipt) & lines$receipt %in% heads$receipt[-1L])
  expect_match(
    remarks(ledger)$remark[remarks(ledger)$about == "joins"][[1L]],
    sprintf("%d.row.* found their row, %d did not", heads_joined, nrow(lines) - heads_joined)
  )
  close_ledger(ledger)
  # a key of two columns: receipts are numbered in each shop
  heads$shop <- rows$shop[match(heads$receipt, rows$receipt)]
  two <- list(join_table(heads, by = c("receipt", "shop")), joins[[2L]])
  memory <- open(joined = two)
  ledger <- open(joined = two, workspace = "main")
  expect_equal(set_aside(ledger), set_aside(memory))
  expect_identical(remarks(ledger), remarks(memory))
  expect_same_answers(ledger, memory, "joined by two")
  close_ledger(ledger)
  heads$paid <- "10.00"
  twice <- list(join_table(heads, by = "receipt"), joins[[2L]])
  errors <- lapply(list(NULL, "main"), \(where) {
    tryCatch(open("paid", twice, workspace = where), nubrek_error_join = conditionMessage)
  })
  expect_match(errors[[1L]], "counted for each")
  expect_identical(errors[[2L]], errors[[1L]])
  # a key that stands once on each of two servers stands twice
  dealt <- list(local_database(lines = lines[1L, ]), local_database(lines = lines[1L, ]))
  DBI::dbExecute(dealt[[2L]], "UPDATE lines SET customer = 'another'")
  expect_error(open_ledger(
    lapply(dealt, db_table, "lines"),
    column_map(customer = "customer", order = "receipt", date = "day", sales = "paid"),
    meanings(currency = "EUR"),
    joins = twice, workspace = "main"
  ), "counted for each", class = "nubrek_error_join")
  expect_identical(DBI::dbListTables(con), "lines")
})

test_long("of a table that only grows, customers with new rows are folded, the others copied", {
  folded <- 0L
  for (seed in c(2L, 6L, 8L)) {
    rows <- rich_rows(seed)
    said <- rich_opening(seed, rows)
    more <- rows
    more$customer <- paste0("Q", trim_text(ifelse(is.na(rows$customer), "", rows$customer)))
    more$receipt <- paste0("Q", rows$receipt)
    set.seed(seed)
    late <- rows$customer %in% sample(rows$customer, 3L) & runif(nrow(rows)) < 0.7
    rows <- rbind(cbind(rows, loaded = 1L + late), cbind(more, loaded = 1L))
    con <- local_database(sold = rows[rows$loaded == 1L, ])
    open <- \(...) {
      do.call(open_ledger, c(list(db_table(con, "sold", added = "loaded")), said, list(...)))
    }
    before <- open(workspace = "main")
    folder <- file.path(withr::local_tempdir(), "kept")
    save_ledger(before, folder)
    kept <- open_ledger(folder, connection = con)
    was <- repeat_rate(kept)
    DBI::dbAppendTable(con, "sold", rows[rows$loaded == 2L, ])
    # stopped in the middle: nothing is left, and the next one comes to its end
    there <- DBI::dbGetQuery(con, "SELECT name FROM sqlite_master WHERE type = 'table'")$name
    stopped <- tryCatch(withCallingHandlers(refresh_ledger(kept), nubrek_progress = \(p) {
      if (p$step == "forming orders") rlang::interrupt()
    }), interrupt = \(i) "stopped")
    expect_identical(stopped, "stopped")
    expect_setequal(
      DBI::dbGetQuery(con, "SELECT name FROM sqlite_master WHERE type = 'table'")$name, there
    )
    steps <- character()
    after <- withCallingHandlers(refresh_ledger(kept), nubrek_progress = \(p) {
      steps <<- c(steps, p$step)
    })
    folded <- folded + (sum(steps == "looking for repeated rows") == 2L)
    memory <- open()
    expect_same_answers(after, memory, paste("refreshed, seed", seed))
    expect_equal(remarks(after), remarks(memory))
    of <- \(ledger) ledger$intake$counts[, c("reason", "currency", "rows", "units", "unknown")]
    expect_equal(of(after), of(memory))
    expect_identical(sort(set_aside(after)$faults), sort(set_aside(memory)$faults))
    expect_equal(repeat_rate(kept), was)
    # a row changed that was there before: all is folded
    DBI::dbExecute(con, "UPDATE sold SET amount = '77.77' WHERE rowid = 5")
    expect_equal(repeat_rate(refresh_ledger(after)), repeat_rate(open()))
  }
  expect_gte(folded, 2L)
  expect_error(db_table(con, "sold", added = "loadet"), "loaded", class = "nubrek_error_columns")
})

test_that("a study names several servers, or a database that it only reads", {
  rows <- random_orders(6L, 200L)
  said <- list(aliases = NULL)
  cons <- dealt_databases(rows, said)
  folder <- withr::local_tempdir()
  put <- \(name, lines) writeLines(lines, file.path(folder, name))
  paths <- vapply(cons, attr, "", "path")
  put("connections.yaml", sprintf("till_%d: {package: RSQLite, dbname: '%s'}", 1:2, paths))
  withr::local_envvar(NUBREK_CONNECTIONS = file.path(folder, "connections.yaml"))
  study <- \(connection, workspace) {
    put("study.yaml", c(
      "data:", paste("  connection:", connection), paste("  workspace:", workspace), "  orders:",
      "    table: sold",
      "    columns: {customer: customer, order: receipt, date: day, sales: amount}",
      "meanings: {currency: EUR}"
    ))
    study_ledger(file.path(folder, "study.yaml"))
  }
  memory <- open_ledger(
    lapply(cons, db_table, "sold"),
    column_map(customer = "customer", order = "receipt", date = "day", sales = "amount"),
    meanings(currency = "EUR")
  )
  found <- list(study("[till_1, till_2]", "temporary"), study("[till_1, till_2]", "none"))
  for (ledger in found) expect_equal(lapply(repeat_rate(ledger), I), lapply(repeat_rate(memory), I))
  expect_identical(unlist(lapply(cons, DBI::dbListTables)), c("sold", "sold"))
})
