# A picture of the page to explore, of the demo study: Rscript tools/shot-explore.R FILE. Run by
# `make screenshots`.
place <- new.env(parent = asNamespace("nubrek"))
for (file in c("helper-aaa-suite.R", "helper-browse.R", "helper-drive.R")) {
  sys.source(file.path("tests", "testthat", file), place)
}
skip_if <- function(...) NULL
local({
  log <- in_background("Rscript", c(
    "-e", "nubrek::explore_study('demo-study/study.yaml', open = FALSE)"
  ), place)
  address <- wait_for(\() {
    text <- paste(readLines(log, warn = FALSE), collapse = "\n")
    found <- regmatches(text, regexpr("http://127[^ ]*token=[0-9a-f]+", text))
    if (length(found) > 0L) found
  }, 120)
  page <- drive_browser(address, place)
  said <- \(id) sprintf("document.getElementById('%s')?.innerText ?? ''", id)
  wait_for(\() if (nzchar(page(said("cohorts_said")))) TRUE)
  page("document.querySelector('a[data-value=map]').click()")
  wait_for(\() if (nzchar(page(said("map_table")))) TRUE)
  page("document.querySelector('[data-value=map] .repeat-it').open = true")
  page("document.querySelector('#map_table .pick').click()")
  wait_for(\() if (nzchar(page(said("map_behind")))) TRUE)
  page("", picture = commandArgs(TRUE)[[1L]])
}, place)
withr::deferred_run(place)
