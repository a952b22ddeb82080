# What each part may put on the first screen.

# Groups that differ significantly in the share with a second purchase by day 90: the lowest of
# those whose interval leaves out that of all customers.
findings_rates_by <- function(run) {
  everybody <- run[["repeat"]]$by_90
  lapply(names(run$by), \(name) {
    differ <- basis_of(run$by[[name]], "differ")
    if (is.null(differ) || is.na(differ) || differ >= 0.05) return(NULL)
    x <- plain_table(run$by[[name]])
    x <- x[x$customers >= few_customers & x[[name]] != "(missing)", ]
    x <- x[!is.na(x$by_90_upper) & x$by_90_upper < everybody, ]
    if (nrow(x) == 0L) return(NULL)
    low <- x[which.min(x$by_90), ]
    page_finding(
      say(
        paste0(
          "Within 90 days of the first purchase, %s of customers with %s \u201c%s\u201d bought ",
          "again (%s to %s), %s of all customers."
        ),
        present_share(low$by_90), gsub("_", " ", name), low[[name]],
        present_share(low$by_90_lower), present_share(low$by_90_upper), present_share(everybody)
      ),
      page_id("repeat-by", name),
      low$customers,
      money = low$sales,
      small = small_pair(everybody, low$by_90)
    )
  })
}

findings_gaps <- function(run) {
  x <- plain_table(run$gaps)
  several <- x[x$gaps > 0L & !is.na(x$overdue), ]
  late <- several[several$overdue > 2, ]
  if (nrow(late) == 0L) return(NULL)
  page_finding(
    say(
      "%s of %s customers with two or more purchases are silent for more than twice their gap.",
      format_count(nrow(late)), format_count(nrow(several))
    ),
    "gaps", nrow(late),
    small = small_share(nrow(late) / nrow(several), tone = "brick")
  )
}

# Active customers of the last whole period against the same period a year before.
findings_new <- function(run) {
  if (!is.null(basis_of(run$new, "by"))) return(NULL)
  x <- plain_table(run$new)
  x <- x[!x$partial, ]
  clock <- basis_of(run$new, "clock")
  back <- c(year = 1L, quarter = 4L, month = 12L, week = 52L)[clock]
  if (is.na(back) || nrow(x) <= back) return(NULL)
  now <- x[nrow(x), ]
  then <- x[nrow(x) - back, ]
  page_finding(
    say(
      "In %s %s customers bought, %s%s%s than in %s (%s); %s of them for the first time.",
      period_label(now$period, clock), format_count(now$active),
      if (then$active > 0L) present_share(abs(now$active / then$active - 1)) else "",
      if (then$active > 0L) " " else "", if (now$active >= then$active) "more" else "fewer",
      period_label(then$period, clock), format_count(then$active),
      present_share(now$new / now$active)
    ),
    "new", min(now$active, then$active), money = now$sales_new + now$sales_returning,
    new = TRUE, certain = abs(now$active - then$active) > 1.96 * sqrt(now$active + then$active),
    small = small_course(utils::tail(x$active, 24L))
  )
}

findings_sales <- function(run) {
  x <- run$sales
  if (is.null(basis_of(x, "against"))) return(NULL)
  page_finding(
    describe(x)$finding, "sales", sum(x$customers_before),
    money = sum(x$sales) - sum(x$sales_before), new = TRUE,
    small = small_pair(sum(x$sales_before), sum(x$sales))
  )
}

findings_usual <- function(run) {
  x <- plain_table(run$usual)
  told <- x[x$verdict %in% c("better", "worse"), ]
  if (nrow(told) == 0L) return(NULL)
  clear <- told[which.min(told$p), ]
  page_finding(
    describe(run$usual)$finding, "usual", clear$size,
    new = clear$cohort >= run$ledger$as_of - 400,
    small = small_pair(abs(clear$usual), abs(clear$value))
  )
}

findings_payback <- function(run) {
  x <- run$payback_by %||% run$payback
  rows <- plain_table(x)
  spent <- sum(rows$cost * rows$size, na.rm = TRUE)
  if (spent == 0) return(NULL)
  late <- rows$status %in% c("not yet", "out of reach")
  page_finding(
    describe(x)$finding, if (is.null(run$payback_by)) "payback" else "payback-by",
    sum(rows$size), money = sum((rows$cost * rows$size)[late], na.rm = TRUE),
    small = small_share(sum((rows$cost * rows$size)[!late], na.rm = TRUE) / spent, tone = "moss")
  )
}

findings_moves <- function(run) {
  x <- plain_table(run$moves)
  steps <- basis_of(run$moves, "steps")
  best <- basis_of(run$moves, "labels")[[1L]]
  here <- x[x$step == steps[[length(steps)]] & x$from == best, ]
  left <- here[here$to != best, ]
  sure <- is.null(run$chance) ||
    any(run$chance$verdict[run$chance$from == best & run$chance$to != best] == "more")
  page_finding(
    describe(run$moves)$finding, "moves", sum(left$customers), money = sum(left$change),
    new = TRUE, certain = sure,
    small = small_share(sum(left$customers) / max(1, sum(here$customers)), tone = "brick")
  )
}

findings_map <- function(run) {
  x <- run$map
  large <- x$region == "often & large"
  page_finding(
    describe(x)$finding, "map", sum(large), money = sum(x$sales[large]) / years_of(run),
    small = small_pair(mean(large), sum(x$sales[large]) / sum(x$sales))
  )
}

findings_tiers <- function(run) {
  x <- run$tiers
  top <- x$tier == tier_profile(x)$tier[[1L]]
  page_finding(
    describe(x)$finding, "ladder", sum(top), money = sum(x$sales[top]) / years_of(run),
    small = small_pair(mean(top), sum(x$sales[top]) / sum(x$sales))
  )
}

findings_effects <- function(run) {
  effects <- attr(run$effects, "effects")
  lapply(seq_along(effects), \(i) {
    one <- effects[[i]]
    sales <- one[one$outcome == "sales", ]
    if (nrow(sales) == 0L) return(NULL)
    page_finding(
      paste0("\u201c", basis_of(one, "name"), "\u201d: ", describe(one)$finding),
      paste0("effect-", i), sales$contacted + sales$held_back,
      money = sales$effect * sales$contacted,
      new = basis_of(one, "day") >= run$ledger$as_of - 365,
      certain = !is_running(one) && any(one$lower > 0 | one$upper < 0),
      small = small_pair(
        sales$mean_held_back, sales$mean_held_back + sales$effect, c("rule", "moss")
      )
    )
  })
}

findings_wallet <- function(run) {
  x <- run$wallet
  elsewhere <- sum((x$elsewhere * (x$weight %||% 1))[x$money > 0])
  page_finding(
    describe(x)$finding, "wallet", sum(x$money > 0), money = elsewhere,
    small = small_share(sum(x$money) / max(1e-9, sum(x$money_all[x$money > 0])))
  )
}

findings_coming <- function(run) {
  x <- run$coming
  page_finding(
    describe(x)$finding, "coming", nrow(run$forecast), money = sum(x$sales) / 2, new = TRUE,
    small = small_course(
      c(utils::tail(attr(x, "history")$sales, 12L), x$sales), expected = nrow(x)
    )
  )
}

findings_worth <- function(run) {
  x <- run$worth_by %||% run$worth
  rows <- plain_table(x)
  rows <- rows[!rows$older & rows$cohort > run$ledger$as_of - 366, ]
  lost <- pmin(0, rows$value_after_cost) * rows$size
  page_finding(
    describe(x)$finding, if (is.null(run$worth_by)) "worth-cohorts" else "worth-by",
    sum(rows$size), money = sum(lost, na.rm = TRUE), new = TRUE,
    small = small_pair(
      stats::weighted.mean(rows$cost, rows$size, na.rm = TRUE),
      stats::weighted.mean(rows$value, rows$size, na.rm = TRUE),
      c("brick", "moss")
    )
  )
}

# A forecast that a naive rule beats comes first.
findings_backtest <- function(run) {
  x <- plain_table(run$backtest)
  best <- min(x$error[-1L], na.rm = TRUE)
  if (x$error[[1L]] <= best) return(NULL)
  page_finding(
    describe(run$backtest)$finding, "backtest", nrow(run$forecast),
    money = sum(run$forecast$sales), new = TRUE, small = small_pair(best, x$error[[1L]])
  )
}

# A share of sales with a customer that moves looks like loyalty that moves.
findings_identified <- function(run) {
  share <- identified_by_year(run$identified)
  if (length(share) < 2L) return(NULL)
  moved <- share[[length(share)]] - share[[length(share) - 1L]]
  if (is.na(moved) || abs(moved) < 0.02) return(NULL)
  page_finding(
    paste(identified_words(run$identified),
      say("Growing card take-up looks like growing loyalty.")),
    "identified", sum(run[["repeat"]]$customers),
    money = moved * sum(run$identified$sales_all) / years_of(run), new = TRUE,
    small = small_course(as.vector(share))
  )
}

# A proof that fails comes before everything.
findings_proof <- function(run) {
  if (all(run$proof$exact)) return(NULL)
  page_finding(
    describe(run$proof)$finding, "proof-table", sum(run[["repeat"]]$customers),
    money = Inf, new = TRUE, small = small_share(mean(run$proof$exact), tone = "brick")
  )
}

years_of <- function(run) {
  max(1, as.double(run$ledger$as_of - run$ledger$history_start + 1) / 365.25)
}
