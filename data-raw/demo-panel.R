# A household panel of the demo world: what 2,000 customers, and 200 people who are none of ours,
# told of everybody they bought of in 2025. Run behind demo-world.R:  Rscript data-raw/demo-panel.R
# Their true share of wallet stands in truth-panel.csv; told amounts are off by a twentieth.
library(nubrek)
set.seed(4711)
ledger <- study_ledger("inst/pellmere/study.yaml")
categories <- c("Yarn", "Kits", "Needles", "Patterns", "Tools")
rules <- c(
  sprintf("sales(category == \"%s\", during = 2025) > -1e9", categories),
  sprintf("units(category == \"%s\", during = 2025) > -1e9", categories)
)
all <- audience(ledger, rule = rules)
sold <- as.matrix(as.data.frame(all)[sub(" > -1e9", "", rules[1:5])])
pieces <- as.matrix(as.data.frame(all)[sub(" > -1e9", "", rules[6:10])])
chosen <- sample(which(rowSums(pmax(sold, 0)) > 0), 2000L)
others <- c("Northgate Crafts", "The Thread Barn", "market stalls")
price <- c(1.12, 0.9, 0.75) # beside ours
share <- rbeta(2000L, 2.2, 1.4) # ours of what they spend
share[runif(2000L) < 0.12] <- 1
off <- \(x) round(x * exp(rnorm(length(x), 0, 0.05)), 2)
rows <- list()
for (k in seq_along(categories)) {
  ours <- pmax(0, sold[chosen, k])
  told <- ours > 0
  rows[[length(rows) + 1L]] <- data.frame(
    customer_no = all$customer[chosen][told], seller = "Pellmere Yarn Company",
    category = categories[[k]], pieces = pmax(1, pieces[chosen, k][told]), spent = off(ours[told])
  )
  elsewhere <- ours * (1 - share) / share
  dealt <- matrix(rgamma(6000L, c(1.2, 0.8, 0.5)), ncol = 3L, byrow = TRUE)
  dealt <- dealt / rowSums(dealt)
  for (s in 1:3) {
    spent <- off(elsewhere * dealt[, s])
    there <- spent >= 1
    unit <- ifelse(pieces[chosen, k] > 0, ours / pmax(1, pieces[chosen, k]), 10) * price[[s]]
    rows[[length(rows) + 1L]] <- data.frame(
      customer_no = all$customer[chosen][there], seller = others[[s]], category = categories[[k]],
      pieces = pmax(1, round(spent / pmax(0.5, unit)))[there], spent = spent[there]
    )
  }
}
strangers <- sprintf("H%05d", 1:200)
for (s in 1:3) {
  rows[[length(rows) + 1L]] <- data.frame(
    customer_no = strangers, seller = others[[s]], category = "Yarn",
    pieces = 1 + rpois(200L, 3), spent = round(rgamma(200L, 2, 0.05) * price[[s]], 2)
  )
}
panel <- do.call(rbind, rows)
panel <- panel[order(panel$customer_no, panel$category, panel$seller), ]
data.table::fwrite(panel, "inst/pellmere/panel.csv.gz")
data.table::fwrite(
  data.frame(customer_no = all$customer[chosen], share = share), "inst/pellmere/truth-panel.csv.gz"
)
