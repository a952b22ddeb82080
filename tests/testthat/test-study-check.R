# What a study says is checked without computing it; keys, drafts and lists for a stranger.

demo_study <- function(edit, folder = withr::local_tempdir(.local_envir = parent.frame())) {
  file.copy(list.files(system.file("pellmere", package = "nubrek"), full.names = TRUE), folder)
  path <- file.path(folder, "study.yaml")
  writeLines(edit(readLines(path, encoding = "UTF-8")), path, useBytes = TRUE)
  read_study(path)
}

test_that("check finds all that is wrong with what a study says, at once", {
  study <- demo_study(\(text) {
    for (change in list(
      c("by: [first_channel, first_category, age]", "by: [first_chanel]"),
      c(
        "shares: {cashmere: 10, merino: 30, wool: 60}",
        "shares: {cashmere: 10, merino: 30, wool: 50}"
      ),
      c("periods: [2024, 2025]", "periods: [2024, 2031]"),
      c("contact: [name, email]", "contact: [name, mail]"),
      c("within: channel", "within: town_hall"),
      c("within: first_channel", "within: town_hall"),
      c("  against: 2024 ", "  against: summer "),
      c("  by: category", "  by: categry"),
      c("{number: basket, by: first_channel", "{number: basket, by: chanel"),
      c("  by: [category, first_channel]", "  by: [category, town_hall]")
    )) {
      text <- sub(change[[1L]], change[[2L]], text, fixed = TRUE)
    }
    text
  })
  ledger <- study_ledger(study)
  error <- expect_error(check_study_parts(study, ledger), class = "nubrek_error_study")
  for (section in c(
    "repeat", "tiers", "moves", "outputs", "ranks", "sales", "targets", "steps", "watches",
    "returns"
  )) {
    expect_match(error$problems, paste0("^", section, ":"), all = FALSE, label = section)
  }
  expect_length(error$problems, 10L)
  expect_match(error$problems, "Did you mean \"first_channel\"", all = FALSE, fixed = TRUE)
  sound <- demo_study(identity)
  expect_identical(check_study_parts(sound, study_ledger(sound)), sound)
})

test_that(
  paste0(
    "every key of a study file is told with type, example and what it says, in help and command ",
    "alike"
  ),
  {
    keys <- study_keys()
    expect_true(all(nzchar(keys$type)) && all(nzchar(keys$about)) && all(nzchar(keys$example)))
    expect_true(all(column_roles %in% sub(".*columns: ", "", keys$key)))
    expect_identical(unique(keys$section), names(study_schema()))
    page <- paste(study_file_page(), collapse = "\n")
    named <- keys$key[nzchar(keys$key)]
    there <- vapply(paste0("\\code{", named, "}"), grepl, NA, x = page, fixed = TRUE)
    expect_identical(named[!there], character())
    help <- test_path("../../man/study_file.Rd")
    skip_if_not(file.exists(help), "sources not at hand")
    written <- readLines(help)
    expect_true(all(trimws(unlist(strsplit(study_file_page()[-1L], "\n"))) %in% trimws(written)))
  }
)

test_that("the draft of a stranger's study maps people, currencies, birthdays and offsets", {
  folder <- withr::local_tempdir()
  orders <- data.frame(
    OrderID = 1:4,
    Placed = c(
      "2024-03-01T10:00:00+01:00", "2024-03-09T10:00:00+01:00", "2024-04-01T10:00:00+02:00",
      "2024-04-02T10:00:00+02:00"
    ),
    Email = c("a@x.example", "b@x.example", "a@x.example", "c@x.example"),
    Total = c("10.5", "20", "30", "40"),
    Coin = c("EUR", "SEK", "EUR", "EUR"),
    Birthday = "03-05",
    Note = ""
  )
  people <- data.frame(
    Email = c("a@x.example", "b@x.example", "c@x.example", "", ""), Name = letters[1:5]
  )
  data.table::fwrite(orders, file.path(folder, "web.csv"))
  data.table::fwrite(people, file.path(folder, "people.csv"))
  draft <- draft_study(file.path(folder, c("web.csv", "people.csv")), folder)
  for (line in c(
    "customer: \"Email\"", "currency: \"Coin\"", "date: \"Placed\"", "sales: \"Total\"",
    "attributes: [\"Birthday\"]", "time_zone: \"?\"", "key: \"Email\"", "seen: EUR, SEK"
  )) {
    expect_match(draft$text, line, all = FALSE, fixed = TRUE)
  }
  expect_match(describe(draft$guesses[[1L]])$finding, "^Not used: Birthday, Note\\. 5 of 7")
  path <- file.path(folder, "study.yaml")
  writeLines(draft$text, path)
  error <- expect_error(read_study(path), class = "nubrek_error_study")
  expect_match(conditionMessage(error), "time zone")
  writeLines(sub("\"?\"", "Europe/Vienna", draft$text, fixed = TRUE), path)
  ledger <- study_ledger(path)
  expect_identical(sum(customers(ledger)$sales), 80.5)
  expect_identical(customers(ledger)$Name, c("a", "c"))
  expect_error(read_study(file.path(folder, "web.csv")), class = "nubrek_error_study")
})

test_long(
  "a workbook of walk-ins without order ids goes to a report: days are days, text stays text",
  {
    skip_if_not(
      requireNamespace("openxlsx", quietly = TRUE) && requireNamespace("readxl", quietly = TRUE),
      "no spreadsheet packages"
    )
    folder <- withr::local_tempdir()
    card <- c("1234567890123456789", "1234567890123456788", "00012", "12345678901234E500")
    visits <- data.frame(
      day = as.Date("2024-03-01") + c(0, 3, 9, 40, 41, 41),
      card = card[c(1, 2, 3, 1, 4, 2)],
      paid = c(10.1, 0.3, 1e-1, 30, 12, 8),
      check.names = FALSE
    )
    names(visits) <- c("Visit date", "Loyalty card", "Amount paid")
    openxlsx::write.xlsx(visits, file.path(folder, "walkins.xlsx"))
    draft <- draft_study(file.path(folder, "walkins.xlsx"), folder)
    path <- file.path(folder, "study.yaml")
    writeLines(draft$text, path)
    run <- run_study(path)
    expect_setequal(run$ledger$ids, card)
    expect_identical(format(run$ledger$as_of), "2024-04-11")
    expect_identical(sum(customers(run$ledger)$sales), 60.5)
    expect_true(file.exists(run$files[[1L]]))
  }
)

test_that("rows are picked by what their columns say, never by running it", {
  tiers <- assign_tiers(example_ledger(), c(best = 20, middle = 30, base = 50))
  expect_identical(
    filter_where(tiers, "tier=best,middle; sales>=100")$customer,
    tiers$customer[tiers$tier %in% c("best", "middle") & tiers$sales >= 100]
  )
  expect_identical(nrow(filter_where(tiers, "to_next=(missing)")), sum(is.na(tiers$to_next)))
  waits <- waiting_customers(example_ledger())
  expect_identical(
    nrow(filter_where(waits, "cohort=2024-01")), sum(format(waits$cohort) == "2024-01-01")
  )
  expect_identical(
    nrow(filter_where(waits, "first>2024-03-31")), sum(waits$first > as.Date("2024-03-31"))
  )
  for (wrong in c(
    "tier=bst", "teir=best", "sales>=much", "tier", "sales>1e9", "file.remove('x')=1"
  )) {
    expect_error(filter_where(tiers, wrong), class = "nubrek_error", label = wrong)
  }
})

test_that("a drafted study proposes consent, kinds and the cost of a piece, under plain names", {
  folder <- withr::local_tempdir()
  put <- \(name, text) writeLines(text, file.path(folder, name))
  put("till.csv", c(
    "id;cust_id;sold_on;article;qty;unit_price;unit_cost;line_total",
    "1;7;2024-03-05;Socke;2;5,00;2,10;10,00", "1;7;2024-03-05;Versandkosten;1;4,90;0;4,90",
    "2;8;2024-03-15;Gutschein 10%;1;-1,00;0;-1,00", "2;8;2024-03-15;Schal;1;22,00;9,00;22,00",
    "3;8;2024-04-25;Geschenkgutschein;1;50,00;0;50,00"
  ))
  put("people.csv", c("No;Letters ok;member since", "7;ja;2020-05-01", "8;nein;2021-05-01"))
  draft <- draft_study(file.path(folder, c("till.csv", "people.csv")), folder)
  path <- file.path(folder, "study.yaml")
  writeLines(draft$text, path)
  expect_identical(
    draft$guesses[[1L]]$role,
    c("order", "customer", "date", "product", "quantity", NA, NA, "sales")
  )
  expect_no_match(describe(draft$guesses[[1L]])$finding, "unit_cost")
  study <- read_study(path)
  expect_identical(study$meanings$consent, "letters_ok")
  expect_identical(study$meanings$unit_cost, "unit_cost")
  # without the marks the proposed kinds hold
  text <- sub("^  # kinds:.*", "  kinds:", draft$text)
  writeLines(sub("^  #   ", "    ", text), path)
  ledger <- study_ledger(path)
  expect_identical(audit(ledger)$reason, c("kept", "shipping", "gift card"))
  expect_equal(audit(ledger)$money, c(31, 4.9, 50))
  expect_equal(customers(ledger)$margin, c(10 - 4.2, 22 - 1 - 9))
  expect_identical(audience(ledger, agreed(), letters_ok == "ja")$customer, "7")
})

test_that("a drafted study joins lines, receipts, people and shops, and a second export", {
  folder <- withr::local_tempdir()
  put <- \(name, text) writeLines(text, file.path(folder, name))
  put("may.csv", c(
    "store;receipt_no;sku;pieces;net", "N;1;A;1;5.00", "N;1;B;1;6.00", "N;2;A;2;7.00",
    "S;1;B;1;8.00", "S;2;A;1;9.00"
  ))
  put("june.csv", c("store;receipt_no;sku;pieces;net", "S;3;A;1;4.00", "S;3;B;1;4.00"))
  put("receipts.csv", c(
    "shop_code;store;receipt no;cust id;sold on;total", "01;N;1;K1;2024-01-05;11.00",
    "01;N;2;K2;2024-01-09;7.00", "02;S;1;K4;2024-02-05;8.00", "02;S;3;K3;2024-03-05;8.00"
  ))
  put("people.csv", c("cust;town", "K1;Carrow", "K2;Pell", "K9;Pell"))
  put("shops.csv", c("store;region", "N;north", "S;south"))
  put("weather.csv", c("week;rain", "1;yes", "2;no"))
  files <- c("may", "june", "receipts", "people", "shops", "weather")
  draft <- draft_study(file.path(folder, paste0(files, ".csv")), folder)
  expect_match(draft$text, "not used: weather.csv", all = FALSE)
  path <- file.path(folder, "study.yaml")
  writeLines(draft$text, path)
  study <- read_study(path)
  expect_identical(study$data$orders$files, c("may.csv", "june.csv"))
  expect_identical(unlist(study$data$joins$receipts$by), c(
    store = "store", receipt_no = "receipt no"
  ))
  expect_identical(study$data$customers$key, "cust")
  ledger <- study_ledger(path)
  found <- customers(ledger)
  expect_identical(stats::setNames(found$sales, found$customer), c(K1 = 11, K2 = 7, K3 = 8, K4 = 8))
  expect_identical(set_aside(ledger)$faults, "no customer; no date")
  expect_match(remarks(ledger)$remark, "shops.csv, joined by store: all 7", all = FALSE)
})

# A section with the keys of `rows` and their own examples.
section_of <- function(section, rows) {
  lines <- paste0(section, ":")
  there <- character()
  for (i in seq_len(nrow(rows))) {
    path <- sub("^NAME$", "mine", strsplit(rows$key[[i]], ": ", fixed = TRUE)[[1L]])
    at <- Reduce(paste, path, accumulate = TRUE)
    told <- ifelse(seq_along(path) == length(path), paste0(" ", rows$example[[i]]), "")
    new <- !at %in% there
    lines <- c(lines, paste0(strrep("  ", seq_along(path)), path, ":", told)[new])
    there <- c(there, at)
  }
  lines
}

test_long("every key of a section, with its own example alone, makes a part or says why not", {
  ledger <- pellmere()$ledger
  common <- c("study", "data", "meanings", "bands", "events", "economics")
  folder <- withr::local_tempdir()
  plain <- demo_study(identity, folder)
  text <- readLines(plain$path, encoding = "UTF-8")
  of <- sub(":.*", "", text)
  of[!grepl("^[a-z]", text)] <- NA
  of <- data.table::nafill(match(of, names(study_schema())), "locf")
  text <- text[of %in% match(common, names(study_schema()))]
  ask <- function(lines) {
    writeLines(c(text, lines), plain$path, useBytes = TRUE)
    study <- read_study(plain$path)
    check_study_parts(study, ledger)
    study
  }
  wanted <- \(study) names(Filter(\(part) isTRUE(part$wanted(study)), part_records()))
  always <- wanted(ask(character()))
  keys <- plain_table(study_keys())
  keys <- keys[!keys$section %in% c(
    common, "slice", "suspects", "payback", "discover", "campaigns", "forecast", "notes", "outputs"
  ), ]
  refused <- character()
  for (i in seq_len(nrow(keys))) {
    here <- keys[keys$section == keys$section[[i]], ]
    rows <- unique(rbind(keys[i, ], here[here$default == "must be given", ]))
    label <- paste(keys$section[[i]], keys$key[[i]])
    tryCatch(
      {
        study <- ask(section_of(keys$section[[i]], rows))
        own <- intersect(keys$section[[i]], names(part_records()))
        for (name in union(setdiff(wanted(study), always), own)) {
          expect_silent(utils::capture.output(print(ask_part(name, study, ledger))))
        }
      },
      error = \(e) {
        expect_true(inherits(e, "nubrek_error"), label = paste(label, conditionMessage(e)))
        refused <<- c(refused, label)
      }
    )
  }
  # examples of other data than the demo world's, and keys that need another
  expect_setequal(unique(sub(" .*", "", refused)), c(
    "new", "sales", "stores", "constant_currency", "rfm", "tiers", "targets", "due", "wallet",
    "watches"
  ))
  expect_false(any(grepl(" during$", refused) & !grepl("^(constant|wallet)", refused)))
  expect_false(any(c("sales by", "ranks by", "moves least_base", "targets forecast") %in% refused))
})
