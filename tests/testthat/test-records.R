# What lists of columns, kinds, formats, verbs and classes say of each other.

test_that("a column name has one kind, and every kind is written somewhere", {
  names <- unlist(column_kinds, use.names = FALSE)
  expect_identical(names[duplicated(names)], character())
  expect_true(all(names(column_kinds) %in% known_kinds))
  expect_true(all(names(kind_writers) %in% known_kinds))
  values <- list(
    money = 12.5, share = 0.125, mixed = c(3, 2.25), date = as.Date("2024-05-06"), count = 1200L,
    yes = TRUE, decimal = 2.5, number = 0.0123456, p = 0.00001, cell = "1.5 x", text = "a"
  )
  expect_setequal(names(values), known_kinds)
  written <- lapply(
    stats::setNames(nm = names(values)), \(kind) present_column(kind, values[[kind]], 2L, " ")
  )
  expect_identical(unlist(written, use.names = FALSE), c(
    "12.50", "12.5\u00a0%", "3", "2.25", "2024-05-06", "1 200", "yes", "2.50", "0.01235", "< 0.001",
    "1.5 x", "a"
  ))
  for (kind in known_kinds) {
    expect_identical(present_column(kind, values[[kind]][NA_integer_], 2L, " "), "-", label = kind)
  }
})

test_that("columns that an attribute may not be called are those of the result", {
  orders <- random_orders(8, 200L)
  ledger <- random_ledger(8, orders)
  hidden <- \(x, known, by) setdiff(names(x), c(known, by))
  sold <- sales_by(ledger, "channel", during = "2025", against = "2024")
  expect_identical(hidden(sold, sales_columns_of, "channel"), character())
  rates <- repeat_rate(ledger, by = "first_channel")
  expect_identical(hidden(rates, rate_columns, "first_channel"), character())
  grid <- cohort_grid(ledger, by = "first_channel", margin = 0.4)
  expect_identical(hidden(grid, grid_columns, "first_channel"), character())
  fresh <- new_returning(ledger, by = "channel", new_again = TRUE)
  expect_identical(hidden(fresh, new_columns, "channel"), character())
  worth <- value_by(ledger, "first_channel", money = economics(0.4), seed = 4)
  expect_identical(hidden(worth, value_by_columns, "first_channel"), character())
  ranks <- rank_customers(ledger, within = "first_channel")
  expect_identical(
    hidden(ranks, c(rank_columns, "rank", "customer", "end"), "first_channel"), character()
  )
})

test_that("what is written in a format is read back as it was", {
  table <- data.frame(
    customer = c("007", "a,b", "\"q\"", "\u00e9\u20ac"), sales = c(1.5, -2, 0, 1234567.89),
    day = as.Date("2024-01-05") + 0:3
  )
  endings <- unlist(lapply(format_readers, `[[`, "endings"))
  expect_identical(anyDuplicated(endings), 0L)
  for (ending in names(list_writers)) {
    expect_true(ending %in% endings, label = ending)
    path <- withr::local_tempfile(fileext = paste0(".", toupper(ending)))
    list_writers[[ending]](list(list = table), path)
    expect_identical(format_readers[[reader_name(path)]], reader_of(path))
    back <- as.data.frame(read_source(path)$table)
    expect_identical(back$customer, table$customer, label = ending)
    expect_identical(as.numeric(back$sales), table$sales, label = ending)
    expect_identical(as.Date(back$day), table$day, label = ending)
  }
  expect_identical(reader_name("a.CSV"), "text")
  expect_identical(reader_name("without an ending"), "text")
  mixed <- c(withr::local_tempfile(fileext = ".csv"), withr::local_tempfile(fileext = ".parquet"))
  file.create(mixed)
  expect_null(cells_of_files(mixed, file_format(), NULL)) # each is read for itself
})

test_that("verbs, their options and their help are one list", {
  expect_true(all(names(verb_options) %in% names(command_verbs)))
  for (verb in names(command_verbs)) {
    help <- capture.output(try(command_main(c(verb, "--help")), silent = TRUE))
    help <- paste(help, collapse = " ")
    for (option in command_options(verb)) {
      expect_match(help, option@long_flag, fixed = TRUE, label = verb)
    }
    for (flag in regmatches(
      command_verbs[[verb]]$use, gregexpr("--[a-z-]+", command_verbs[[verb]]$use)
    )[[1L]]) {
      flags <- vapply(command_options(verb), \(option) option@long_flag, "")
      expect_true(flag %in% flags, label = paste(verb, flag))
    }
  }
})

test_that("every class of a result says what it is, and figures are of classes that are made", {
  methods <- function(generic) {
    found <- readLines(test_path("../../NAMESPACE"))
    found <- grep(paste0("S3method\\(\"?", generic), found, value = TRUE)
    sub(".*,\"?([a-z_]+)\"?\\)$", "\\1", found)
  }
  source <- unlist(lapply(list.files(test_path("../../R"), full.names = TRUE), readLines))
  made <- unique(unlist(regmatches(source, gregexpr("^ +\"[a-z_]+\",$", source))))
  made <- paste0("nubrek_", gsub("[^a-z_]", "", made))
  described <- methods("describe")
  # some are made under a name of their own, or belong to all results
  other <- c(
    "aside", "audience_course", "benefits", "effect_course", "keys", "orders", "result", "runs",
    "sql", "wallet_groups", "wallet_sellers"
  )
  expect_identical(setdiff(described, c(made, paste0("nubrek_", other))), character())
  drawn <- methods("ggplot2::autoplot")
  expect_true(all(setdiff(drawn, "nubrek") %in% c(described, "nubrek_ledger")), info = toString(
    setdiff(drawn, described)
  ))
})

test_that("after update() a fit has the fields of a fresh one, and knows what it is of", {
  ledger <- random_ledger(31, random_orders(31, 900L), history_start = "2024-05-05")
  fit <- fit_purchases(ledger, "bg-nbd", covariates = ~first_channel, penalty = 2)
  again <- list(
    model = update(fit, model = "mbg-nbd"),
    penalty = update(fit, penalty = 5),
    alone = update(fit, covariates = NULL),
    ledger = update(fit, x = ledger)
  )
  for (name in names(again)) {
    new <- again[[name]]
    expect_identical(names(new), names(fit), label = name)
    expect_identical(class(new), class(fit), label = name)
    expect_identical(new$nobs, fit$nobs, label = name)
    kept <- c("unit", "customers", "until", "season")
    expect_identical(unclass(new)[kept], unclass(fit)[kept], label = name)
    expect_identical(names(new$packed), names(fit$packed), label = name)
  }
  expect_identical(again$model$name, "mbg-nbd")
  expect_identical(again$penalty$penalty, 5)
  expect_null(again$alone$covariates)
  expect_null(again$alone$effects)
  expect_equal(coef(again$alone), coef(fit_purchases(ledger, "bg-nbd")))
  expect_identical(again$ledger$covariates, fit$covariates)
  expect_equal(coef(again$ledger), coef(fit))
  expect_identical(update(again$model, model = "bg-nbd")$log_lik, fit$log_lik)
})
