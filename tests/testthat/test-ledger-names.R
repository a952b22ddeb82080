# Names: what is computed always has its own, columns of the user keep theirs or get that of their
# table in front (definitions 61 and 62).

shop_of_names <- function(people = NULL, lines = character(), ...) {
  rows <- data.frame(
    who = c("A", "A", "A", "B", "B", "C"), no = 1:6, paid = c(100, 40, 20, 60, 5, -3),
    on = c("2024-01-01", "2024-02-01", "2024-03-01", "2024-01-05", "2024-02-05", "2024-02-07"),
    city = c("Oslo", "Bergen", "Oslo", "Bergen", "Bergen", "Oslo"), value = 1:6, good = "g"
  )
  open_ledger(
    rows, column_map("who", "on", order = "no", sales = "paid", product = "good",
      attributes = c(city = "city", lines)
    ),
    meanings(currency = "EUR", consent = "not recorded", ...),
    customers = if (!is.null(people)) attribute_table(people, "id", setdiff(names(people), "id"))
  )
}

test_that("61: within an attribute of the lines only what was bought there is ranked", {
  ledger <- shop_of_names()
  ranks <- rank_customers(ledger, within = "city")
  expect_equal(plain_table(ranks), data.frame(
    city = c("Bergen", "Bergen", "Oslo"), rank = c(1L, 2L, 1L), customer = c("B", "A", "A"),
    sales = c(65, 40, 120), purchases = c(2L, 1L, 2L), customers_of_group = c(2L, 2L, 1L),
    # C's return is money of the place too
    sales_of_group = c(105, 105, 117), share_of_group = c(65 / 105, 40 / 105, 120 / 117),
    sales_everywhere = c(65, 160, 160)
  ))
  sold <- sales_by(ledger, "city")
  expect_identical(
    unique(ranks$sales_of_group), sold$sales[match(unique(ranks$city), sold$city)]
  )
  expect_match(remarks(ranks)$remark, "Only what was bought there counts", all = FALSE)
  early <- c("2024-01-01", "2024-02-28")
  recent <- rank_customers(ledger, "recency", within = "city", during = early)
  expect_identical(recent$recency, c(23L, 27L, 58L))
  behind <- \(...) rows_behind(ranks, ledger, ...)
  expect_identical(sum(behind(city = "Oslo", rank = 1)$sales), 120)
  expect_identical(behind(city = "Bergen")$sales, c(40, 60, 5))
  expect_identical(sum(rows_behind(recent, ledger, city = "Oslo", customer = "A")$sales), 100)
  # the whole customer, by the first order
  expect_identical(
    nrow(rows_behind(rank_customers(ledger, within = "first_city"), ledger, customer = "A")), 3L
  )
  first <- rank_customers(ledger, within = "first_city")
  expect_identical(first$sales, c(65, 160))
})

test_that("61: ranks within channels are those of a slow look at every line", {
  for (seed in 1:4) {
    ledger <- random_ledger(seed, purchase_unit = if (seed %% 2L) "order" else "day")
    lines <- ledger$lines
    rows <- data.frame(
      place = ifelse(is.na(lines$channel), "(missing)", as.character(lines$channel)),
      customer = ledger$ids[ledger$orders$customer[lines$number]], order = lines$number,
      day = ledger$orders$day[lines$number], sales = lines$sales
    )
    slow <- do.call(rbind, lapply(split(rows, rows[c("place", "customer")], drop = TRUE), \(mine) {
      each <- aggregate(sales ~ order + day, mine, sum)
      each <- each[each$sales >= 1, ]
      data.frame(
        channel = mine$place[[1L]], customer = mine$customer[[1L]], sales = sum(mine$sales) / 100,
        purchases = if (ledger$meaning$purchase_unit == "day") {
          length(unique(each$day))
        } else {
          nrow(each)
        }
      )
    }))
    slow <- slow[slow$purchases > 0L, ]
    slow$rank <- as.integer(ave(-slow$sales, slow$channel, FUN = \(x) rank(x, ties.method = "min")))
    ranks <- as.data.frame(rank_customers(ledger, within = "channel"))
    slow <- slow[order(
      match(slow$channel, unique(ranks$channel)), slow$rank, slow$customer, method = "radix"
    ), ]
    rownames(slow) <- NULL
    expect_equal(ranks[names(slow)], slow, label = paste("seed", seed))
  }
})

test_that("61: a bare name of the lines is that of the latest order, says so and is shown so", {
  ledger <- shop_of_names(data.frame(id = c("A", "B"), town = c("x", "y")))
  expect_identical(
    names(customers(ledger))[-(1:10)],
    c("town", "first_product", "first_city", "latest_city", "cohort")
  )
  rates <- repeat_rate(ledger, by = "city")
  expect_identical(rates$latest_city, c("Bergen", "Oslo"))
  expect_match(remarks(rates)$remark, "latest_city is that of each customer's", all = FALSE)
  oslo <- audience(ledger, city == "Oslo")
  expect_identical(oslo$customer, c("A", "C"))
  expect_identical(audience(ledger, latest_city == "Oslo")$customer, oslo$customer)
  expect_match(remarks(oslo)$remark, "city was read as latest_city", all = FALSE)
  expect_identical(names(cohort_grid(ledger, "month", by = "city"))[[1L]], "latest_city")
  # what a customer has by the goods of the latest order alone must be asked for by that name
  expect_error(audience(ledger, product == "g"), "of lines", class = "nubrek_error_rule")
  expect_identical(nrow(audience(ledger, latest_product == "g")), 3L)
  # a column of the customer table is the customer's, whatever the lines say
  own <- shop_of_names(data.frame(id = c("A", "B"), city = c("Molde", "Oslo")))
  expect_identical(audience(own, city == "Oslo")$customer, "B")
  expect_identical(rank_customers(own, within = "city")$sales, c(160, 65))
})

test_that("62: a computed name is what is computed, a column of that name is its table's", {
  people <- data.frame(
    id = c("A", "B", "C"), tier = c("high", "low", "high"), region = c("west", "east", "west"),
    segment = "s", score = 3:1, rank = c(9, 8, 7), value = 5
  )
  ledger <- shop_of_names(people, c(value = "value"))
  expect_true(all(c("customer_tier", "region", "segment", "score", "rank", "customer_value") %in%
    attribute_names(ledger)))
  expect_true(all(c("first_order_value", "latest_order_value") %in% attribute_names(ledger)))
  told <- remarks(ledger)$remark
  expect_match(told, "column tier stands here as customer_tier", all = FALSE)
  expect_match(told, "column value stands here as order_value", all = FALSE)
  tiers <- assign_tiers(ledger, c(best = 50, rest = 50))
  map <- order_map(ledger)
  scores <- score_rfm(ledger, 2L)
  chosen <- \(...) audience(ledger, ..., with = list(tiers, map, scores))$customer
  expect_identical(chosen(tier == "best"), "A")
  expect_identical(chosen(tier_rank == 2), "B")
  expect_identical(chosen(customer_tier == "high"), c("A", "C"))
  expect_identical(chosen(region == "east"), "B")
  expect_identical(chosen(number_of(rank) == 9), "A")
  by_text <- \(word, value) audience(
    ledger, rule = sprintf("%s == \"%s\"", word, value), with = list(map, scores)
  )$customer
  expect_identical(by_text("quadrant", map$region[map$customer == "A"]), "A")
  expect_identical(by_text("rfm_code", scores$code[[1L]]), scores$customer[[1L]])
  # contact columns never replace what a list computed
  listed <- carry_contact(plain_table(tiers), ledger, c("rank", "customer_tier"))
  expect_identical(listed$rank, tiers$rank)
  expect_identical(listed$customer_rank, c("9", "8"))
  # without a column of that name, the choices are named
  plain <- shop_of_names()
  expect_error(audience(plain, rank <= 10), "tier_rank", class = "nubrek_error_rule")
  expect_error(repeat_rate(ledger, by = "tier"), "customer_tier", class = "nubrek_error_attribute")
  expect_error(
    shop_of_names(data.frame(id = "A", tier = 1, customer_tier = 2)), "customer_tier",
    class = "nubrek_error_columns"
  )
  # meanings and bands speak of the user's own columns
  dated <- shop_of_names(
    data.frame(id = c("A", "B"), first_purchase = c("2023-01-01", "")),
    first_purchase_known = "first_purchase"
  )
  expect_identical(sum(is.na(dated$known_first)), 2L)
})

test_that("62: no computed name is left out, and all are known where rules speak", {
  ledger <- example_ledger()
  results <- list(assign_tiers(ledger), score_rfm(ledger), order_map(ledger))
  words <- c(
    names(audience_measures(ledger)), names(forecast_words),
    unlist(lapply(results, \(x) names(with_rule_words(x))))
  )
  expect_identical(setdiff(words, c(computed_names, "customer", "top", "kept")), character())
})

test_that("42: days in attributes are read like those of orders, and told where they cannot be", {
  shop <- function(born, on = c("05.03.2024", "25.03.2024", "06.03.2024"), ...) {
    open_ledger(
      data.frame(who = c("A", "B", "C"), no = 1:3, on = on, paid = 5),
      column_map("who", "on", order = "no", sales = "paid"), meanings(currency = "EUR", ...),
      customers = attribute_table(data.frame(id = c("A", "B", "C"), born = born), "id", "born"),
      bands = list(age = band("born", c(30, 40), as = "age"), month = band("born", as = "month"))
    )
  }
  ledger <- shop(c("08.03.1989", "28.03.1999", "1980"))
  expect_identical(audience(ledger, age_of(born) == 35)$customer, "A")
  expect_identical(audience(ledger, age_of(born) >= 44)$customer, "C")
  expect_identical(audience(ledger, month_of(born) == 3)$customer, c("A", "B"))
  expect_identical(customers(ledger)$age, c("30 to 39", "under 30", "40 and over"))
  expect_identical(customers(ledger)$month[1:2], c("1989-03", "1999-03"))
  # open in itself, decided by the days of the orders; not where those are open too
  both <- shop(c("08.03.1989", "09.03.1999", ""))
  expect_identical(customers(both)$month[[1L]], "1989-03")
  folder <- withr::local_tempfile()
  save_ledger(both, folder)
  expect_identical(customers(open_ledger(folder))$month[[1L]], "1989-03")
  iso <- c("2024-03-05", "2024-03-25", "2024-03-06")
  expect_error(shop(c("08.03.1989", "09.03.1999", ""), iso), class = "nubrek_error_dates")
  said <- shop(c("08/03/1989", "09/03/1999", ""), iso, dates = "month-first")
  expect_identical(customers(said)$month[[1L]], "1989-08")
  lost <- shop(c("08.03.1989", "31.02.1999", "25.12.1980"))
  expect_match(remarks(lost)$remark, "born holds days; of 1.customer it is unknown", all = FALSE)
  expect_match(remarks(lost)$remark, "31.02.1999", all = FALSE)
  expect_false(any(grepl("holds days", remarks(ledger)$remark)))
  unknown <- audience(lost, month_of(born) > 0)
  expect_identical(utils::tail(audience_course(unknown)$cannot_be_told, 1L), 1L)
  expect_match(describe(unknown)$finding, "2.customers of 3")
})

test_that("11: customers alike are found by names in parts and by what the study names", {
  people <- data.frame(
    id = c("A", "B", "C", "D"), Vorname = c("Ada", "ada ", "Ben", ""),
    Nachname = c("Lind", "LIND", "Lind", "Lind"), PLZ = c("1010", "1010", "1010", "1010"),
    tel = c("01 234 56-78", "", "01/2345678", "12"), note = "x"
  )
  ledger <- shop_of_names(people)
  found <- identity_suspects(ledger)
  alike <- found[found$kind != "one id, many customers", ]
  expect_identical(alike$kind, c("same name and postcode", "same phone"))
  expect_identical(alike$ids, c("A, B", "A, C"))
  expect_identical(basis_of(found, "compared"), c("name and postcode", "phone"))
  said <- identity_suspects(ledger, people = list(name = "Nachname", postcode = "PLZ"))
  expect_identical(said$customers[said$kind == "same name and postcode"], 4L)
  expect_false("same phone" %in% said$kind)
  expect_error(
    identity_suspects(ledger, people = list(mail = "x")), class = "nubrek_error_value"
  )
  expect_error(
    identity_suspects(ledger, people = list(name = "nom")), class = "nubrek_error_columns"
  )
  bare <- describe(identity_suspects(shop_of_names(people[c("id", "note")])))$finding
  expect_match(bare, "cannot be found: no customer attribute holds an e-mail", fixed = TRUE)
  other <- describe(identity_suspects(shop_of_names(data.frame(id = c("A", "B"), email = 1:2))))
  expect_match(other$finding, "No two customers share e-mail", fixed = TRUE)
})
