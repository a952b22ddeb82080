# Damaged input of every kind, one case for each number: what it is made of, and what must come of
# it. A case ends as a ledger (or a study, a choice of rows) that is sound, or as an error of ours;
# all else is a defect. Used by tools/fuzz.R and by the tests.

fuzz_map <- function() {
  column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
}

fuzz_orders <- function() {
  n <- sample(3:60, 1L)
  word <- \() vapply(
    seq_len(n),
    \(i) paste(
      sample(c("a", "7", " ", ",", ";", "\"", "\n", "\u20ac", "=1", "%n"), sample(0:5, 1L), TRUE),
      collapse = ""
    ),
    ""
  )
  data.frame(
    customer = sprintf("K%02d", sample(9L, n, TRUE)),
    receipt = sprintf("%03d", sort(sample(n, n, TRUE))),
    day = format(as.Date("2024-01-01") + sample(400L, n, TRUE)),
    amount = sprintf("%.2f", runif(n, -9, 99)),
    note = word()
  )
}

# Bytes with some of them changed, taken out, doubled, or put in.
mangled <- function(bytes, hits = sample(1:4, 1L)) {
  for (hit in seq_len(hits)) {
    if (length(bytes) == 0L) break
    at <- sample(length(bytes), 1L)
    piece <- at:min(length(bytes), at + sample(0:12, 1L))
    odd <- as.raw(sample(
      c(0:255, rep(c(0, 9, 10, 13, 26, 34, 44, 59, 61, 128, 255), 8L)), sample(1:3, 1L), TRUE
    ))
    bytes <- switch(sample(5L, 1L),
      replace(bytes, at, odd[[1L]]),
      bytes[-piece],
      append(bytes, bytes[piece], at),
      append(bytes, odd, at),
      bytes[seq_len(at)]
    )
  }
  bytes
}

mangled_file <- function(path, hits = sample(1:4, 1L)) {
  bytes <- mangled(readBin(path, "raw", file.size(path)), hits)
  writeBin(bytes, path)
  path
}

sound_ledger <- function(ledger) {
  set_aside(ledger)
  customers(ledger)
  all(prove_totals(ledger)$exact)
}

# Conditions that people write, and words that would do harm if anything evaluated them.
fuzz_rules <- function(trap) {
  list(
    whole = c(
      "purchases(channel == \"Web\", last = 90) >= 2 & !(open_gap > 30)",
      "between(sales, 10, 90)",
      "first_channel %in% c(\"Web\", \"Mill\") | overdue > 1.5",
      "unless(month_of(last_purchase) == 4)",
      "none_of(bought(last = 30), sales(from = \"2024-03-01\", until = \"2024-06-30\") > 9)",
      "last_purchase - first_purchase > 30 & -sales / 2 + 3 < 1e2",
      "days_since(state == \"paid\") < 40",
      "in_audience(\"earlier\")"
    ),
    hostile = c(
      sprintf("system(\"touch %s\")", trap),
      sprintf("file.create(\"%s\")", trap),
      sprintf("(function() file.create(\"%s\"))()", trap),
      sprintf("base::file.create(\"%s\")", trap),
      sprintf("{file.create(\"%s\"); 1}", trap),
      sprintf("eval(parse(text = 'file.create(\"%s\")'))", trap),
      sprintf("local(file.create(\"%s\"))", trap),
      "`system`(\"ls\")", "sales$x", "sales@x", "sales[[1]]", "~sales", "?sales", "x <- 3",
      "if (TRUE) sales > 1", "repeat {}", "while (TRUE) 1", "quote(sales)", "..1", "NULL", "1i",
      "NA", "Inf", "1e999", "c(1, 2)", "s\u0430les", "\u202esales", "\uff1e", "\U1F9F6", "{x}", "%n"
    )
  )
}

rule_bytes <- function(bytes) rawToChar(bytes[bytes > 0])

fuzz_rule <- function(trap) {
  rules <- fuzz_rules(trap)
  deep <- sample(c(3L, 60L, 400L, 5000L), 1L)
  switch(
    sample(c("mutated", "mutated", "spliced", "hostile", "nested"), 1L),
    mutated = rule_bytes(mangled(charToRaw(sample(rules$whole, 1L)), sample(1:2, 1L))),
    spliced = { # a word for a word of another, or for something hostile
      pieces <- "\"[^\"]*\"|%in%|[\\w.]+|[(),]|[^\\w\\s\"(),]+"
      words <- \(text) unlist(regmatches(text, gregexpr(pieces, text, perl = TRUE)))
      word <- words(sample(rules$whole, 1L))
      others <- if (runif(1) < 0.7) words(rules$whole) else rules$hostile
      word[[sample(length(word), 1L)]] <- sample(others, 1L)
      paste(word, collapse = " ")
    },
    hostile = paste(sample(rules$hostile, 1L), sample(c("", "> 1", "& sales > 1", ")"), 1L)),
    nested = {
      around <- sample(c("(", "!", "-", "all_of(", "unless(", "1 + ("), 1L)
      ends <- strrep(")", deep * grepl("(", around, fixed = TRUE))
      paste0(strrep(around, deep), sample(rules$whole, 1L), ends)
    }
  )
}

# Each kind makes its case in a folder and says whether what comes of it is sound.
fuzz_kinds <- list(
  csv = \(folder) {
    path <- file.path(folder, "orders.csv")
    data.table::fwrite(fuzz_orders(), path, eol = sample(c("\n", "\r\n"), 1L))
    sound_ledger(open_ledger(mangled_file(path), fuzz_map()))
  },
  gz = \(folder) {
    path <- file.path(folder, "orders.csv.gz")
    data.table::fwrite(fuzz_orders(), path)
    sound_ledger(open_ledger(mangled_file(path, sample(0:2, 1L)), fuzz_map()))
  },
  parquet = \(folder) {
    path <- file.path(folder, "orders.parquet")
    orders <- fuzz_orders()
    if (runif(1) < 0.5) {
      orders <- transform(
        orders, day = as.Date(day), amount = as.double(amount), receipt = as.integer(receipt)
      )
    }
    nanoparquet::write_parquet(
      orders, path, compression = sample(c("snappy", "uncompressed", "gzip"), 1L)
    )
    sound_ledger(open_ledger(mangled_file(path), fuzz_map()))
  },
  xlsx = \(folder) {
    path <- file.path(folder, "orders.xlsx")
    openxlsx::write.xlsx(fuzz_orders(), path)
    parts <- utils::unzip(path, exdir = file.path(folder, "parts"))
    if (runif(1) < 0.6) { # damage inside the archive, which its checksum hides otherwise
      mangled_file(sample(
        grep("sheet1.xml$|sharedStrings|styles|workbook", parts, value = TRUE), 1L
      ))
      unlink(path)
      inside <- file.path(folder, "parts")
      zip::zip(path, list.files(inside, recursive = TRUE, all.files = TRUE), root = inside)
    } else {
      mangled_file(path)
    }
    sound_ledger(open_ledger(path, fuzz_map()))
  },
  study = \(folder) {
    data.table::fwrite(fuzz_orders(), file.path(folder, "orders.csv"))
    path <- file.path(folder, "study.yaml")
    writeLines(c(
      "data: {orders: {files: orders.csv, columns: {customer: customer, order: receipt, date: day, sales: amount}}}",
      "meanings: {currency: EUR, clock: month}",
      "repeat: {by: [first_channel]}",
      "tiers: {shares: {cashmere: 10, wool: 30, cotton: 60}}",
      "rfm: {bands: 3}",
      "waits: {nth: 2}",
      "moves: {periods: [2024, 2025]}"
    ), path)
    mangled_file(path, 1L)
    sound_ledger(open_study_ledger(read_study(path)))
  },
  through = \(folder) { # exports as an analyst meets them: `new`, `check`, `run`
    orders <- fuzz_orders()
    names(orders) <- sample(list(
      c("customer", "receipt", "day", "amount", "note"), c("Kunde", "Beleg", "Datum", "Betrag", "Text"),
      c("client id", "order no", "order date", "net sales", "comment")
    ), 1L)[[1L]]
    if (runif(1) < 0.3) orders[[3L]] <- format(as.Date(orders[[3L]]), "%d.%m.%Y")
    export <- file.path(folder, "orders.csv")
    people <- file.path(folder, "people.csv")
    data.table::fwrite(orders, export, sep = sample(c(",", ";", "\t"), 1L))
    data.table::fwrite(
      data.frame(id = unique(orders[[1L]]), town = "Carrow", mail = "a@post.example"), people
    )
    mangled_file(sample(c(export, export, people), 1L))
    study <- file.path(folder, "study.yaml")
    say <- \(...) {
      status <- NULL
      utils::capture.output(
        invisible(utils::capture.output(status <- command_main(c(...)))), type = "message"
      )
      status
    }
    ends <- say("new", export, people, "--file", study)
    if (file.exists(study)) {
      text <- readLines(study, encoding = "UTF-8")
      writeLines(sub("^  folder: results", "  folder: results\n  report: no", text), study, useBytes = TRUE)
      ends <- c(ends, say("check", study), say("run", study))
    }
    all(ends %in% 0:3)
  },
  kept = \(folder) {
    ledger <- open_ledger(fuzz_orders(), fuzz_map())
    before <- customers(ledger)
    save_ledger(ledger, file.path(folder, "kept"), exports = FALSE)
    mangled_file(sample(
      list.files(file.path(folder, "kept"), recursive = TRUE, full.names = TRUE), 1L
    ))
    again <- open_ledger(file.path(folder, "kept"))
    identical(customers(again), before) && sound_ledger(again)
  },
  where = \(folder) {
    rule <- sample(c(
      "tier=best,middle; sales>=100", "customer=K01", "last>2024-05-01; purchases<=3",
      "to_next=(missing)"
    ), 1L)
    text <- mangled(charToRaw(rule), 1L)
    tiers <- assign_tiers(example_ledger(), c(best = 20, middle = 30, base = 50))
    is.data.frame(filter_where(tiers, rawToChar(text[text > 0])))
  },
  rule = \(folder) {
    trap <- file.path(folder, "trap")
    ledger <- example_ledger()
    earlier <- list(earlier = audience(ledger, sales > 50))
    end <- tryCatch(
      is.data.frame(audience(ledger, rule = fuzz_rule(trap), known = earlier)),
      nubrek_error = identity
    )
    if (file.exists(trap)) stop("a rule did something")
    if (inherits(end, "nubrek_error")) stop(end)
    end
  },
  arguments = \(folder) {
    words <- c(
      "show",
      "list",
      "draw",
      "tiers",
      "counts",
      "cohorts",
      "waits",
      "--where",
      "--format",
      "csv",
      "--measure",
      "sales",
      "--file",
      file.path(folder, "x.csv"),
      "nowhere.yaml",
      "--rows",
      "3",
      "--by",
      "keys",
      "tiers",
      "\u20ac",
      "",
      "--",
      "-1",
      "%n"
    )
    status <- NULL
    utils::capture.output(utils::capture.output(
      status <- command_main(sample(words, sample(1:6, 1L))), type = "message"
    ))
    status %in% 0:2
  }
)

# What comes of one case: "sound", "refused" by an error of ours, or "defect" with what was seen.
fuzz_case <- function(kind, number) {
  set.seed(number)
  folder <- tempfile("fuzz-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  defect <- \(why) structure("defect", why = gsub("\n", " ", why))
  tryCatch(
    withCallingHandlers(
      if (isTRUE(fuzz_kinds[[kind]](folder))) "sound" else defect("not sound"),
      nubrek_warning = \(w) tryInvokeRestart("muffleWarning")
    ),
    nubrek_error = \(e) "refused",
    error = \(e) defect(paste("error:", conditionMessage(e))),
    warning = \(w) defect(paste("warning:", conditionMessage(w)))
  )
}
