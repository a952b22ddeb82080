# Campaigns of the demo world: a letter in the summer of 2025 that worked, by a known amount, held
# back from three of ten; a mailing in spring and a voucher in October without anybody held back,
# that changed nothing; who was contacted when, and who responded. Run behind demo-world.R and
# before demo-panel.R:  Rscript data-raw/demo-campaign.R  The truth stands in truth-campaigns.csv.
library(nubrek)
library(data.table)
set.seed(99)
out <- "inst/pellmere"
write <- \(table, name) fwrite(table, file.path(out, name), quote = "auto", eol = "\n")
read <- \(name) fread(
  cmd = paste("zcat", file.path(out, name)), colClasses = "character", na.strings = NULL
)
lines <- read("order-lines.csv.gz")[!grepl("^L", receipt)]
write(lines, "order-lines.csv.gz")

# who allows to be written to
people <- read("customers.csv.gz")
people[, may_contact := sample(c("yes", "no", ""), .N, TRUE, c(0.72, 0.22, 0.06))]
write(people, "customers.csv.gz")

study <- read_study(file.path(out, "study.yaml"))
study$data$contacts <- NULL
ledger <- study_ledger(study)
june <- ledger_slice(ledger, until = "2025-06-30", first = "any")
allowed <- \(...) audience(ledger, ..., may_contact == "yes")$customer

letter <- audience(june, purchases >= 2, open_gap <= 200, name = "summer letter")
drawn <- draw_control(
  letter, june, share = 0.3, seed = 7, day = "2025-07-01", days = 90, cost_per_contact = 0.85,
  offer_cost = 2, margin_rate = 0.48
)
save_campaign(drawn, file.path(out, "summer-letter.json"))

# one of twenty letters came back; the others brought so many purchases more in the 90 days
more <- 0.25
sent <- drawn$customer[drawn$arm == "contacted"]
reached <- sent[runif(length(sent)) > 0.05]
bought <- rep(reached, rpois(length(reached), more))
n <- length(bought)
extra <- data.table(
  receipt = sprintf("L%07d", seq_len(n)),
  sold_at = sprintf("%s %02d:%02d", as.Date("2025-07-01") + sample(90L, n, TRUE), sample(
    9:19, n, TRUE
  ), sample(0:59, n, TRUE)),
  customer_no = bought,
  sold_in = "Web store",
  sku = sample(sprintf("YA-%03d", 1:26), n, TRUE),
  quantity = "2",
  price = round(100 * rgamma(n, 4, 0.25))
)
extra[, `:=`(
  line_id = as.character(max(as.integer(lines$line_id)) + seq_len(n)),
  unit_price = sprintf("%.2f", price / 100),
  discount = "0.00",
  net_amount = sprintf("%.2f", 2 * price / 100),
  currency = "EUR",
  state = "paid",
  return_of = ""
)]
worth <- sum(2 * extra$price) / 100
lines <- rbind(lines, extra[, names(lines), with = FALSE])
write(lines[order(sold_at, receipt, as.integer(line_id))], "order-lines.csv.gz")

contacts_of <- \(ids, day, campaign, offer, responded) {
  data.table(customer_no = ids, sent_on = day, campaign, offer, responded)
}
spring <- allowed(purchases(until = "2025-03-09") >= 1)
spring <- spring[runif(length(spring)) < 0.35]
voucher <- allowed(purchases(until = "2025-10-05") >= 1, purchases(from = "2025-04-01") <= 1)
voucher <- voucher[runif(length(voucher)) < 0.6]
answer <- \(ids, rate) ifelse(runif(length(ids)) < rate, "yes", "no")
write(
  rbind(
    contacts_of(spring, "2025-03-10", "spring mailing", "", answer(spring, 0.03)),
    contacts_of(
      reached, "2025-07-01", "summer letter", "", ifelse(reached %in% bought, "yes", "no")
    ),
    contacts_of(voucher, "2025-10-06", "october voucher", "voucher", answer(voucher, 0.05))
  )[order(sent_on, customer_no)],
  "contacts.csv.gz"
)
write(
  data.table(
    campaign = c("spring mailing", "summer letter", "october voucher"),
    purchases_per_contacted = c(0, round(n / length(sent), 4), 0),
    sales_per_contacted = c(0, round(worth / length(sent), 2), 0)
  ),
  "truth-campaigns.csv"
)
cat(n, "purchases more,", length(sent), "letters\n")
