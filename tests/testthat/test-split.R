# Orders dealt to parts in a folder are one ledger: what one ledger of the same files says.

split_as <- function(rows, said, n, folder, piece = NULL) {
  if (!is.null(piece)) withr::local_options(nubrek.piece = piece)
  do.call(split_ledger, c(list(rows), said, list(into = n, folder = folder)))
}

# Parts say the same as the whole; its remarks too.
expect_same_ledger <- function(found, whole, name) {
  expect_identical(audit(found), audit(whole), label = paste("audit,", name))
  expect_identical(set_aside(found), set_aside(whole), label = paste("set aside,", name))
  expect_identical(remarks(found), remarks(whole), label = paste("remarks,", name))
  answer <- answers(whole)
  given <- answers(found)
  for (one in names(answer)) {
    expect_identical(given[[one]], answer[[one]], label = paste(one, name, sep = ", "))
  }
}

test_that("random ledgers in 1, 2, 7 and 64 parts are equal to one ledger, also appended to", {
  for (seed in 1:24) {
    rows <- rich_rows(seed)
    said <- rich_opening(seed, rows)
    n <- c(1L, 2L, 7L, 64L)[seed %% 4L + 1L]
    name <- paste("seed", seed, "in", n, "parts")
    folder <- withr::local_tempdir()
    files <- file.path(folder, c("one.csv", "two.csv"))
    half <- seq_len(nrow(rows)) <= nrow(rows) / 2
    data.table::fwrite(rows[half, ], files[[1L]], quote = TRUE)
    data.table::fwrite(rows[!half, ], files[[2L]], quote = TRUE)
    whole <- tryCatch(do.call(open_ledger, c(list(files), said)), nubrek_error = \(e) e)
    place <- file.path(folder, "ledger")
    found <- tryCatch(
      if (seed %% 3L > 0L) {
        split_as(files, said, n, place, if (seed %% 2L == 0L) 1500)
      } else {
        append_orders(split_as(files[[1L]], said, n, place), files[[2L]])
      },
      nubrek_error = \(e) e
    )
    if (inherits(whole, "nubrek_error")) {
      expect_s3_class(found, class(whole)[[1L]])
      next
    }
    expect_s3_class(found, "nubrek_parts")
    expect_same_ledger(if (seed %% 5L == 0L) open_ledger(place) else found, whole, name)
  }
})
