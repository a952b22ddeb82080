# Curves of waits that are not over for all: their shares by day, and whether groups differ.

# The curve of one group, from the time of each and whether it ended with the event.
one_curve <- function(time, event, level = 0.95) {
  rows <- data.table(time, event)[, .(d = sum(event), left = .N), keyby = time]
  kaplan_meier(rows$time, rows$d, rev(cumsum(rev(rows$left))), level)
}

# Events before censoring on equal days; the share by a day includes the day. Greenwood's variance
# on the log-log scale.
kaplan_meier <- function(time, events, at_risk, level) {
  seen <- at_risk
  at_risk <- as.double(at_risk) # products go beyond whole numbers
  stay <- cumprod(1 - events / at_risk)
  spread <- sqrt(cumsum(ifelse(at_risk > events, events / (at_risk * (at_risk - events)), 0))) /
    abs(log(stay))
  z <- stats::qnorm((1 + level) / 2)
  inside <- stay > 0 & stay < 1
  bound <- \(sign) ifelse(inside, 1 - stay^exp(sign * z * spread), NA_real_)
  came <- events > 0L
  list(
    days = time[came],
    share = (1 - stay)[came],
    lower = bound(-1)[came],
    upper = bound(1)[came],
    at_risk = seen[came]
  )
}

# Of each group, by time: events, those who leave (with one or not), and those at risk.
risk_table <- function(group, time, event) {
  table <- data.table(group, time, event)[,
    .(events = sum(event), left = .N), keyby = .(group, time)
  ]
  table[, at_risk := rev(cumsum(rev(left))), by = group]
}

# The log-rank comparison of all groups (Mantel 1966; Peto and Peto 1972).
log_rank <- function(table) {
  groups <- unique(table$group)
  k <- length(groups)
  if (k < 2L) return(NULL)
  times <- sort(unique(table$time[table$events > 0L]))
  position <- function(g) {
    mine <- table[table$group == g]
    upto <- findInterval(times - 0.5, mine$time) + 1L
    list(risk = c(mine$at_risk, 0)[upto], events = {
      e <- integer(length(times))
      place <- match(mine$time, times)
      e[place[!is.na(place)]] <- mine$events[!is.na(place)]
      e
    })
  }
  cells <- lapply(groups, position)
  risk <- vapply(cells, `[[`, numeric(length(times)), "risk") |> matrix(ncol = k)
  events <- vapply(cells, \(c) as.double(c$events), numeric(length(times))) |> matrix(ncol = k)
  n <- rowSums(risk)
  d <- rowSums(events)
  expected <- risk * (d / n)
  multiple <- ifelse(n > 1, d * (n - d) / (n - 1), 0)
  share <- risk / n
  variance <- diag(colSums(multiple * share), k) - crossprod(share * multiple, share)
  difference <- colSums(events - expected)[-k]
  chi_square <- if (any(diag(variance)[-k] > 0)) {
    sum(difference * qr.solve(variance[-k, -k, drop = FALSE], difference))
  } else {
    NA_real_
  }
  list(
    chi_square = chi_square, df = k - 1L, p = stats::pchisq(chi_square, k - 1L, lower.tail = FALSE)
  )
}
