# Who was contacted, who may be, targets that are ready, and campaigns kept and looked back on.

contacts_of_example <- function() {
  data.frame(
    who = c("P01", "P01", "P02", "P03", "P99", "", "P02"),
    on = c(
      "2024-11-04", "2024-12-20", "2024-12-20", "2025-01-25", "2024-11-04", "2024-11-04",
      "2025-03-01"
    ),
    campaign = c("letter", "voucher", "voucher", "voucher", "letter", "letter", "later"),
    responded = c("yes", "no", "", "ja", "no", "no", "no")
  )
}
columns <- c(customer = "who", day = "on", campaign = "campaign", responded = "responded")

test_that("contacts answer rules as a slow look at every row does, up to the day of the ledger", {
  ledger <- add_contacts(example_ledger(), contacts_of_example(), columns)
  rows <- contacts_of_example()
  members <- \(...) audience(ledger, ...)$customer
  slow <- function(holds, most_days = Inf) {
    day <- as.Date(rows$on)
    age <- as.integer(as.Date("2025-02-01") - day)
    found <- rows$who[holds & age >= 0 & age < most_days]
    sort(intersect(unique(found), customers(ledger)$customer))
  }
  all <- rep(TRUE, nrow(rows))
  expect_identical(members(contacted()), slow(all))
  expect_identical(members(contacted(last = 44)), slow(all, 44))
  expect_identical(members(contacted(last = 43)), slow(all, 43))
  expect_identical(members(contacted(campaign == "letter")), slow(rows$campaign == "letter"))
  expect_identical(
    members(responded(campaign %in% c("letter", "voucher"))),
    slow(rows$responded %in% c("yes", "ja"))
  )
  expect_identical(members(contacts() >= 2), "P01")
  expect_identical(members(days_since_contact() == 43), c("P01", "P02"))
  expect_identical(members(contacted(from = "2025-01-01", until = "2025-01-31")), "P03")
  then <- audience(ledger, contacted(), as_of = "2024-12-01")
  expect_identical(then$customer, "P01")
  told <- contact_history(ledger)
  expect_identical(told$campaign, c("later", "voucher", "letter"))
  expect_identical(told$contacts, c(1L, 3L, 2L))
  expect_equal(told$response_rate, c(0, 1 / 3, 1 / 2))
  expect_match(remarks(told)$remark, "1.contact without a customer", all = FALSE)
  expect_match(remarks(told)$remark, "1.contact of an id", all = FALSE)
  expect_match(remarks(told)$remark, "1.contact after the ledger's last day", all = FALSE)
  expect_error(audience(ledger, contacted(campaign == "leter")), "letter", class = "nubrek_error")
  expect_error(audience(example_ledger(), contacted()), class = "nubrek_error_rule")
})

test_that("contacts stay with a ledger that is sliced, saved and takes more orders", {
  ledger <- add_contacts(example_ledger(), contacts_of_example(), columns)
  plain <- \(ledger) lapply(contact_history(ledger), identity)
  whole <- plain(ledger)
  expect_identical(plain(ledger_slice(ledger, from = "2024-02-01")), whole)
  folder <- withr::local_tempfile()
  save_ledger(ledger, folder)
  expect_identical(plain(open_ledger(folder)), whole)
  more <- open_ledger(
    data.frame(who = c("A", "B"), day = c("2024-03-01", "2024-03-02"), paid = 5),
    column_map("who", "day", sales = "paid"), meanings(currency = "EUR")
  ) |>
    add_contacts(data.frame(customer = "A", day = as.Date("2024-03-02"))) |>
    append_orders(data.frame(who = "C", day = "2024-04-01", paid = 7))
  expect_identical(contact_history(more)$contacts, 1L)
  # aliases are followed also by a ledger that was kept without its exports
  merged <- open_ledger(
    data.frame(who = c("A", "B"), day = c("2024-03-01", "2024-03-02"), paid = 5),
    column_map("who", "day", sales = "paid"), meanings(currency = "EUR"),
    aliases = attribute_table(data.frame(id = "B", main = "A"), "id", c(same_as = "main"))
  )
  folder <- withr::local_tempfile()
  save_ledger(merged, folder, exports = FALSE)
  again <- add_contacts(open_ledger(folder), data.frame(customer = "B", day = "2024-03-02"))
  expect_identical(audience(again, contacted())$customer, "A")
})

test_that("contacts that cannot be read are refused with their row", {
  rows <- contacts_of_example()
  wrong <- \(column, value, class, text) {
    rows[[column]][[3L]] <- value
    expect_error(add_contacts(example_ledger(), rows, columns), text, class = class)
  }
  wrong("on", "soon", "nubrek_error_dates", "Row 3")
  wrong("responded", "perhaps", "nubrek_error_value", "Row 3")
  expect_error(
    add_contacts(example_ledger(), rows, c(customer = "who")), class = "nubrek_error_columns"
  )
  expect_error(
    add_contacts(example_ledger(), rows, c(customer = "wo", day = "on")),
    class = "nubrek_error_columns"
  )
  rows$on <- "04.11.2024"
  expect_error(add_contacts(example_ledger(), rows, columns), "two ways")
  read <- contact_history(add_contacts(example_ledger(), rows, columns, dates = "day-first"))
  expect_true(all(read$from == as.Date("2024-11-04")))
})

test_that("a draw keeps to permission and to how often people may be written to", {
  ledger <- add_contacts(example_ledger(), contacts_of_example(), columns)
  all <- audience(ledger, purchases >= 1)
  drawn <- draw_control(all, ledger, 0.4, day = "2025-02-01", quiet = 7)
  expect_setequal(setdiff(all$customer, drawn$customer), "P03")
  expect_match(remarks(drawn)$remark, "contacted in the 7 days before", all = FALSE)
  # on the day of contact seven days ago is within seven days, eight are not
  expect_true("P03" %in% draw_control(all, ledger, 0.4, day = "2025-02-02", quiet = 7)$customer)
  # a contact of the day itself lies not before it
  expect_setequal(
    setdiff(all$customer, draw_control(all, ledger, 0.4, day = "2024-12-20", quiet = 7)$customer),
    character()
  )
  often <- draw_control(all, ledger, 0.4, day = "2025-02-01", most = 2)
  expect_setequal(setdiff(all$customer, often$customer), "P01")
  expect_error(draw_control(all, example_ledger(), 0.4, quiet = 7), "no history of contacts")
})

test_that("a plan is for the same people as the draw, whatever restricts who may be contacted", {
  study <- read_study(demo_run()$study)
  ledger <- pellmere()$ledger
  all <- audience(ledger, purchases >= 2, name = "twice")
  for (rule in list(
    list(), list(quiet = 60), list(most = 1), list(quiet = 30, most = 2, day = "2025-11-01")
  )) {
    plan <- do.call(plan_campaign, c(list(ledger, all, control = 0.3, days = 60), rule))
    drawn <- do.call(draw_control, c(list(all, ledger, 0.3, days = 60), rule))
    label <- paste(names(rule), collapse = " ")
    expect_identical(plan$contacted + plan$held_back, nrow(drawn), label = label)
    expect_identical(basis_of(plan, "customers"), nrow(drawn), label = label)
    expect_identical(
      sub(" and (is|are) .*", "", remarks(plan)$remark[
        remarks(plan)$about == "who may be contacted"
      ]),
      sub(" and (is|are) .*", "", remarks(drawn)$remark[
        remarks(drawn)$about == "who may be contacted"
      ]),
      label = label
    )
  }
  # by the study as by the command
  said <- study$campaigns[["new needles"]]
  plans <- attr(pellmere()$plans, "plans")[["new needles"]]
  chosen <- attr(pellmere()$audiences, "audiences")[[said$audience]]
  drawn <- draw_control(chosen, ledger, said$share, quiet = said$quiet)
  expect_identical(basis_of(plans, "customers"), nrow(drawn))
  expect_lt(nrow(drawn), nrow(chosen))
})

test_that("what the contacts tell of a campaign is said and changes nobody's arm", {
  ledger <- example_ledger()
  all <- audience(ledger, purchases >= 1, as_of = "2024-06-30", name = "letter")
  drawn <- draw_control(
    all, ledger, 0.4, day = "2024-07-01", days = 120, offer_cost = 5, margin_rate = 0.5
  )
  plain <- measure_campaign(ledger, drawn)
  held <- drawn$customer[drawn$arm == "held back"]
  sent <- drawn$customer[drawn$arm == "contacted"]
  written <- data.frame(
    customer = c(sent[-1L], held[[1L]]), day = "2024-07-01", campaign = "letter",
    responded = c("yes", rep("no", length(sent) - 1L))
  )
  got <- measure_campaign(add_contacts(ledger, written), drawn)
  expect_equal(got$effect, plain$effect)
  expect_match(remarks(got)$remark, "1.customer of the held back was contacted", all = FALSE)
  expect_match(remarks(got)$remark, "Of 1.customer of those to contact no contact", all = FALSE)
  # one took the offer, as the contacts say
  margin <- got[got$outcome == "margin", ]
  expect_equal(margin$net, length(sent) * margin$effect - 5)
  # orders of before that are others today
  later <- drawn
  attr(later, "basis")$sales <- 88700
  expect_match(remarks(measure_campaign(ledger, later))$remark, "887.00.EUR when", all = FALSE)
})

test_that("pseudonyms need the key, and a campaign kept in them is measured with it", {
  key <- withr::local_tempfile(lines = "000102030405060708090a0b0c0d0e0f")
  other <- withr::local_tempfile(lines = "100102030405060708090a0b0c0d0e0f")
  name <- pseudonyms(c("P01", "P02", "P01"), key)
  expect_match(name, "^[0-9a-f]{32}$")
  expect_identical(name[[1L]], name[[3L]])
  expect_false(any(name %in% pseudonyms(c("P01", "P02"), other)))
  # the hash of "0" and the id, as the draw has it from the same kernel (tested by its vectors)
  top <- strtoi(substr(name[[2L]], 1, 7), 16L) / 16^7
  expect_equal(cpp_keyed_units("0P02", as.raw(0:15)), top, tolerance = 1e-6)
  withr::local_envvar(NUBREK_KEY = "000102030405060708090a0b0c0d0e0f")
  expect_identical(pseudonyms("P01"), name[[1L]])
  withr::local_envvar(NUBREK_KEY = "secret")
  expect_error(pseudonyms("P01"), "32 hexadecimal", class = "nubrek_error_key")
  ledger <- example_ledger()
  all <- audience(ledger, purchases >= 1, as_of = "2024-06-30", name = "letter")
  drawn <- draw_control(all, ledger, 0.4, day = "2024-07-01", days = 120)
  path <- withr::local_tempfile(fileext = ".json")
  save_campaign(drawn, path, pseudonyms = TRUE, key = key)
  expect_false(any(grepl("P0[0-9]", readLines(path))))
  expect_identical(
    as.data.frame(measure_campaign(ledger, path, key = key)),
    as.data.frame(measure_campaign(ledger, drawn))
  )
  expect_error(measure_campaign(ledger, path, key = other), class = "nubrek_error_key")
})

test_that("all campaigns of a folder stand together, the running and the impossible too", {
  ledger <- example_ledger()
  folder <- withr::local_tempdir()
  all <- audience(ledger, purchases >= 1, as_of = "2024-06-30")
  keep <- \(name, day, days) {
    drawn <- draw_control(all, ledger, 0.4, name = name, day = day, days = days)
    save_campaign(drawn, file.path(folder, paste0(name, ".json")))
    drawn
  }
  first <- keep("first", "2024-07-01", 90)
  keep("second", "2024-12-01", 90)
  keep("third", "2025-06-01", 90)
  writeLines("{}", file.path(folder, "other.json"))
  got <- campaign_history(ledger, folder)
  expect_identical(got$campaign, c("third", "second", "first"))
  expect_identical(got$state[2:3], c("running", "measured"))
  expect_match(got$state[[1L]], "nothing to measure yet")
  one <- measure_campaign(ledger, first, outcomes = "sales")
  expect_equal(got$effect[[3L]], one$effect)
  expect_true(is.na(got$effect[[1L]]))
  expect_error(campaign_history(ledger, withr::local_tempdir()), class = "nubrek_error_file")
})

test_that("targets have the rules they say, and a chosen tail comes back by itself", {
  # rates that never change: whoever is chosen for silence comes back to the rate
  set.seed(3)
  n <- 3000L
  rate <- stats::rgamma(n, 1, 1 / 0.02)
  k <- stats::rpois(n, rate * 760)
  orders <- data.frame(
    who = sprintf("C%04d", rep(seq_len(n), k)), day = as.Date("2022-11-22") + sample(
      720, sum(k), TRUE
    ) - 1L, paid = round(stats::rlnorm(sum(k), 3, 0.5), 2)
  )
  orders$shop <- c("north", "south")[1 + rep(seq_len(n), k) %% 2]
  ledger <- open_ledger(
    orders, column_map("who", "day", sales = "paid", channel = "shop"),
    meanings(currency = "EUR", history_start = "2022-11-22", as_of = "2024-12-20")
  )
  targets <- ready_targets(ledger, days = 60, within = "first_channel", top = 5)
  expect_identical(targets$target, c(
    "second purchase due", "long silence", "slow rhythm", "falling", "best in each group"
  ))
  silent <- targets[targets$target == "long silence", ]
  expect_lt(silent$before, 0.02)
  # by hand: those silent at the same cut 60 days before the end, and what they did then
  cut <- as.integer(sub(".*open_gap > ", "", attr(targets, "rules")[["long silence"]]))
  gaps <- unlist(tapply(orders$day, orders$who, \(d) diff(sort(unique(d)))))
  expect_identical(cut, as.integer(stats::quantile(gaps, 0.9, type = 1)))
  came <- vapply(1:4, \(back) {
    end <- as.Date("2024-12-20") - 60 * back
    past <- orders[orders$day <= end, ]
    last <- tapply(as.integer(past$day), past$who, max)
    days <- tapply(past$day, past$who, \(d) length(unique(d)))
    whose <- names(last)[days >= 2 & as.integer(end) - last > cut]
    later <- orders[orders$who %in% whose & orders$day > end & orders$day <= end + 60, ]
    c(nrow(unique(later[c("who", "day")])), length(whose))
  }, c(0, 0))
  expect_equal(silent$after, sum(came[1L, ]) / sum(came[2L, ]))
  best <- one_target(targets, "best in each group")
  expect_gte(nrow(best), 10L)
  expect_true(is.na(targets$after[[5L]]))
  people <- customers(ledger)$customer
  told <- data.frame(customer = people)
  told[forecast_words] <- 1
  told$active <- seq(0.01, 1, length.out = nrow(told))
  told$value <- rev(seq_along(people)) * told$active
  risk <- risk_recipe(told)[[1L]]
  at_risk <- audience(ledger, rule = risk$rule, with = risk$with)
  # worth falls along the list while the chance of being there rises: the best fifth is at risk
  expect_equal(nrow(at_risk) / length(people), 0.2, tolerance = 0.02)
  expect_true(all(at_risk$customer %in% people[seq_len(length(people) / 4)]))
  due <- one_target(targets, "second purchase due")
  range <- as.integer(regmatches(basis_of(due, "rule")[[2L]], gregexpr("[0-9]+", basis_of(
    due, "rule"
  )[[2L]]))[[1L]])
  # no shorter stretch of the curve holds half of a year's second purchases
  curve <- as.data.frame(waiting_curve(ledger))
  curve <- curve[curve$days <= 365, ]
  step <- diff(c(0, curve$share)) / max(curve$share)
  holds <- \(from, until) sum(step[curve$days >= from & curve$days <= until])
  expect_gte(holds(range[[1L]], range[[2L]]), 0.5)
  shorter <- vapply(curve$days, \(from) holds(from, from + diff(range) - 1L), 0)
  expect_lt(max(shorter), 0.5 + 1e-9)
})

test_that("a study's campaign goes to a target, in pseudonyms, and is measured with the key", {
  set.seed(8)
  folder <- withr::local_tempdir()
  rows <- data.frame(
    who = sprintf("K%03d", sample(250, 1500, TRUE, stats::rgamma(250, 1))),
    day = as.Date("2024-01-01") + sample(500, 1500, TRUE), paid = round(stats::rlnorm(1500, 3), 2)
  )
  put <- \(name, lines) writeLines(lines, file.path(folder, name))
  keep <- \(rows, name) utils::write.csv(rows, file.path(folder, name), row.names = FALSE)
  keep(rows[rows$day <= as.Date("2025-02-28"), ], "orders.csv")
  keep(data.frame(who = "K001", on = "2025-02-20", kind = "letter"), "contacts.csv")
  put("study.yaml", c(
    "data:",
    "  orders: {files: orders.csv, columns: {customer: who, date: day, sales: paid}}",
    "  contacts: {files: contacts.csv, columns: {customer: who, day: on, campaign: kind}}",
    "meanings: {currency: EUR, history_start: 2024-01-01, consent: not recorded}",
    "targets: {days: 60}",
    "discover:",
    "  back: {target: bought_again(within = 60), conditions: 1}",
    "campaigns:",
    "  spring:",
    "    {audience: slow rhythm, share: 0.5, days: 40, most: 5, file: s.json, pseudonyms: key}"
  ))
  put("key", "00112233445566778899aabbccddeeff")
  study <- file.path(folder, "study.yaml")
  run <- \(...) capture.output(status <- command_main(c(...))) |> structure(status = status)
  expect_identical(attr(run("check", study), "status"), 0L)
  held <- run("hold", "spring", study)
  expect_match(held, "to contact on 1 Mar 2025", all = FALSE)
  expect_false(any(grepl("K[0-9]{3}", unlist(lapply(
    file.path(folder, c("s.json", "s-contact.csv", "s-held-back.csv")), readLines
  )))))
  keep(rows, "orders.csv")
  shown <- run("show", "history", study)
  expect_match(shown, "^spring +2025-03-01", all = FALSE)
  expect_match(run("show", "contacts", study), "^letter", all = FALSE)
  expect_match(run("show", "discover", study), "nothing to describe groups by", all = FALSE)
  to <- file.path(folder, "t.csv")
  expect_match(run("list", "targets", study, "--file", to), "t.csv", all = FALSE)
  expect_setequal(
    unique(utils::read.csv(to, fileEncoding = "UTF-8-BOM")$target),
    setdiff(target_names, c("value at risk", "best in each group", "falling"))
  )
})

consent_world <- function(...) {
  open_ledger(
    data.frame(
      who = LETTERS[1:6], day = sprintf("2024-03-%02d", 1:6), paid = 10 * 1:6
    ),
    column_map("who", "day", sales = "paid"), meanings(currency = "EUR", ...),
    customers = attribute_table(data.frame(
      who = LETTERS[1:6], mail = paste0(letters[1:6], "@example.com"),
      ok = c("Oui", "non", "", "OUI", "oui", NA), post_ok = c("no", "yes", "yes", "no", "", "yes"),
      wish = c("opted in", "opted out", "opted in", "", "opted in", "opted out")
    ), "who", c("mail", "ok", "post_ok", "wish"))
  )
}

test_that("consent is said once, and holds wherever people are to be contacted", {
  ledger <- consent_world(consent = "ok")
  everybody <- audience(ledger, purchases >= 1, name = "all")
  agreed <- c("A", "D", "E")
  expect_identical(audience(ledger, agreed())$customer, agreed)
  expect_identical(audience(ledger, !agreed())$customer, "B")
  expect_identical(basis_of(audience(ledger, agreed()), "cannot_be_told"), 2L)
  drawn <- draw_control(everybody, ledger, 0.5, seed = 2)
  expect_setequal(drawn$customer, agreed)
  told <- "3.customers of the audience did not agree to be contacted (ok: 1 no, 2 unknown)"
  expect_true(any(grepl(sub(".", " ", told, fixed = TRUE), gsub(
    "\u00a0|\u202f", " ", remarks(drawn)$remark
  ), fixed = TRUE)))
  path <- withr::local_tempfile(fileext = ".csv")
  listed <- \(...) {
    write_list(everybody, path, ledger = ledger, contact = "mail", ...)
    utils::read.csv(path, fileEncoding = "UTF-8-BOM")$customer
  }
  expect_message(expect_identical(listed(), agreed), "Left out: .*ok: 1 no, 2 unknown")
  expect_message(
    expect_identical(listed(without_consent = TRUE), LETTERS[1:6]),
    "Listed although .*1 no, 2 unknown"
  )
  # without contacts, a list holds everybody
  write_list(everybody, path)
  expect_identical(utils::read.csv(path, fileEncoding = "UTF-8-BOM")$customer, LETTERS[1:6])
})

test_that("without a word on consent, contacts, draws and plans stop; words must be understood", {
  silent <- consent_world()
  all <- audience(silent, purchases >= 1, name = "all")
  path <- withr::local_tempfile(fileext = ".csv")
  for (make in list(
    \() draw_control(all, silent, 0.5), \() plan_campaign(silent, all, days = 2),
    \() write_list(all, path, ledger = silent, contact = "mail")
  )) {
    expect_error(make(), "consent: not recorded", class = "nubrek_error_consent")
  }
  expect_false(file.exists(path))
  nobody <- consent_world(consent = "not recorded")
  expect_message(write_list(all, path, ledger = nobody, contact = "mail"), "Nobody recorded")
  expect_match(remarks(draw_control(all, nobody, 0.5))$remark, "Nobody recorded", all = FALSE)
  expect_error(audience(nobody, agreed()), "Nobody recorded", class = "nubrek_error_rule")
  # words that are neither yes nor no are asked for, at once
  expect_error(consent_world(consent = "wish"), "opted in.*for 5 customers.*consent_yes")
  expect_setequal(
    audience(consent_world(consent = "wish", consent_yes = "Opted in"), agreed())$customer,
    c("A", "C", "E")
  )
  expect_error(consent_world(consent = "okay"), "okay", class = "nubrek_error_columns")
  expect_error(consent_world(consent = c("ok", "post_ok")), class = "nubrek_error_argument")
  # each way of contact may have its own
  ways <- consent_world(consent = c(email = "ok", post = "post_ok"))
  expect_error(draw_control(all, ways, 0.5), "email.*or.*post", class = "nubrek_error_consent")
  expect_setequal(
    draw_control(all, ways, 0.5, seed = 1, contact_by = "post")$customer, c("B", "C", "F")
  )
  expect_identical(audience(ways, agreed("post"), agreed("email"))$customer, character())
  expect_error(draw_control(all, ways, 0.5, contact_by = "phone"), class = "nubrek_error_value")
  expect_error(
    draw_control(all, consent_world(consent = "ok"), 0.5, contact_by = "post"), "one consent"
  )
})

test_that("who withdraws after the draw leaves the lists and stays in the campaign", {
  folder <- withr::local_tempdir()
  write <- \(x, name) utils::write.csv(x, file.path(folder, name), row.names = FALSE)
  n <- 12L
  write(data.frame(
    who = sprintf("C%02d", seq_len(n)), day = sprintf("2024-03-%02d", seq_len(n)), paid = "9.50"
  ), "orders.csv")
  people <- data.frame(
    who = sprintf("C%02d", seq_len(n)), mail = sprintf("c%d@example.com", seq_len(n)),
    ok = rep(c("yes", "yes", "no"), 4L)
  )
  write(people, "people.csv")
  writeLines(c(
    "study: withdrawn", "data:",
    "  orders: {files: orders.csv, columns: {customer: who, date: day, sales: paid}}",
    "  customers: {files: people.csv, key: who, attributes: [mail, ok]}",
    "meanings: {currency: EUR, consent: ok}",
    "audiences: {all: [purchases >= 1]}",
    "campaigns: {letter: {audience: all, share: 0.4, file: letter.json}}",
    "outputs: {contact: [mail]}"
  ), file.path(folder, "study.yaml"))
  run <- \(...) nubrek_here("hold", "letter", file.path(folder, "study.yaml"), ...)
  on_list <- \() unlist(lapply(c("letter-contact.csv", "letter-held-back.csv"), \(name) {
    utils::read.csv(file.path(folder, name), fileEncoding = "UTF-8-BOM")$customer
  }))
  expect_match(run("--lists")$err, "has\\s+not been held")
  run()
  kept <- people$who[people$ok == "yes"]
  expect_setequal(on_list(), kept)
  campaign <- readLines(file.path(folder, "letter.json"))
  people$ok[people$who == kept[[2L]]] <- "no"
  write(people, "people.csv")
  expect_match(run("--lists")$out, "withdrawn since the draw, 1 of 8.customers", all = FALSE)
  expect_setequal(on_list(), kept[-2L])
  expect_identical(readLines(file.path(folder, "letter.json")), campaign)
  expect_setequal(open_campaign(file.path(folder, "letter.json"))$customer, kept)
})
