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
  no_prose <- paste0("\\", c("code", "link", "email", "url", "keyword", "docType", "encoding"))
  plain_text <- function(node) {
    tag <- attr(node, "Rd_tag")
    if (length(tag) > 0L && tag %in% no_prose) return(" ")
    if (identical(tag, "\\arguments")) node <- lapply(node[lengths(node) == 2L], `[[`, 2L)
    if (is.list(node)) return(unlist(lapply(node, plain_text)))
    if (identical(tag, "TEXT")) as.character(node)
  }
  help <- function(path) paste(plain_text(tools::parse_Rd(path)), collapse = " ")
  texts <- c(
    vapply(pages, prose, ""),
    vapply(list.files(file.path(root, "man"), "Rd$", full.names = TRUE), help, "")
  )
  words <- regmatches(texts, gregexpr("[[:alpha:]]+(['\u2019][[:alpha:]]+)*", texts))
  words <- lapply(words, setdiff, known)
  every <- unique(unlist(words))
  wrong <- every[!hunspell::hunspell_check(every, dict = dictionary)]
  where <- lapply(words, intersect, wrong)
  found <- unlist(Map(\(path, odd) paste(basename(path), odd), names(texts), where))
  expect_identical(unname(found[nzchar(found) & !grepl(" $", found)]), character())
})
