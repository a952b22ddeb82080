# Slow, obvious versions of the reductions, customer by customer from the ledger's orders.
slow_customers <- function(ledger) {
  orders <- orders_of(ledger, seq_along(ledger$ids))
  one <- function(id) {
    mine <- orders[orders$customer == id, ]
    bought <- mine[mine$purchase, ]
    data.frame(
      customer = id,
      purchases = nrow(bought),
      orders = nrow(mine),
      purchase_days = length(unique(bought$day)),
      sales = round(sum(mine$sales), 2),
      first = if (nrow(bought) > 0) min(bought$day) else as.Date(NA),
      last = if (nrow(bought) > 0) max(bought$day) else as.Date(NA)
    )
  }
  do.call(rbind, lapply(sort(unique(orders$customer), method = "radix"), one))
}

slow_cell <- function(ledger, cohort, period, month_of = \(day) as.Date(format(day, "%Y-%m-01"))) {
  orders <- orders_of(ledger, seq_along(ledger$ids))
  bought <- orders[orders$purchase, ]
  first <- tapply(as.integer(bought$day), bought$customer, min)
  mine <- names(first)[month_of(as.Date(first, origin = "1970-01-01")) == cohort]
  here <- orders[
    orders$customer %in% mine &
      month_of(orders$day) == period &
      as.integer(orders$day) >= first[orders$customer],

  ]
  list(
    size = length(mine),
    customers = length(unique(here$customer[here$purchase])),
    purchases = sum(here$purchase),
    orders = nrow(here),
    sales = round(sum(here$sales), 2)
  )
}

# Four cohorts on paper, months, as of 15 May 2024; the data begin on 1 Jan. Customer E only ever
# returned something.
paper <- function(...) {
  small_ledger(
    "customer,receipt,day,amount
  A,1,2024-01-01,10
  A,2,2024-02-10,10
  A,3,2024-05-03,10
  B,4,2024-01-31,20
  B,5,2024-03-05,-5
  C,6,2024-02-29,30
  C,7,2024-04-30,30
  D,8,2024-04-10,40
  D,9,2024-05-15,2.50
  E,10,2024-03-03,-7",
    ...
  )
}
