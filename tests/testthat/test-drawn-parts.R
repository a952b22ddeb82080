# Each part that has a figure is drawn by the command, or says why there is nothing to draw.

# A shop with so few customers that most measures know little.
tiny_study <- function(folder, customers = 7L, lines = 24L) {
  withr::local_seed(7)
  pick <- \(x) sample(x, lines, TRUE)
  utils::write.csv(data.frame(
    who = pick(paste0("K", seq_len(customers))),
    day = format(as.Date("2024-02-01") + sort(sample(500L, lines))),
    receipt = sprintf("R%02d", sort(pick(seq_len(18L)))), paid = round(rlnorm(lines, 3, 0.5), 2),
    shop = pick(c("North", "South")), thing = pick(c("Tea", "Cup", "Pot"))
  ), file.path(folder, "orders.csv"), row.names = FALSE)
  path <- file.path(folder, "study.yaml")
  writeLines(c(
    "data:", "  orders:", "    files: orders.csv",
    "    columns: {customer: who, date: day, order: receipt, sales: paid, channel: shop,",
    "      product: thing}",
    "meanings: {currency: EUR, consent: not recorded}", "economics: {margin_rate: 0.4}",
    "waits: {nth: 2, by: first_channel}", "sales: {by: [channel], during: 2025, against: 2024}",
    "stores: {before: 2024, now: 2025}", "steps: {by: product, at_least: 1}",
    "cohorts: {clock: quarter, by: first_channel}", "payback: {cost: 5}", "ranks: {top: 3}",
    "tiers: {measure: sales, shares: {gold: 20, base: 80}, during: 2024}",
    "moves: {periods: [2024, 2025]}", "returns: {by: [first_channel]}",
    "audiences: {large: {rule: [sales >= 50]}, often: {rule: [purchases >= 2]}}",
    "targets: {within: first_channel}", "due: {}",
    "events: {fair: {from: 2024-06-01, until: 2024-06-30, kind: sale}}",
    "discover: {back: {target: 'bought_again(within = 90)', using: [first_channel]}}",
    "forecast: {years: 1}"
  ), path)
  path
}

# How many marks stand in a figure: rows of its layers that carry data.
marks_of <- function(figure) {
  built <- ggplot2::ggplot_build(figure)
  max(0L, vapply(built$data, nrow, 0L))
}

test_long("each figure of the demo study and of tiny studies is drawn, or says why not", {
  run <- pellmere()
  for (part in intersect(figure_parts(), names(run))) {
    record <- part_record(part)
    job <- list(verb = "draw", part = part)
    shown <- record$read(run[[part]], job, run$study, run$ledger)
    figure <- do.call(ggplot2::autoplot, c(list(shown), record$face(job)))
    expect_gt(marks_of(figure), 0L, label = part)
  }
  for (customers in c(1L, 3L, 7L)) {
    study <- tiny_study(withr::local_tempdir(), customers)
    drawn <- 0L
    for (part in figure_parts()) {
      file <- withr::local_tempfile(fileext = ".png")
      # an error of ours is told by the command; any other would stop the test
      utils::capture.output(utils::capture.output(
        code <- command_main(c("draw", part, study, "--file", file))
      ), type = "message")
      expect_true(code %in% 0:1, label = part)
      expect_identical(file.exists(file), code == 0L, label = part)
      if (code == 0L) expect_gt(file.size(file), 5000, label = part)
      drawn <- drawn + (code == 0L)
    }
    expect_gt(drawn, 15L)
  }
})

test_long("each part of a study without sections is shown, or says what it needs", {
  study <- tiny_study(withr::local_tempdir(), 12L, 60L)
  text <- readLines(study)
  writeLines(text[seq_len(grep("^meanings", text))], study)
  shown <- 0L
  for (part in shown_parts()) {
    utils::capture.output(utils::capture.output(
      code <- command_main(c("show", part, study))
    ), type = "message")
    expect_true(code %in% 0:1, label = part)
    shown <- shown + (code == 0L)
  }
  expect_gt(shown, 20L)
})
