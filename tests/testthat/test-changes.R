# A shop's orders then and now: some corrected, some late, some gone, some new.
shop_pair <- function(seed) {
  set.seed(seed)
  rows <- \(n, days) data.frame(
    who = sprintf("C%02d", sample(12L, n, TRUE)),
    receipt = sprintf("R%05d", sample(99999L, n)),
    day = as.Date("2024-01-01") + sample(days, n, TRUE),
    paid = sample(100:9000, n, TRUE) / 100,
    state = sample(c("ok", "void"), n, TRUE, c(0.9, 0.1))
  )
  then <- rows(40L, 0:200)
  then$day[[1L]] <- as.Date("2024-01-01") + 200
  now <- then[-sample(2:40, 3L), ]
  odd <- sample(nrow(now), 4L)
  now$paid[odd] <- now$paid[odd] + 1.25
  list(then = then, now = rbind(now, rows(4L, 0:200), rows(15L, 201:260)))
}

# The definition written out: orders up to a day, seen on a day.
slow_numbers <- function(rows, upto, as_of, void) {
  rows <- rows[rows$day <= upto & !(void & rows$state == "void"), ]
  each <- split(rows, rows$who)
  first <- vapply(each, \(x) as.integer(min(x$day)), 0L)
  # on another day
  second <- vapply(each, \(x) sort(unique(as.integer(x$day)))[2L], 0L)
  end <- as.integer(as_of)
  seen <- end - first >= 90L
  c(
    customers = length(each), purchases = nrow(rows), sales = sum(rows$paid),
    mean_sales = sum(rows$paid) / nrow(rows),
    rate = mean(vapply(each, nrow, 0L) > 1L),
    back_soon = if (any(seen)) mean((second - first)[seen] %in% 0:90) else NA,
    active = sum(vapply(each, \(x) any(as.integer(x$day) > end - 90L), NA)),
    year_sales = sum(rows$paid[as.integer(rows$day) > end - 365L])
  )
}

shop_study <- function(folder, rows, void) {
  data.table::fwrite(rows, file.path(folder, "orders.csv"))
  writeLines(c(
    "data:", "  orders:", "    files: orders.csv",
    "    columns: {customer: who, order: receipt, date: day, sales: paid}",
    "meanings:", "  currency: EUR", "  history_start: 2024-01-01",
    if (void) "  cancelled: {column: state, values: [void]}",
    "outputs: {report: no}"
  ), file.path(folder, "study.yaml"))
  read_study(file.path(folder, "study.yaml"))
}

# NUBREK_PAIRS: as many pairs of runs as are wanted.
test_both("the four parts of a change are those of the definition", {
  for (seed in seq_len(as.integer(Sys.getenv("NUBREK_PAIRS", worlds("4", "40"))))) {
    folder <- withr::local_tempdir()
    pair <- shop_pair(seed)
    void <- c(seed %% 2L == 0L, seed %% 3L == 0L)
    study <- shop_study(folder, pair$then, void[[1L]])
    keep_run(list(study = study, ledger = open_study_ledger(study)), folder)
    study <- shop_study(folder, pair$now, void[[2L]])
    found <- compare_runs(study, folder = folder)
    live <- \(rows, void) max(rows$day[!(void & rows$state == "void")])
    then <- live(pair$then, void[[1L]])
    end <- live(pair$now, void[[2L]])
    levels <- list(
      slow_numbers(pair$then, then, then, void[[1L]]),
      slow_numbers(pair$then, then, then, void[[2L]]),
      slow_numbers(pair$now, then, then, void[[2L]]),
      slow_numbers(pair$now, then, end, void[[2L]]),
      slow_numbers(pair$now, end, end, void[[2L]])
    )
    expected <- data.frame(
      before = levels[[1L]], now = levels[[5L]], definitions = levels[[2L]] - levels[[1L]],
      corrected = levels[[3L]] - levels[[2L]], time = levels[[4L]] - levels[[3L]],
      new_orders = levels[[5L]] - levels[[4L]]
    )[found$number, ]
    rownames(expected) <- NULL
    expect_equal(plain_table(found)[names(expected)], expected, label = paste("pair", seed))
    sums <- found$definitions + found$corrected + found$time + found$new_orders
    expect_equal(sums, found$change)
  }
})

test_that("the noise of a change is what resampling the customers says", {
  folder <- withr::local_tempdir()
  pair <- lapply(shop_pair(5L), \(rows) {
    # many customers
    more <- do.call(rbind, lapply(1:40, \(i) transform(rows, who = paste0(who, "-", i))))
    more$receipt <- sprintf("R%05d", seq_len(nrow(more)))
    more$paid <- round(more$paid + stats::runif(nrow(more)), 2)
    more
  })
  study <- shop_study(folder, pair$then, FALSE)
  keep_run(list(study = study, ledger = open_study_ledger(study)), folder)
  study <- shop_study(folder, pair$now, FALSE)
  found <- compare_runs(study, folder = folder)
  then <- max(pair$then$day)
  end <- max(pair$now$day)
  each <- lapply(pair, \(rows) split(rows, rows$who))
  ids <- union(names(each$then), names(each$now))
  # each customer by hand, then all of them drawn anew
  alone <- lapply(list(then = then, end = end), \(day) {
    t(vapply(ids, \(id) {
      x <- each[[if (day == then) "then" else "now"]][[id]]
      if (is.null(x)) return(numeric(6L))
      days <- sort(unique(as.integer(x$day)))
      seen <- as.integer(day) - days[[1L]] >= 90L
      c(1, nrow(x), sum(x$paid), nrow(x) > 1L, seen, seen && (days[2L] - days[[1L]]) %in% 0:90)
    }, numeric(6L)))
  })
  rates <- \(x) {
    c(mean_sales = x[[3L]] / x[[2L]], rate = x[[4L]] / x[[1L]], back_soon = x[[6L]] / x[[5L]])
  }
  set.seed(1)
  draws <- replicate(600L, {
    chosen <- sample(length(ids), replace = TRUE)
    rates(colSums(alone$end[chosen, ])) - rates(colSums(alone$then[chosen, ]))
  })
  spread <- apply(draws, 1L, stats::sd)
  error <- (found$upper - found$lower) / (2 * stats::qnorm(0.975))
  ratios <- found$number %in% c("mean_sales", "rate", "back_soon")
  expect_true(all(abs(error[ratios] / spread[found$number[ratios]] - 1) < 0.2))
  # who is behind a number are those whose own share of it has changed
  behind <- rows_behind(found, open_study_ledger(study), number = "purchases")
  moved <- Filter(\(id) !identical(nrow(each$then[[id]]), nrow(each$now[[id]])), names(each$now))
  expect_setequal(behind$customer, moved)
})

test_that("runs are kept, the same run once, and a damaged or old one does not stand in the way", {
  folder <- withr::local_tempdir()
  pair <- shop_pair(9L)
  path <- shop_study(folder, pair$then, FALSE)$path
  results <- file.path(folder, "nubrek-results")
  expect_error(compare_runs(path), "no earlier run", class = "nubrek_error_unidentified")
  run <- run_study(path)
  expect_null(run$changes)
  run_study(path)
  expect_identical(nrow(kept_runs(path)), 1L)
  expect_identical(format(file.mode(file.path(results, "runs"))), "700")
  # the data of then stand beside the record, so that new definitions can be told from corrections
  expect_true(kept_runs(path)$data)
  shop_study(folder, pair$now, TRUE)
  again <- run_study(path)
  expect_s3_class(again$changes, "nubrek_changes")
  expect_true("changes.csv" %in% basename(again$files))
  expect_identical(nrow(kept_runs(path)), 2L)
  told <- capture.output(command_main(c("changes", path)))
  expect_match(told, "Since 19 Jul 2024", all = FALSE)
  expect_output(command_main(c("changes", path, "--runs")), "2 runs")
  first <- kept_runs(path)$run[[1L]]
  expect_identical(compare_runs(path, before = first)$change, again$changes$change)
  expect_error(compare_runs(path, before = "2024"), class = "nubrek_error_runs")
  # without the data of then their part cannot be told
  unlink(file.path(results, "runs", first, "data"), recursive = TRUE)
  expect_match(
    remarks(compare_runs(path, before = first))$remark, "data of then are not at hand", all = FALSE
  )
  writeLines("{", file.path(results, "runs", first, "run.json"))
  expect_identical(nrow(kept_runs(path)), 1L)
  cat("customer\n", file = gzfile(file.path(results, "runs", kept_runs(path)$run, "people.csv.gz")))
  shop_study(folder, pair$then, TRUE)
  expect_error(compare_runs(path), "damaged", class = "nubrek_error_file")
})

test_that("the last run is the last one made, also where the clock has gone back", {
  folder <- withr::local_tempdir()
  pair <- shop_pair(9L)
  path <- shop_study(folder, pair$then, FALSE)$path
  run_study(path)
  results <- file.path(folder, "nubrek-results")
  shop_study(folder, pair$now, TRUE)
  now <- run_study(path, NA)
  then <- run_study(shop_study(folder, pair$then, FALSE)$path, NA)
  yesterday <- Sys.time() - 86400
  for (i in 1:3) {
    run <- list(now, then, now)[[i]]
    keep_run(run, results, made = yesterday - i)
    last <- utils::tail(known_runs(results), 1L)[[1L]]
    expect_length(known_runs(results), i + 1L)
    expect_identical(last$customers, sum(change_people(run$ledger, NULL)$bought))
    expect_match(last$path, sprintf("-0%d$", i))
  }
  expect_identical(behind_last("b", character()), "b")
  expect_identical(behind_last("b", "a"), "b")
  expect_identical(behind_last("b", "b"), "b-01")
  expect_identical(behind_last("b", "c-99"), "c-99-01")
})
