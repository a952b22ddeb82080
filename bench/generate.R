# Generated order lines for the benchmark: 7 columns, text ids, 2.4 lines an order, seeded. Usage:
# generate.R N FILE
library(data.table)
setDTthreads(2)
n <- as.numeric(commandArgs(TRUE)[[1L]])
set.seed(1)
n_orders <- round(n * 0.42)
n_customers <- round(n * 0.15)
# everybody orders once, some often; every order has a line, some many
whose <- sample(c(seq_len(n_customers), sample.int(
  n_customers, n_orders - n_customers, TRUE, prob = rgamma(n_customers, 0.6)
)))
day <- sample.int(1095L, n_orders, TRUE)
order <- sort(c(seq_len(n_orders), sample.int(n_orders, n - n_orders, TRUE)))
days <- format(as.Date("2023-01-01") + 0:1094)
fwrite(data.table(
  line_id = seq_len(n),
  order_id = sprintf("R%07d", order),
  customer = sprintf("C%07d", whose[order]),
  day = days[day[order]],
  sku = sprintf("S%04d", sample.int(3000L, n, TRUE)),
  quantity = sample.int(5L, n, TRUE),
  amount = sprintf("%.2f", sample.int(20000L, n, TRUE) / 100)
), commandArgs(TRUE)[[2L]])
