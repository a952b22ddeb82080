# Slow, obvious versions of the reductions, customer by customer from the ledger's orders.
slow_customers <- function(ledger) {
  orders <- orders_of(ledger, seq_along(ledger$ids))
  one <- function(id) {
    mine <- orders[orders$customer == id, ]
    bought <- mine[mine$purchase, ]
    data.frame(customer = id, purchases = nrow(bought), orders = nrow(mine), purchase_days = length(unique(bought$day)), sales = round(sum(mine$sales), 2),
               first = if (nrow(bought) > 0) min(bought$day) else as.Date(NA), last = if (nrow(bought) > 0) max(bought$day) else as.Date(NA))
  }
  do.call(rbind, lapply(sort(unique(orders$customer), method = "radix"), one))
}

slow_cell <- function(ledger, cohort, period, month_of = \(day) as.Date(format(day, "%Y-%m-01"))) {
  orders <- orders_of(ledger, seq_along(ledger$ids))
  bought <- orders[orders$purchase, ]
  first <- tapply(as.integer(bought$day), bought$customer, min)
  mine <- names(first)[month_of(as.Date(first, origin = "1970-01-01")) == cohort]
  here <- orders[orders$customer %in% mine & month_of(orders$day) == period & as.integer(orders$day) >= first[orders$customer], ]
  list(size = length(mine), customers = length(unique(here$customer[here$purchase])), purchases = sum(here$purchase), orders = nrow(here), sales = round(sum(here$sales), 2))
}
