# Help pages, README, NEWS, vignettes: British spelling, less the words of words.txt.

test_that("no word is misspelt", {
  dictionary <- hunspell::dictionary("en_GB")
  known <- readLines(test_path("words.txt"), encoding = "UTF-8")
  root <- test_path("../..")
  pages <- c(
    file.path(root, c("README.md", "NEWS.md", "CONTRIBUTING.md", "SECURITY.md")),
    list.files(file.path(root, "vignettes"), "Rmd$", full.names = TRUE)
  )
  prose <- function(path) {
    lines <- readLines(path, encoding = "UTF-8")
    fence <- grepl("^```", lines)
    lines <- lines[!fence & cumsum(fence) %% 2L == 0L]
    header <- which(lines == "---")
    if (length(header) >= 2L && header[[1L]] == 1L) lines <- lines[-seq_len(header[[2L]])]
    gsub("\\]\\([^)]*\\)|<[^>]*>", "", gsub("`[^`]*`", "", paste(lines, collapse = " ")))
  }
  help <- function(path) paste(tools::RdTextFilter(path, keepSpacing = FALSE), collapse = " ")
  texts <- c(
    vapply(pages, prose, ""),
    vapply(list.files(file.path(root, "man"), "Rd$", full.names = TRUE), help, "")
  )
  words <- lapply(hunspell::hunspell_parse(texts, dict = dictionary), setdiff, known)
  every <- unique(unlist(words))
  wrong <- every[!hunspell::hunspell_check(every, dict = dictionary)]
  where <- lapply(words, intersect, wrong)
  found <- unlist(Map(\(path, odd) paste(basename(path), odd), names(texts), where))
  expect_identical(unname(found[nzchar(found) & !grepl(" $", found)]), character())
})
