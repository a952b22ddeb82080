# Generated order lines for the benchmark: 7 columns, text ids, about 2.4 lines an order, seeded. Usage: generate.R N FILE
library(data.table)
setDTthreads(2)
n <- as.numeric(commandArgs(TRUE)[[1L]])
set.seed(1)
n_orders <- round(n * 0.42)
n_customers <- round(n * 0.15)
whose <- sample.int(n_customers, n_orders, TRUE, prob = rgamma(n_customers, 0.6))
day <- sample.int(1095L, n_orders, TRUE)
order <- sort(sample.int(n_orders, n, TRUE))
days <- format(as.Date("2023-01-01") + 0:1094)
fwrite(data.table(line_id = seq_len(n), order_id = sprintf("R%09d", order), customer = sprintf("C%08d", whose[order]), day = days[day[order]],
                  sku = sprintf("S%04d", sample.int(3000L, n, TRUE)), quantity = sample.int(5L, n, TRUE), amount = sprintf("%.2f", sample.int(20000L, n, TRUE) / 100)),
       commandArgs(TRUE)[[2L]])
