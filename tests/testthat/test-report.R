demo_report <- function() pellmere()$files[[1L]]

findings_shown <- function(path) {
  html <- paste(readLines(path, encoding = "UTF-8"), collapse = "\n")
  length(gregexpr("class=\"small-figure\"", html)[[1L]])
}

test_that("the report is small, whole and reachable: folds, links, marks, alt texts, phone", {
  expect_lt(file.size(demo_report()), 2e6)
  html <- paste(readLines(demo_report(), encoding = "UTF-8"), collapse = "\n")
  # nothing from elsewhere
  expect_false(grepl("(src|href)=\"(https?:)?//|url\\((?!#)|@import", html, perl = TRUE))
  found <- gregexpr("(?s)<svg class=\"figure\".*?</svg>", html, perl = TRUE)
  figures <- regmatches(html, found)[[1L]]
  expect_gt(length(figures), 40L)
  expect_lt(max(nchar(figures, "bytes")), 41000)
  expect_true(all(grepl("<text", figures, fixed = TRUE))) # text is text
  skip_without_browser()
  told <- probe(demo_report(), "
    told.tall = document.documentElement.scrollHeight;
    told.sections = [...document.querySelectorAll('main > section')].map(s => s.id);
    const links = [...document.querySelectorAll('a[href^=\"#\"]')];
    told.dead = links.filter(a => !document.getElementById(a.hash.slice(1))).map(a => a.hash);
    const ids = [...document.querySelectorAll('[id]')].map(x => x.id);
    told.twice = ids.filter((id, i) => ids.indexOf(id) !== i);
    const linked = new Set([...document.querySelectorAll('.contents a')].map(a => a.hash.slice(1)));
    told.unlisted = [...document.querySelectorAll('main details:not([id$=words])')].map(d => d.id)
      .filter(id => !linked.has(id));
    told.open = document.querySelectorAll('main details[open]').length;
    told.mute = [...document.querySelectorAll('svg.figure')]
      .filter(s => s.getAttribute('aria-label').length < 20).length;
    told.headings = document.querySelectorAll('h1').length;
    document.querySelectorAll('details').forEach(d => { d.open = true; });
    told.captions = Math.max(...[...document.querySelectorAll('figcaption')]
      .map(c => c.getBoundingClientRect().height / parseFloat(getComputedStyle(c).lineHeight)));
    told.rows = Math.max(...[...document.querySelectorAll('main tbody')].map(b => b.rows.length));
    told.wide = document.documentElement.scrollWidth > innerWidth;
    const remarks = [...document.querySelectorAll('.remarks li')].map(x => x.textContent);
    told.remarks = remarks.length;
    told.again = remarks.filter(r => r.length > 30 &&
      [...document.querySelectorAll('main > section:not(#remarks)')].some(
        s => s.textContent.includes(r)));
    const mark = document.querySelector('#cohorts .mark');
    mark.click();
    told.minded = document.querySelector('#cohorts .minded').textContent ===
      document.querySelector(mark.hash).textContent;
    mark.click();
    told.closed = document.querySelector('#cohorts .minded') === null;
    const t = document.querySelector('#repeat-by-first_channel table');
    t.tHead.rows[0].cells[3].click();
    const v = [...t.tBodies[0].rows].map(r => Number(r.cells[3].dataset.sort));
    told.sorted = v.every((x, i) => i === 0 || x <= v[i - 1]) && v.length > 5;")
  expect_lte(told$tall, 9200)
  expect_identical(told$sections, c(
    "changes", "data", "repeat", "cohorts", "rfm", "tiers", "audiences", "campaigns", "forecast",
    "worth", "trust", "proof", "remarks"
  ))
  expect_length(told$dead, 0L)
  expect_length(told$twice, 0L)
  expect_length(told$unlisted, 0L)
  expect_identical(told$open, 0L)
  expect_identical(told$mute, 0L)
  expect_identical(told$headings, 1L)
  expect_lte(told$captions, 2.1)
  expect_lte(told$rows, 50L)
  expect_false(told$wide)
  expect_length(told$again, 0L)
  expect_gt(told$remarks, 10L)
  expect_true(told$minded && told$closed && told$sorted)
})

test_that("an address opens its fold, everything opens for print, a phone needs no scrolling", {
  skip_without_browser()
  told <- probe(demo_report(), at = "waits", "
    told.open = [...document.querySelectorAll('main details[open]')].map(d => d.id);")
  expect_identical(told$open, "waits")
  told <- probe(demo_report(), width = 390L, "
    let open = 0;
    window.print = () => { open = document.querySelectorAll('main details:not([open])').length; };
    document.getElementById('print-all').click();
    told.left = open;
    dispatchEvent(new Event('afterprint'));
    told.after = document.querySelectorAll('main details[open]').length;
    document.querySelectorAll('details').forEach(d => { d.open = true; });
    told.wide = document.documentElement.scrollWidth - innerWidth;
    told.far = [...document.querySelectorAll('main *')]
      .filter(x => !x.closest('.drawn, .table, .shown, code, svg'))
      .filter(x => x.getBoundingClientRect().right > innerWidth + 1)
      .map(x => x.tagName + '.' + x.className + '#' + x.id);")
  expect_identical(told$far, list())
  expect_identical(told$left, 0L)
  expect_identical(told$after, 0L)
  expect_lte(told$wide, 0L)
})

test_that("what moves in the page shows the numbers of the package", {
  skip_without_browser()
  run <- pellmere()
  scripts <- system.file("report", c("move.js", "report.js"), package = "nubrek")
  expect_lt(sum(file.size(scripts)), 3e4)
  told <- probe(demo_report(), "
    const box = kind => document.querySelector(`.move[data-kind=${kind}]`);
    const set = (kind, values) => {
      const inputs = [...box(kind).querySelectorAll('input')];
      values.forEach((v, i) => {
        inputs[i].value = v;
        inputs[i].dispatchEvent(new Event('input'));
      });
    };
    const cells = kind => [...box(kind).querySelectorAll('.shown tbody tr')].map(r =>
      [...r.cells].map(c => c.textContent.replace(/[\\u202f\\u00a0]/g, ' ')));
    const call = kind => box(kind).querySelector('code').textContent;
    set('map', [4, 30]); told.map = cells('map'); told.map_call = call('map');
    set('tiers', [7, 23]); told.tiers = cells('tiers'); told.tiers_call = call('tiers');
    set('payback', [57, 41]); told.paid = box('payback').querySelector('.paid').textContent;
    told.brought = box('payback').querySelector('.brought').textContent;
    told.payback_call = call('payback');
    set('new', [2]); told['new'] = cells('new'); told.new_call = call('new');
    set('tiers', [99]); told.full = cells('tiers').map(r => r[1]);")
  plain <- \(x) gsub("[\u202f\u00a0]", " ", x)
  ledger <- run$ledger
  again <- \(call) eval(parse(text = call)[[1L]])
  map <- map_profile(again(told$map_call))
  expect_identical(told$map[, 2L], plain(format_count(map$customers)))
  expect_identical(told$map[, 4L], plain(format_money(map$sales, "EUR", 0L)))
  tiers <- tier_profile(again(told$tiers_call))
  expect_match(told$tiers_call, "cashmere = 7, merino = 23, wool = 70", fixed = TRUE)
  expect_identical(told$tiers[, 3L], plain(format_count(tiers$customers)))
  expect_identical(told$tiers[, 5L], plain(format_money(tiers$sales, "EUR", 0L)))
  expect_identical(told$full, c("98 %", "1 %", "1 %")) # nobody is left out
  payback <- payback_pool(again(told$payback_call))
  age <- payback$age[which(payback$value >= payback$cost)[[1L]]]
  expect_identical(told$paid, sprintf("at age %d months", age))
  expect_identical(
    plain(told$brought), plain(format_money(payback$value[payback$age == 12L], "EUR", 2L))
  )
  new <- again(told$new_call)
  new <- utils::tail(new[!new$partial, ], 6L)
  expect_match(told$new_call, "lookback = 3", fixed = TRUE)
  expect_identical(told$new[, 4L], plain(format_count(new$returning)))
  expect_identical(told$new[, 5L], plain(format_count(new$reactivated)))
})

test_that("a report shows no people unless asked, and then says so", {
  # those that mark single customers; the demo's report has them all
  without_figures(but = c("nubrek_ranks", "nubrek_map", "nubrek_due"))
  found <- \(html) {
    unique(regmatches(html, gregexpr("C00[0-9]{2}|w[0-9]+@mail", html))[[1L]])
  }
  none <- people_run()
  expect_identical(found(none$html), character())
  says <- \(html, text) expect_true(grepl(text, html), label = text) # a page is long
  says(none$html, "Customers are not shown here")
  expect_identical(found(paste(readLines(demo_report()), collapse = "\n")), character())
  all <- people_run("  people: yes")
  expect_true(all(c("C0001", "w1@mail") %in% found(all$html)))
  says(all$html, "not for everybody")
  key <- withr::local_tempfile(lines = "00112233445566778899aabbccddeeff")
  hidden <- people_run("  people: pseudonyms", paste0("  key: ", key))
  expect_identical(found(hidden$html), character())
  best <- as.character(hidden$run$tiers$customer[[1L]])
  says(hidden$html, pseudonyms(best, key))
})

test_long("a picture is drawn once for the same numbers, and anew for others", {
  forget <- \() rm(list = ls(drawn_here), envir = drawn_here)
  forget()
  first <- people_run()
  study <- first$run$study
  kept <- file.path(dirname(first$run$files[[1L]]), "runs", "figures.json")
  drawn <- jsonlite::fromJSON(kept)$pictures
  expect_gt(length(drawn), 5L)
  page <- function(pictures, key = user_secret()) {
    forget()
    write_sealed(list(pictures = lapply(pictures, \(one) lapply(one, as.list))), kept, key)
    paste(readLines(run_study(study$path)$files[[1L]], encoding = "UTF-8"), collapse = "\n")
  }
  marks <- \(page) sum(gregexpr("\"shows\">This stood in the file", page)[[1L]] > 0L)
  # taken from the file, as a mark put there shows
  marked <- lapply(drawn, \(one) replace(one, "shows", "This stood in the file"))
  expect_identical(marks(page(marked)), length(drawn))
  # whoever has not our secret brings nothing in; whoever had it, nothing that runs or fetches
  expect_message(forged <- page(marked, public_key), "not ours", class = "nubrek_damaged")
  expect_identical(marks(forged), 0L)
  for (bad in c(
    "<script>document.title = 'owned'</script>", "<image href='http://x.example/a.png'/>",
    "<rect onload='document.title=1'/>", "<a href='javascript:x'>x</a>",
    "<rect clip-path='url(http://x.example)'/>", "<style>*{}</style>", "<g", "<foreignObject/>"
  )) {
    owned <- lapply(marked, \(one) replace(one, "lines", list(c(bad, one$lines[-1L]))))
    expect_identical(marks(suppressMessages(page(owned))), 0L, label = bad)
  }
  owned <- lapply(marked, \(one) replace(one, "styles", list(c(
    "background:url(http://x.example)", one$styles[-1L]
  ))))
  expect_identical(marks(suppressMessages(page(owned))), 0L)
  # other orders: nothing of it is taken
  orders <- file.path(dirname(study$path), "orders.csv")
  before <- readLines(orders)
  writeLines(before[-2L], orders)
  expect_identical(marks(page(marked)), 0L)
  expect_length(intersect(names(jsonlite::fromJSON(kept)$pictures), names(drawn)), 0L)
  # the same numbers as before, but a damaged file
  writeLines(before, orders)
  forget()
  writeLines("{", kept)
  expect_message(run_study(study$path), class = "nubrek_damaged")
  # other signs and texts are another basis
  here <- drawing_basis()
  expect_false(identical(withr::with_options(list(nubrek.decimal = ","), drawing_basis()), here))
  expect_false(identical(withr::with_envvar(c(LANGUAGE = "de"), drawing_basis()), here))
})

test_long("the report's policy lets its own scripts run and no other", {
  skip_without_browser()
  path <- people_run()$run$files[[1L]]
  html <- paste(readLines(path, encoding = "UTF-8"), collapse = "\n")
  expect_true(grepl("default-src &#39;none&#39;; script-src &#39;sha256-", html, fixed = TRUE))
  asked <- withr::local_tempfile(fileext = ".html")
  writeLines(sub("</body>", paste0(
    "<script>document.body.dataset.owned = 'yes'</script>",
    "<img src='x' onerror=\"document.body.dataset.owned = 'yes'\"></body>"
  ), html, fixed = TRUE), asked, useBytes = TRUE)
  expect_false(grepl("data-owned", browse(asked)))
  # our own have run
  expect_true(probe(path, "told.ran = document.querySelector('th button') !== null;")$ran)
})

test_that("groups of fewer than `least` customers do not stand apart; those below 30 are pale", {
  without_figures()
  few <- people_run()
  rows <- regmatches(few$html, gregexpr("<tr( class=\"few\")?>\\s*<td[^>]*>Cedar</td>", few$html))
  expect_identical(rows[[1L]], character())
  expect_true(grepl("1\u00a0row of fewer than 5 customers is not shown apart", few$html))
  one <- people_run("  least: 1")
  expect_true(grepl("<tr class=\"few\">\\s*<td[^>]*>Cedar</td>", one$html))
})

test_that("findings: 30 customers, beyond chance, the largest and the newest first, by section", {
  one <- \(text, section, ...) c(page_finding(text, "x", ...), list(section = section))
  told <- chosen_findings(list(
    one("few", "a", customers = 29L, money = 900, new = TRUE),
    one("chance", "a", customers = 500L, money = 900, certain = FALSE),
    one("large", "a", customers = 500L, money = 500),
    one("new", "b", customers = 500L, money = 300, new = TRUE),
    one("second", "b", customers = 500L, money = 200),
    one("people", "c", customers = 100L)
  ), sales = 1000, customers = 1000L)
  expect_identical(vapply(told, `[[`, "", "text"), c("new", "large", "people", "second"))
  many <- lapply(letters[1:9], \(s) one(s, s, customers = 40L))
  expect_length(chosen_findings(many, 1, 100L), 7L)
  first <- findings_shown(demo_report())
  expect_gte(first, 5L)
  expect_lte(first, 7L)
})

test_that("text stands out from its ground in the light and in the dark", {
  css <- paste(readLines(system.file("report", "report.css", package = "nubrek")), collapse = "\n")
  themes <- regmatches(css, gregexpr(":root \\{[^}]*\\}", css))[[1L]]
  expect_length(themes, 3L) # light, dark, print
  for (theme in themes) {
    found <- regmatches(theme, gregexpr("--[a-z]+: #[0-9a-f]+", theme))[[1L]]
    tone <- stats::setNames(sub(".*: ", "", found), sub("--([a-z]+):.*", "\\1", found))
    light <- function(name) {
      part <- grDevices::col2rgb(tone[[name]]) / 255
      sum(c(0.2126, 0.7152, 0.0722) * ifelse(
        part <= 0.03928, part / 12.92, ((part + 0.055) / 1.055)^2.4
      )) + 0.05
    }
    for (text in c("ink", "quiet", "link")) {
      for (ground in c("paper", "sheet", "shade")) {
        both <- sort(c(light(text), light(ground)))
        expect_gte(both[[2L]] / both[[1L]], 4.5, label = paste(text, "on", ground))
      }
    }
  }
})
