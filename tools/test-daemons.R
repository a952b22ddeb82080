# A ledger in parts on daemons over TLS: the same answers, also when daemons die. NUBREK_HOST is the
# address they call, NUBREK_RUN how each is started (a file follows), one a line. The last line is
# the count. Usage: tools/test-daemons.sh
library(testthat)
library(nubrek)
world <- new.env(parent = asNamespace("nubrek"))
for (helper in list.files("tests/testthat", "^helper-", full.names = TRUE)) {
  sys.source(helper, world)
}
run <- strsplit(Sys.getenv("NUBREK_RUN"), "\n", fixed = TRUE)[[1L]]
map <- column_map(
  customer = "customer", order = "receipt", date = "day", sales = "amount", channel = "shop"
)
rows <- world$random_orders(5, 300L)
whole <- open_ledger(rows, map, meanings(currency = "EUR"))
place <- tempfile("ledger-", Sys.getenv("NUBREK_FOLDER"))
ledger <- split_ledger(rows, map, meanings(currency = "EUR"), into = 6, folder = place)
each_part <- asNamespace("nubrek")$each_part
connected <- \() asNamespace("nubrek")$daemons_now(list(compute = NULL))

start_daemons <- function() {
  for (one in run) {
    script <- tempfile("daemon-", Sys.getenv("NUBREK_FOLDER"), ".sh")
    writeLines(c(paste0("export R_LIBS=", Sys.getenv("R_LIBS")), mirai::launch_remote(1L)), script)
    Sys.chmod(script, "0755")
    system(paste(one, script), wait = FALSE, ignore.stdout = TRUE, ignore.stderr = TRUE)
  }
  until <- Sys.time() + 60
  while (connected() < length(run) && Sys.time() < until) Sys.sleep(0.1)
}

# A pass that knows nothing but what it is given.
apart <- function(pass, ...) {
  environment(pass) <- list2env(list(...), parent = globalenv())
  pass
}

results <- with_reporter("silent", {
  reporter <- get_reporter()
  test_that("daemons of other users answer as one ledger does", {
    expect_error(on_daemons(ledger), class = "nubrek_error_daemons")
    mirai::daemons(url = paste0("tls+tcp://", Sys.getenv("NUBREK_HOST"), ":0"))
    start_daemons()
    expect_identical(connected(), length(run))
    afar <- on_daemons(ledger, seconds = 20)
    users <- unlist(each_part(afar, apart(\(part, codes) Sys.info()[["user"]])))
    cat("daemons of:", sort(unique(users)), "\n")
    expect_length(unique(users), length(run))
    answer <- world$answers(whole)
    given <- world$answers(afar)
    for (name in names(answer)) {
      expect_identical(given[[name]], answer[[name]], label = name)
    }
    fault <- apart(\(part, codes) nubrek::cohort_grid(part, clock = "fortnight"))
    expect_error(each_part(afar, fault), class = "nubrek_error_argument")
  })
  test_that("the parts of a daemon that dies or is slow run on another, and none are left out", {
    afar <- on_daemons(ledger, seconds = 20)
    dying <- apart(\(part, codes) {
      # the first that comes here
      if (dir.create(once, showWarnings = FALSE)) tools::pskill(Sys.getpid(), tools::SIGKILL)
      length(codes)
    }, once = file.path(place, "died"))
    Sys.chmod(place, "0777", use_umask = FALSE)
    expect_warning(found <- each_part(afar, dying), class = "nubrek_warning_daemon")
    expect_identical(sum(unlist(found)), nrow(customers(whole, everybody = TRUE)))
    expect_identical(repeat_rate(afar), repeat_rate(whole))
    asleep <- apart(\(part, codes) Sys.sleep(2))
    expect_error(
      suppressWarnings(each_part(on_daemons(ledger, seconds = 0.5), asleep)),
      class = "nubrek_error_daemons"
    )
    Sys.sleep(3)
    killing <- apart(\(part, codes) tools::pskill(Sys.getpid(), tools::SIGKILL))
    begun <- Sys.time()
    expect_error(
      suppressWarnings(each_part(afar, killing)), class = "nubrek_error_daemons"
    )
    expect_lt(as.double(Sys.time() - begun, units = "secs"), 20)
    mirai::daemons(0)
    expect_error(repeat_rate(afar), class = "nubrek_error_daemons")
  })
  reporter
})
outcome <- vapply(results$expectations(), \(e) class(e)[[1L]], "")
bad <- !outcome %in% c("expectation_success", "expectation_skip")
for (e in results$expectations()[bad]) cat(format(e), "\n")
cat(sprintf(
  "%d passed, %d failed, %d skipped\n", sum(outcome == "expectation_success"), sum(bad),
  sum(outcome == "expectation_skip")
))
if (any(bad) || length(outcome) == 0L) quit(status = 1L)
