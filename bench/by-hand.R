# The same work with data.table by hand, in a process of its own. Usage: by-hand.R FILE. Prints one
# JSON object.
library(data.table)
setDTthreads(2)
file <- commandArgs(TRUE)[[1L]]
seconds <- answers <- list()
clock <- function(task, code) {
  gc(FALSE)
  seconds[[task]] <<- system.time(code)[["elapsed"]]
}
clock("open", {
  lines <- unique(fread(
    file,
    colClasses = c(order_id = "character", customer = "character", sku = "character"),
    nThread = 2L,
    showProgress = FALSE
  ))
  orders <- lines[,
    .(day = min(day), sales = sum(round(amount * 100))), keyby = .(customer, order_id)
  ]
  setorder(orders, customer, day, order_id)
  people <- orders[
    sales > 0,
    .(purchases = .N, first = min(day), last = max(day), sales = sum(sales)),
    by = customer
  ]
})
clock(
  "customer table",
  p <- orders[
    sales > 0,
    .(purchases = .N, first = min(day), last = max(day), sales = sum(sales)),
    by = customer
  ]
)
answers[["customer table"]] <- c(nrow(p), sum(p$purchases), sum(p$sales))
clock("order counts", k <- orders[sales > 0, .N, by = customer][, .(customers = .N), by = N])
answers[["order counts"]] <- c(nrow(k), sum(k$N * k$customers))
clock("cohort cells", {
  orders[, month := year(day) * 12L + month(day)]
  first <- orders[sales > 0, .(first = min(day), cohort = min(month)), by = customer]
  cells <- orders[first, on = "customer"][
    day >= first,
    .(active = uniqueN(customer[sales > 0]), sales = sum(sales)),
    by = .(cohort, month)
  ]
})
answers[["cohort cells"]] <- c(nrow(cells), sum(cells$active), sum(cells$sales))
cat(jsonlite::toJSON(list(seconds = seconds, answers = answers), auto_unbox = TRUE, digits = NA))
