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

# What a script finds in the page, as a list: it fills `told`. The page lets it run, as it lets its
# own scripts, and nothing else.
probe <- function(path, script, ...) {
  asked <- withr::local_tempfile(fileext = ".html")
  html <- paste(readLines(path, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  script <- paste0(
    "{ const told = {}; ", script, " document.body.dataset.told = JSON.stringify(told); }"
  )
  nonce <- "script-src 'nonce-probe' "
  html <- sub("script-src ", nonce, html, fixed = TRUE)
  html <- sub(
    "</body>", paste0("<script nonce=\"probe\">", script, "</script></body>"), html, fixed = TRUE
  )
  writeLines(html, asked, useBytes = TRUE)
  dom <- browse(asked, ...)
  told <- regmatches(dom, regexpr("data-told=\"[^\"]*\"", dom))
  text <- gsub("&quot;", "\"", sub("\"$", "", sub("^data-told=\"", "", told)), fixed = TRUE)
  jsonlite::fromJSON(gsub("&amp;", "&", gsub("&nbsp;", " ", text, fixed = TRUE), fixed = TRUE))
}

# A test that does not look at the figures of a report, or only at those of a class, writes it
# without the others: they take most of the time of a small run.
without_figures <- function(but = NULL, env = parent.frame()) {
  inside <- asNamespace("nubrek")
  put <- function(draw) {
    unlockBinding("page_pictures", inside)
    assign("page_pictures", draw, inside)
    lockBinding("page_pictures", inside)
  }
  withr::defer(put(real), envir = env)
  real <- inside$page_pictures
  put(\(figures, folder = NULL) lapply(figures, \(figure) {
    if (inherits(figure$x, but %||% "")) draw_picture(figure) else list()
  }))
}

# A run whose people have names that would be formulas, scripts, or more than one cell.
nasty_run <- function(folder, report = "yes") {
  names <- c(
    "=HYPERLINK(\"x\")",
    "<script>document.title = 'owned'</script>",
    "@sum",
    "+1",
    "-1",
    "\tTab",
    "O'Hara & \"Co\"",
    "]]></text></svg><img src=x onerror=\"document.title='owned'\">"
  )
  orders <- data.frame(
    Kunde = rep(sprintf("K%d", 1:8), 2),
    Beleg = 1:16,
    Datum = rep(c("2024-01-05", "2024-03-09"), each = 8),
    Betrag = 72:57
  )
  data.table::fwrite(orders, file.path(folder, "orders.csv"))
  data.table::fwrite(
    data.frame(id = sprintf("K%d", 1:8), name = names), file.path(folder, "people.csv")
  )
  path <- file.path(folder, "study.yaml")
  writeLines(c(
    "study: <script>document.title = 'owned'</script>",
    "data:",
    "  orders:",
    "    files: orders.csv",
    "    columns: {customer: Kunde, order: Beleg, date: Datum, sales: Betrag}",
    "  customers: {files: people.csv, key: id, attributes: [name]}",
    "meanings: {consent: not recorded}",
    "repeat: {by: [name]}",
    paste0(
      "outputs: {contact: [name], folder: out, people: yes, least: 1, report: ", report, "}"
    )
  ), path)
  run_study(path)
}

# A run of a small shop and its report; more lines stand under `outputs`.
people_run <- function(...) {
  folder <- withr::local_tempdir(.local_envir = parent.frame())
  orders <- data.frame(
    customer = sprintf("C%04d", rep(1:60, 4L)),
    order = 1:240,
    date = as.Date("2024-01-03") + rep(c(0, 31, 70, 200), each = 60L) + rep(1:60, 4L) %% 28L,
    sales = 10 + (1:240) %% 37,
    shop = rep(rep(c("Alder", "Birch", "Cedar"), c(40L, 17L, 3L)), 4L)
  )
  data.table::fwrite(orders, file.path(folder, "orders.csv"))
  data.table::fwrite(
    data.frame(customer = sprintf("C%04d", 1:60), email = sprintf("w%d@mail.example", 1:60)),
    file.path(folder, "people.csv")
  )
  path <- file.path(folder, "study.yaml")
  writeLines(c(
    "study: A small shop", "data:", "  orders:", "    files: orders.csv",
    "    columns: {customer: customer, order: order, date: date, sales: sales, channel: shop}",
    "  customers: {files: people.csv, key: customer, attributes: [email]}",
    "meanings: {consent: not recorded}", "repeat: {by: [first_channel]}",
    "sales: {by: [channel]}", "outputs:", "  folder: out",
    "  contact: [email]", ...
  ), path)
  run <- run_study(path)
  list(run = run, html = paste(readLines(run$files[[1L]], encoding = "UTF-8"), collapse = "\n"))
}
