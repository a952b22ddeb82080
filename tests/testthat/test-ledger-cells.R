as_text <- function(read) as.data.frame(lapply(read$table, as.character), optional = TRUE)
by_general_reader <- function(paths) {
  read <- read_source(paths)
  list(table = as.list(read$table), rows = read$rows, remarks = read$remarks, files = read$files)
}
file_of_text <- function(text) {
  path <- tempfile(fileext = ".csv")
  writeBin(if (is.raw(text)) text else charToRaw(enc2utf8(text)), path)
  path
}
head_line <- "id,day,text\n"

test_that(
  paste0(
    "regular files are read into the cells that the general reader sees; what is unusual is left ",
    "to it"
  ),
  {
    regular <- list(
      c(head_line, "1,2024-01-01,a\n2,2024-01-02,b\n"),
      c(head_line, "1,2024-01-01,a\r\n2,2024-01-02,b"),
      c(head_line, "\"1\",\"2024-01-01\",\"a, b\"\n2,,\"\"\n"),
      c("\ufeff", head_line, "1,x,\u00e9\u20ac\n\n\n2,y, z \n"),
      c("\"id\",\"day, late\",text\n", "3,x,1\n1,x,2\n2,x,3\n3,x,1\n"),
      c("id;a|b;text\n", "1;2,5;x\n1;2,5;y\n"),
      c(head_line, paste0(1:500, ",x,", 500:1, "\n"))
    )
    unusual <- list(
      c(head_line, "1,\"two\nlines\",a\n"),
      c(head_line, "1,say \"so\",a\n"),
      c(head_line, "1,\"a \"\"b\"\"\",c\n"),
      c(head_line, "1,2\n3,4,5\n"),
      c(head_line, "1,2,3,4\n"),
      c(head_line, "1,\"x\" ,a\n"),
      c(head_line, "1,\"open,a\n"),
      c(head_line, "1,x\ry,a\n"),
      "alone\n1\n2\n",
      c(head_line, "  \n1,2,3\n"),
      c(head_line, "1,2,\xe9t\xe9\n"),
      head_line
    )
    fast <- function(path) read_regular_files(path, file_format(), NULL)
    for (text in regular) {
      path <- file_of_text(paste(text, collapse = ""))
      expect_equal(
        as_text(fast(path)),
        as.data.frame(by_general_reader(path)$table, optional = TRUE),
        label = paste(text, collapse = "")
      )
      expect_identical(
        fast(path)[c("rows", "remarks", "files")],
        by_general_reader(path)[c("rows", "remarks", "files")]
      )
    }
    for (text in unusual) {
      path <- file_of_text(
        if (any(grepl("\xe9", text, useBytes = TRUE))) {
          as.raw(unlist(lapply(text, charToRaw)))
        } else {
          paste(text, collapse = "")
        }
      )
      expect_null(fast(path), label = paste(text, collapse = ""))
    }
  }
)

test_long(
  "random files read the same by both readers, in chunks of any size, by any number of threads",
  {
    for (seed in 1:40) {
      set.seed(seed)
      n <- sample(1:60, 1L)
      pieces <- c(
        "a",
        "bc",
        "17",
        " ",
        "\u00fc",
        if (seed %% 3L == 0L) c(",", "\""),
        if (seed %% 10L == 0L) "\n"
      )
      cell <- \() vapply(
        seq_len(n), \(i) paste(sample(pieces, sample(0:9, 1L), TRUE), collapse = ""), ""
      )
      table <- data.frame(
        id = if (seed %% 2L) sprintf("%03d", seq_len(n)) else sample(c("7", "07", "k"), n, TRUE),
        x = cell(),
        y = cell()
      )
      path <- file_of_text("")
      data.table::fwrite(
        table,
        path,
        quote = if (seed %% 4L == 0L) TRUE else "auto",
        eol = if (seed %% 5L == 0L) "\r\n" else "\n"
      )
      read <- read_cells(path, file_format(), NULL)
      expect_equal(
        as_text(read), as.data.frame(by_general_reader(path)$table), label = paste("seed", seed)
      )
      for (threads in c(1L, 3L)) {
        for (chunk in c(1L, 7L, 64L)) {
          again <- cpp_read_coded(
            path,
            file.size(path),
            list(separator = ",", columns = 3L, chunk = chunk, threads = threads),
            \(share) NULL
          )
          if (!is.null(again)) {
            expect_equal(
              lapply(again$columns, as.character),
              unname(lapply(read$table, as.character)),
              label = paste(seed, threads, chunk)
            )
          }
        }
      }
    }
    open <- function(threads) {
      withr::local_options(nubrek.threads = threads)
      open_study_ledger(read_study(system.file("pellmere", "study.yaml", package = "nubrek")))
    }
    one <- open(1L)
    for (threads in 2:5) {
      expect_equal(
        open(threads)[names(one) != "source"],
        one[names(one) != "source"],
        ignore_attr = c(".internal.selfref", "index"),
        label = paste(threads, "threads")
      )
    }
  }
)

test_both(
  "whatever a quoted cell holds comes back as it was: separators, quotes, CR, LF, ^Z (RFC 4180)",
  {
    quoted <- \(cell) paste0("\"", gsub("\"", "\"\"", cell, fixed = TRUE), "\"")
    for (seed in worlds(1:15, 1:60)) {
      set.seed(seed)
      n <- sample(1:20, 1L)
      cell <- \() vapply(
        seq_len(n),
        \(i) paste(
          sample(c(
            "a", "7", " ", ",", ";", "\"", "\r", "\n", "\r\n", "\032", "\u20ac"
          ), sample(0:6, 1L), TRUE),
          collapse = ""
        ),
        ""
      )
      table <- data.frame(id = sprintf("%03d", seq_len(n)), x = cell(), y = cell())
      needed <- \(cell) ifelse(grepl("[\",;\r\n]", cell) | runif(n) < 0.2, quoted(cell), cell)
      line_end <- c("\n", "\r\n", "\r")[[1L + seed %% 3L]]
      lines <- c(
        paste(names(table), collapse = ","), do.call(paste, c(lapply(table, needed), sep = ","))
      )
      path <- file_of_text(paste0(paste(lines, collapse = line_end), if (seed %% 2L) line_end))
      expect_identical(
        as_text(read_cells(path, file_format(separator = ","), NULL)),
        table,
        label = paste("seed", seed)
      )
    }
    ended <- read_cells(file_of_text("id,x\n1,a\n2,b\032\n\032"), file_format(), NULL)
    expect_identical(as_text(ended), data.frame(id = c("1", "2"), x = c("a", "b\032")))
    expect_match(ended$remarks$remark, "(^Z) in the last line is left out", fixed = TRUE)
    for (bad in list(
      list("id,x\n1,a\n2,\"b\n3,c\n", 2, "never closed"),
      list("id,x\n1,\"a\"b\n", 1, "follows a closed quote"),
      list("id,x\n1,a\n\n2\n", 2, "another number of cells"),
      list("id,\"x\n1,a\n", 0, "never closed")
    )) {
      error <- expect_error(
        read_cells(file_of_text(bad[[1L]]), file_format(), NULL), class = "nubrek_error_file"
      )
      expect_identical(error$row, bad[[2L]])
      expect_match(conditionMessage(error), bad[[3L]])
    }
  }
)

test_that("many different texts stay bytes, and behave as text", {
  ids <- sprintf("K%06d", sample(30000L))
  cells <- read_cells(
    file_of_text(paste0("id,n\n", paste0(ids, ",1\n", collapse = ""))), file_format(), NULL
  )$table
  lazy <- levels(cells$id)
  expect_identical(lazy[c(5L, NA, 30001L)], c(ids[[5L]], NA, NA))
  expect_identical(as.character(lazy[30000:1]), rev(ids))
  expect_identical(lazy[cpp_order_texts(lazy)][1:25000], sort(ids, method = "radix")[1:25000])
  expect_identical(unserialize(serialize(lazy, NULL)), ids)
  expect_identical(as.character(code_column(lazy)), ids)
  changed <- lazy
  changed[[2L]] <- "other"
  expect_identical(c(lazy[[2L]], changed[[2L]], changed[[3L]]), c(ids[[2L]], "other", ids[[3L]]))
  odd <- c("b", "", "a\u00e9", "a", "ab", "B", "aaaaaaaaaa2", "aaaaaaaaaa10")
  expect_identical(odd[cpp_order_texts(odd)], sort(odd, method = "radix"))
  typed <- data.frame(
    i = c(3L, NA, 3L),
    d = c(0.1 + 0.2, 1e15, -0),
    l = c(TRUE, NA, FALSE),
    t = as.Date("2024-02-28") + 0:2,
    f = factor(c("x", "y", "x"))
  )
  expect_identical(lapply(typed, \(x) as.character(code_column(x))), lapply(typed, column_as_text))
})

test_long("Parquet files read the same by both readers, and broken ones are left alone", {
  skip_if_not(requireNamespace("nanoparquet", quietly = TRUE), "no Parquet package")
  folder <- withr::local_tempdir()
  withr::local_seed(1)
  n <- 5000L
  table <- data.frame(
    id = sprintf("K%05d", sample(n)),
    word = sample(c("a", "", "\u00e9\u20ac", NA), n, TRUE),
    n = sample(c(-1L, 1:9, NA, .Machine$integer.max), n, TRUE),
    long = sample(c(-7, 0, 12345678901, 2^53 - 1, NA), n, TRUE),
    day = as.Date("1872-02-28") + c(NA, 0:1, sample(99000L, n - 3L, TRUE)),
    gone = NA_character_,
    level = factor(sample(c("x", "y"), n, TRUE)),
    x = runif(n)
  )
  for (compression in c("snappy", "uncompressed", "zstd", "gzip")) {
    for (group in c(700L, 100000L)) {
      for (version in 1:2) {
        path <- file.path(folder, paste0(compression, group, version, ".parquet"))
        nanoparquet::write_parquet(
          table,
          path,
          schema = nanoparquet::parquet_schema(long = "INT64"),
          compression = compression,
          options = nanoparquet::parquet_options(
            num_rows_per_row_group = group, write_data_page_version = version
          )
        )
        fast <- cpp_parquet_texts(path, 2L)
        expect_identical(
          names(fast$texts),
          if (compression %in% c("snappy", "uncompressed")) {
            c("id", "word", "n", "long", "day", "gone", "level")
          } else {
            NULL
          }
        )
        read <- read_cells(c(path, path), file_format(), NULL)
        expect_equal(
          as_text(read),
          as.data.frame(by_general_reader(c(path, path))$table, optional = TRUE),
          label = basename(path)
        )
        expect_identical(
          read[c("rows", "files", "remarks")],
          by_general_reader(c(path, path))[c("rows", "files", "remarks")]
        )
      }
    }
  }
  whole <- readBin(file.path(folder, "snappy7001.parquet"), "raw", 1e7)
  for (i in 1:300) {
    broken <- whole
    at <- if (i %% 2L) sample(length(whole), 3L) else length(whole) - sample(0:2500, 3L)
    broken[at] <- as.raw(sample(0:255, 3L))
    path <- file_of_text(if (i %% 5L) broken else whole[seq_len(sample(length(whole), 1L))])
    read <- cpp_parquet_texts(path, 2L)
    expect_true(is.null(read) || is.list(read))
  }
})
