# Opens a ledger and asks everything of it: seconds, seconds of the processor, and the peak of the
# process so far in GB, a row each. `first` is what the opening is called.
ask_all <- function(first, open) {
  rows <- list()
  peak <- \() {
    status <- readLines("/proc/self/status")
    as.numeric(gsub("[^0-9]", "", grep("^VmHWM", status, value = TRUE))) / 1e6
  }
  step <- function(name, code) {
    took <- system.time(force(code))
    row <- data.frame(
      name, seconds = took[["elapsed"]], cpu = sum(took[c(1L, 2L, 4L, 5L)]), peak = peak()
    )
    cat(sprintf(
      "%s: %.1f s, %.1f s of processor, %.2f GB\n", name, row$seconds, row$cpu, row$peak
    ))
    rows[[length(rows) + 1L]] <<- row
  }
  ledger <- history <- NULL
  step(first, ledger <- open())
  print(ledger)
  step("repeat rate", repeat_rate(ledger))
  step("cohorts by month", cohort_grid(ledger))
  step("cohorts by first channel", cohort_grid(ledger, by = "first_channel"))
  step("gaps", purchase_gaps(ledger))
  step("new and returning", new_returning(ledger))
  step("tiers", assign_tiers(ledger))
  step("scores", score_rfm(ledger))
  step("histories", history <- purchase_history(ledger))
  step("a model fitted", fit_purchases(history))
  rm(history)
  step("value of a year", forecast_value(ledger, 1))
  do.call(rbind, rows)
}
