# What the data cannot support, said beside the forecast.

value_remarks <- function(fitted, money, ledger, shares) {
  fit <- fitted$purchases
  rbind(
    remarks(fit),
    remarks(fitted$spend),
    if (is.null(shares$words)) {
      remark_table("margin",
        say("No margin is known, so sales are forecast and value is left out."))
    },
    if (!is.null(shares$words) && !is.numeric(money$margin_rate)) {
      remark_table("margin", paste0(
        say("Margin: "),
        shares$words,
        if (!is.null(shares$by)) {
          paste0(say("; of coming sales as by now, by "), gsub("_", " ", shares$by))
        },
        "."
      ))
    },
    spend_remark(fitted),
    trend_remark(fit, ledger)
  )
}

# Amounts that go with frequency break the spend model; the effect is what the expected sales would
# be if each class of frequency kept its own mean amount.
spend_remark <- function(fitted) {
  history <- fitted$history
  x <- history$repeats > 0
  tie <- spend_tie(history$repeats[x], history$spend[x])
  if (!tie$tied) return(NULL)
  expected <- predict(fitted$purchases, history, horizon = 52)
  class_of <- ceiling(log2(pmax(1, history$repeats)))
  mine <- data.table(class_of, n = history$repeats, spend = history$spend)[
    x, .(mean = sum(n * spend) / sum(n)), keyby = class_of
  ]
  effect <- sum(expected * mine$mean[match(class_of, mine$class)]) /
    sum(expected * predict(fitted$spend, history)) -
    1
  remark_table("spend", say(paste0(
    "Amounts go with frequency (rank correlation %.2f); the spend model assumes they do not. If ",
    "customers of each frequency kept their own mean amount, expected sales would be %.1f %% %s."
  ), tie$correlation, 100 * abs(effect), if (effect >= 0) "higher" else "lower"))
}

# A trend that the model does not explain: purchases against what it expects, month by month.
trend_remark <- function(fit, ledger) {
  trend <- residual_trend(fit, ledger)
  if (is.null(trend) || trend$p > 0.001 || abs(trend$yearly) < 0.1) return(NULL)
  remark_table("trend", say(paste0(
    "Purchases %s by %.0f %% a year against what the model expects of the same customers; the ",
    "forecast does not carry this on."
  ), if (trend$yearly > 0) "grew" else "fell", 100 * abs(trend$yearly)))
}

residual_trend <- function(fit, ledger) {
  until <- fit$until
  by_month <- season_months(ledger$history_start, until)
  if (nrow(by_month) < 12L) return(NULL)
  data <- months_against_model(fit, ledger, until, by_month, fit$season)
  data <- data[data$expected > 0, ]
  if (nrow(data) < 12L) return(NULL)
  data$year <- (data$from + data$to) / 2 / 365.25
  seasonal <- is.null(fit$season) && all(tabulate(data$month, 12L) >= 2L)
  data$month <- factor(data$month)
  found <- summary(stats::glm(
    if (seasonal) actual ~ year + month else actual ~ year,
    stats::quasipoisson(),
    data,
    offset = log(expected)
  ))$coefficients["year", ]
  list(yearly = expm1(found[[1L]]), p = found[[4L]])
}
