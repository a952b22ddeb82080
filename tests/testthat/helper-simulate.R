# A random order file with the mess of real exports: returns, blanks, repeats, cancelled rows, ties,
# equal days.
random_orders <- function(seed, n = 60L + seed %% 90L) {
  set.seed(seed)
  customers <- sprintf("C%02d", seq_len(3L + seed %% 12L))
  out <- data.frame(
    customer = sample(c(customers, ""), n, TRUE, c(rep(1, length(customers)), 0.4)),
    receipt = sprintf("R%03d", sort(sample(n, n, TRUE))),
    day = format(as.Date("2024-01-20") + sample(0:500, n, TRUE)),
    amount = sprintf("%.2f", sample(c(-1500:-1, 0L, 1:9000, 1:9000), n, TRUE) / 100),
    state = sample(c("paid", "cancelled"), n, TRUE, c(0.95, 0.05)),
    shop = sample(c("Mill", "Quay", ""), n, TRUE)
  )
  # an order has one customer and mostly one day
  first <- match(out$receipt, out$receipt)
  out$customer <- out$customer[first]
  later <- runif(n) < 0.9
  out$day[later] <- out$day[first][later]
  out$amount[sample(n, 3L)] <- c("", "abc", "12.345")
  out$day[sample(n, 2L)] <- c("", "2024-13-01")
  rbind(out, out[sample(n, 4L), ])
}

random_ledger <- function(seed, orders = random_orders(seed), ...) {
  open_ledger(
    orders,
    column_map(
      customer = "customer", order = "receipt", date = "day", sales = "amount", channel = "shop"
    ),
    meanings(
      currency = "EUR", cancelled = order_rule("state", "cancelled"),
      consent = "not recorded", ...
    )
  )
}

small_ledger <- function(
  text,
  ...,
  columns = column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
) {
  open_ledger(
    utils::read.csv(text = text, colClasses = "character", strip.white = TRUE),
    columns,
    meanings(...)
  )
}

# The demo world as `nubrek demo` lays it out and `nubrek run` works it: made once, also for tests
# that run beside each other (tools/run-tests.R).
demo_run <- local({
  made <- NULL
  function() made <<- made %||% getOption("nubrek.demo_run") %||% make_demo_run(tempfile("demo-"))
})
pellmere <- function() demo_run()$run

make_demo_run <- function(folder) {
  capture.output(command_main(c("demo", "--folder", folder)))
  study <- file.path(folder, "study.yaml")
  text <- readLines(study, encoding = "UTF-8")
  # read once, opened from there by all that follow
  writeLines(sub("# keep: ledger ", "keep: ledger ", text, fixed = TRUE), study, useBytes = TRUE)
  say <- command_do(command_parse(c("run", study)))
  list(study = study, out = capture.output(say()), run = environment(say)$run)
}
