source_file <- function(...) test_path("..", "..", ...)

catalogue_tools <- function() {
  path <- source_file("tools", "catalogue.R")
  skip_if_not(file.exists(path), "sources not at hand")
  tools <- new.env()
  sys.source(path, tools)
  tools
}

test_long("the catalogue holds every text that the faces say", {
  tools <- catalogue_tools()
  texts <- tools$catalogue_texts(source_file("."))
  expect_gt(length(texts), 500L)
  expect_identical(
    unlist(strsplit(tools$catalogue_lines(texts), "\n")),
    readLines(source_file("po", "R-nubrek.pot"), encoding = "UTF-8"),
    label = "po/R-nubrek.pot, as `make catalogue` writes it"
  )
})

# A catalogue in the form that R reads: every text between brackets.
write_brackets <- function(texts, path) {
  said <- c("Content-Type: text/plain; charset=UTF-8\n", paste0("\u27e6", texts, "\u27e7"))
  place <- order(c("", texts), method = "radix")
  from <- lapply(enc2utf8(c("", texts))[place], charToRaw)
  to <- lapply(enc2utf8(said)[place], charToRaw)
  whole <- \(x) writeBin(as.integer(x), raw(), size = 4L, endian = "little")
  n <- length(from)
  ends <- \(x, at) at + c(0, cumsum(lengths(x) + 1))
  first <- ends(from, 28 + 16 * n)
  second <- ends(to, first[[n + 1L]])
  body <- \(x) unlist(lapply(x, c, as.raw(0L)))
  dir.create(dirname(path), recursive = TRUE)
  writeBin(c(
    whole(c(0x950412de - 2^32, 0, n, 28, 28 + 8 * n, 0, 28 + 16 * n)),
    whole(rbind(lengths(from), first[seq_len(n)])),
    whole(rbind(lengths(to), second[seq_len(n)])), body(from), body(to)
  ), path)
}

test_long("another language is a file: every sentence of a report comes from it, no number moves", {
  tools <- catalogue_tools()
  folder <- withr::local_tempdir()
  write_brackets(
    tools$catalogue_texts(source_file(".")),
    file.path(folder, "xx", "LC_MESSAGES", "R-nubrek.mo")
  )
  english <- people_run("  people: yes", "  day_form: \"%d.%m.%Y\"", "  decimal_mark: \",\"")
  other <- withr::with_envvar(c(LANGUAGE = "xx", LC_ALL = "C.UTF-8"), {
    home <- bindtextdomain("R-nubrek")
    withr::defer(bindtextdomain("R-nubrek", home))
    bindtextdomain("R-nubrek", folder)
    people_run("  people: yes", "  day_form: \"%d.%m.%Y\"", "  decimal_mark: \",\"")
  })
  skip_if_not(grepl("\u27e6", other$html), "this machine has no locale that translates")
  for (name in c("repeat", "tiers", "cohorts", "sales")) {
    expect_identical(plain_table(other$run[[name]]), plain_table(english$run[[name]]))
  }
  # what is said in three words or more, but for cells and the names of columns
  body <- gsub("</?b>", "", other$html)
  body <- gsub("(?s)<(script|style|code|td|th).*?</\\1>", "", body, perl = TRUE)
  said <- trimws(regmatches(body, gregexpr("(?<=>)[^<>]+(?=<)", body, perl = TRUE))[[1L]])
  words <- lengths(regmatches(said, gregexpr("[A-Za-z]{3,}", said)))
  plain <- unique(said[words >= 3L & !grepl("\u27e6", said)])
  expect_identical(setdiff(plain, c("A small shop", "often &amp; large")), character())
  # the decimal sign and the days are those of the study
  text <- paste(said, collapse = " ")
  expect_true(grepl("31.03.2024|0[0-9].0[0-9].2024", text))
  expect_false(grepl("[0-9]+[.][0-9]+\u00a0%|[0-9][.][0-9]{2}\u00a0EUR", text))
})
