chromium <- function() {
  Sys.which(c("chromium", "chromium-browser", "google-chrome"))[
    Sys.which(c("chromium", "chromium-browser", "google-chrome")) != ""
  ][1L]
}
skip_without_browser <- function() skip_if(is.na(chromium()), "no browser at hand")

# The page as the browser sees it after its scripts ran; `at` is what stands behind the # of its
# address.
browse <- function(path, width = 1280L, at = "") {
  home <- withr::local_tempdir()
  flags <- c(
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    paste0("--user-data-dir=", home),
    "--virtual-time-budget=3000",
    paste0("--window-size=", width, ",800"),
    "--dump-dom",
    paste0("file://", path, if (nzchar(at)) paste0("#", at))
  )
  paste(
    suppressWarnings(system2(chromium(), shQuote(flags), stdout = TRUE, stderr = FALSE)),
    collapse = "\n"
  )
}

# What a script finds in the page, as a list: it fills `told`.
probe <- function(path, script, ...) {
  asked <- withr::local_tempfile(fileext = ".html")
  html <- paste(readLines(path, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  writeLines(
    sub("</body>", paste0(
      "<script>{ const told = {}; ", script,
      " document.body.dataset.told = JSON.stringify(told); }</script></body>"
    ), html, fixed = TRUE),
    asked,
    useBytes = TRUE
  )
  dom <- browse(asked, ...)
  told <- regmatches(dom, regexpr("data-told=\"[^\"]*\"", dom))
  text <- gsub("&quot;", "\"", sub("\"$", "", sub("^data-told=\"", "", told)), fixed = TRUE)
  jsonlite::fromJSON(gsub("&amp;", "&", gsub("&nbsp;", " ", text, fixed = TRUE), fixed = TRUE))
}

# A run whose people have names that would be formulas, scripts, or more than one cell.
nasty_run <- function(folder) {
  names <- c(
    "=HYPERLINK(\"x\")",
    "<script>document.title = 'owned'</script>",
    "@sum",
    "+1",
    "-1",
    "\tTab",
    "O'Hara & \"Co\""
  )
  orders <- data.frame(
    Kunde = rep(sprintf("K%d", 1:7), 2),
    Beleg = 1:14,
    Datum = rep(c("2024-01-05", "2024-03-09"), each = 7),
    Betrag = 70:57
  )
  data.table::fwrite(orders, file.path(folder, "orders.csv"))
  data.table::fwrite(
    data.frame(id = sprintf("K%d", 1:7), name = names), file.path(folder, "people.csv")
  )
  path <- file.path(folder, "study.yaml")
  writeLines(c(
    "study: <script>document.title = 'owned'</script>",
    "data:",
    "  orders:",
    "    files: orders.csv",
    "    columns: {customer: Kunde, order: Beleg, date: Datum, sales: Betrag}",
    "  customers: {files: people.csv, key: id, attributes: [name]}",
    "repeat: {by: [name]}",
    "outputs: {contact: [name], folder: out}"
  ), path)
  run_study(path)
}
