# Share of wallet on paper: ten customers, three sellers.

panel_on_paper <- function() {
  utils::read.csv(text = "customer,seller,units,money,category
    A,We,4,40,Yarn
    A,Barn,1,10,Yarn
    B,We,2,30,Yarn
    C,We,1,10,Yarn
    C,Barn,2,30,Yarn
    C,Stall,1,20,Kits
    D,Barn,5,75,Yarn
    E,Stall,2,24,Kits
    F,We,3,33,Kits
    F,Stall,3,27,Kits
    G,We,0,0,Yarn
    H,Barn,1,12,Yarn
    H,Stall,1,8,Yarn
    I,We,10,90,Yarn
    J,We,1,8,Kits
    J,We,1,12,Yarn
    J,Barn,1,30,Yarn", strip.white = TRUE)
}

test_that("shares, classes, sellers and prices are those of paper", {
  got <- wallet_share(panel_on_paper(), "We")
  rows <- as.data.frame(got)
  rows <- rows[order(rows$customer), ]
  expect_identical(rows$customer, LETTERS[1:10])
  expect_equal(rows$money, c(40, 30, 10, 0, 0, 33, 0, 0, 90, 20))
  expect_equal(rows$money_all, c(50, 30, 60, 75, 24, 60, 0, 20, 90, 50))
  expect_equal(rows$share_money, c(0.8, 1, 1 / 6, 0, 0, 0.55, NA, 0, 1, 0.4))
  expect_equal(rows$share_units, c(0.8, 1, 0.25, 0, 0, 0.5, NA, 0, 1, 2 / 3))
  expect_identical(
    rows$class, c("hold", "hold", "widen", "reach", "reach", "widen", NA, "reach", "hold", "widen")
  )
  # by class, then by all their money
  expect_identical(got$customer, c("I", "A", "B", "C", "F", "J", "D", "E", "H", "G"))
  expect_equal(basis_of(got, "of_ours"), 223 / (50 + 30 + 60 + 60 + 90 + 50))
  expect_equal(basis_of(got, "of_all"), 223 / 459)
  expect_equal(sum(got$elsewhere), 459 - 223)
  sellers <- as.data.frame(wallet_sellers(got))
  expect_identical(sellers$seller, c("We", "Barn", "Stall"))
  expect_equal(sellers$money, c(223, 157, 79))
  expect_identical(sellers$customers, c(6L, 5L, 4L))
  expect_equal(sellers$share_of_ours, c(223, 70, 47) / 340)
  expect_equal(sellers$share_of_all, c(223, 157, 79) / 459)
  expect_equal(sellers$price_index, c(223 / 22, 157 / 10, 79 / 7) / (459 / 39))
  expect_match(capture.output(print(got)), "66 % of what our customers spend", all = FALSE)
  expect_s3_class(ggplot2::autoplot(got), "ggplot")
})

test_that("each seller on its own customers, kinds of customers that we lack, a weighted panel", {
  sellers <- as.data.frame(wallet_sellers(wallet_share(panel_on_paper(), "We")))
  # We: A, B, C, F, I, J spend 340 for 30 pieces; Barn: A, C, D, H, J; Stall: C, E, F, H
  expect_equal(sellers$own_share_money, c(223 / 340, 157 / 255, 79 / 164))
  expect_equal(sellers$own_share_units, c(22 / 30, 10 / 19, 7 / 14))
  kinds <- data.frame(
    customer = LETTERS[1:10], age = rep(c("young", "old", ""), c(4, 4, 2)), w = c(2, rep(1, 9))
  )
  panel <- merge(panel_on_paper(), kinds)
  groups <- as.data.frame(wallet_groups(wallet_share(panel, "We", by = "age")))
  expect_identical(groups$age, c("(missing)", "old", "young"))
  expect_equal(groups$reached, c(1, 0.25, 0.75))
  expect_equal(groups$of_ours, c(110 / 140, 33 / 60, 80 / 140))
  expect_equal(groups$upper[[2L]], unlist(wilson(0.25, 4, qnorm(0.975)))[["upper"]])
  # A stands for two
  heavy <- wallet_share(panel, "We", by = "age", weights = "w")
  expect_equal(basis_of(heavy, "of_ours"), 263 / 390)
  expect_equal(heavy$money[heavy$customer == "A"], 40)
  expect_equal(heavy$weight[heavy$customer == "A"], 2)
  rows <- as.data.frame(wallet_sellers(heavy))
  expect_equal(rows$people, c(7, 6, 4))
  expect_equal(rows$money, c(263, 167, 79))
  expect_equal(rows$own_share_money, c(263 / 390, 167 / 305, 79 / 164))
  expect_equal(rows$price_index[[1L]], 263 / 26 / (509 / 44))
  groups <- as.data.frame(wallet_groups(heavy))
  expect_equal(groups$reached[[3L]], 4 / 5)
  expect_equal(groups$lower[[3L]], unlist(wilson(0.8, 25 / 7, qnorm(0.975)))[["lower"]])
  expect_output(print(heavy), "67 % of what our customers spend.*by his weight")
  panel$w[[1L]] <- 5
  expect_error(wallet_share(panel, "We", weights = "w"), "A", class = "nubrek_error_value")
  panel$w[[1L]] <- -1
  expect_error(wallet_share(panel, "We", weights = "w"), "Row 1", class = "nubrek_error_amounts")
  expect_error(wallet_share(panel, "We", by = "agee"), "age", class = "nubrek_error_columns")
})

test_that("a study checks what its panel knows before it runs, and shows it by a panel's column", {
  folder <- withr::local_tempdir()
  write <- \(name, x) data.table::fwrite(x, file.path(folder, name))
  write("orders.csv", data.frame(who = c("A", "B"), day = "2024-03-01", paid = 5))
  homes <- ifelse(panel_on_paper()$customer < "E", "town", "land")
  write("panel.csv", cbind(panel_on_paper(), home = homes, w = 2))
  study <- \(by, weights) {
    path <- file.path(folder, "study.yaml")
    writeLines(c(
      "data: {orders: {files: orders.csv, columns: {customer: who, date: day, sales: paid}}}",
      "meanings: {currency: EUR}",
      sprintf("wallet: {files: panel.csv, ours: We, by: %s, weights: %s}", by, weights)
    ), path)
    path
  }
  expect_identical(nubrek_here("check", study("home", "w"))$status, 0L)
  expect_match(nubrek_here("show", "wallet", study("home", "w"))$out, "by his weight", all = FALSE)
  expect_match(nubrek_here("check", study("hime", "w"))$err, "no customer attribute hime")
  expect_match(nubrek_here("check", study("home", "v"))$err, "has no column v")
})

test_that("a category, an audience, a file with commas, and what the ledger knows", {
  kits <- wallet_share(panel_on_paper(), "We", category = "Kits", hold = 0.5)
  expect_identical(kits$customer, c("F", "J", "E", "C"))
  ledger <- open_ledger(
    data.frame(
      who = c("A", "B", "C", "X"), day = "2024-03-01", paid = c(41, 30, 30, 5),
      town = c("Stell", "Stell", "Carrow", "Carrow")
    ),
    column_map("who", "day", sales = "paid", attributes = c(town = "town")),
    meanings(currency = "EUR")
  )
  chosen <- audience(ledger, sales > 0, name = "ours")
  got <- wallet_share(panel_on_paper(), "We", audience = chosen, ledger = ledger, by = "town")
  expect_setequal(got$customer, c("A", "B", "C"))
  coverage <- attr(got, "coverage")
  expect_equal(
    unlist(coverage[c("told", "known", "near")]), c(told = 80, known = 101, near = 2 / 3)
  )
  groups <- as.data.frame(wallet_groups(got))
  expect_identical(groups$latest_town, c("Carrow", "Stell"))
  expect_equal(groups$of_all, c(10 / 60, 70 / 80))
  path <- withr::local_tempfile(fileext = ".csv")
  table <- transform(panel_on_paper(), money = sub(".", ",", sprintf("%.2f", money), fixed = TRUE))
  data.table::fwrite(table, path, sep = ";")
  expect_equal(
    as.data.frame(wallet_share(path, "We", decimal_mark = ","))$money,
    as.data.frame(wallet_share(panel_on_paper(), "We"))$money
  )
  expect_error(wallet_share(panel_on_paper(), "Wee"), "We", class = "nubrek_error")
  table$money[[3L]] <- "much"
  data.table::fwrite(table, path, sep = ";")
  expect_error(
    wallet_share(path, "We", decimal_mark = ","), "Row 3", class = "nubrek_error_amounts"
  )
})

test_that("blanks are not nothing, spellings one seller, ids follow aliases, doubles are texts", {
  panel <- data.frame(
    customer = c("A", "A", "OLD", "B", "B", "C", ""),
    seller = c("We", "They", "WE", "we ", "They", "They", "They"),
    units = c(1, 1, 2, 3, NA, 1, 1), money = c("10", "30", "5", "7", "", "4", "9")
  )
  got <- wallet_share(panel, "We")
  expect_identical(got$customer, c("B", "OLD", "A", "C"))
  # B's amount with others is not known, and so not 0 but no row
  expect_equal(got$money_all, c(7, 5, 40, 4))
  expect_match(remarks(got)$remark, "1.row of the panel without an amount of money", all = FALSE)
  expect_match(remarks(got)$remark, "1.row of the panel without a customer", all = FALSE)
  expect_match(remarks(got)$remark, "WE\u201d is \u201cWe\u201d", all = FALSE)
  expect_setequal(wallet_sellers(got)$seller, c("We", "They"))
  ledger <- open_ledger(
    data.frame(who = "A", no = 1, day = "2024-01-03", paid = "5"),
    column_map("who", "day", order = "no", sales = "paid"), meanings(currency = "JPY"),
    aliases = attribute_table(data.frame(id = "OLD", main = "A"), "id", c(same_as = "main"))
  )
  with <- wallet_share(panel, "We", ledger = ledger)
  expect_identical(with$customer, c("B", "A", "C"))
  expect_equal(with$money, c(7, 15, 0))
  expect_identical(basis_of(with, "decimals"), 0L)
  # the same numbers as doubles and as texts; ties as everywhere
  money <- c("1.005", "2.675", "1.115", "0.125", "10.235")
  rows <- data.frame(customer = LETTERS[1:5], seller = "We", money = money)
  texts <- wallet_share(rows, "We")
  rows$money <- as.double(money)
  expect_identical(wallet_share(rows, "We")$money, texts$money)
  expect_identical(sort(texts$money), sort(parse_minor(money, 2L, ".")$units / 100))
})

test_that("customers who are alike in everything are told so", {
  rows <- data.frame(who = sprintf("C%02d", 1:40), no = 1:40, day = "2024-01-03", paid = "5")
  ledger <- open_ledger(
    rows, column_map("who", "day", order = "no", sales = "paid"), meanings(currency = "EUR")
  )
  same <- compare_audiences(audience_of(ledger, rows$who[1:15], "some"), ledger = ledger)
  expect_output(print(same), "Some")
  expect_error(audience_differences(same), class = "nubrek_error_argument")
})
