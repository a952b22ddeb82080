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
