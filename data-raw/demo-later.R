# The second export of the demo world, two weeks after the first: what is new or otherwise since.
# Run behind demo-world.R, demo-campaign.R and demo-panel.R:  Rscript data-raw/demo-later.R
# `nubrek demo --later` lays its rows over those of the first (a line_id that is there again
# replaces its row). Quay Market closes on 17 December; the web store has a winter sale from 20 to
# 28 December; the till of Fern Street sends two days late; some amounts are corrected.
library(data.table)
set.seed(28)
read <- \(name) fread(
  cmd = paste("zcat", file.path("inst/pellmere", name)), colClasses = "character", na.strings = NULL
)
lines <- read("order-lines.csv.gz")
lines[, day := as.Date(substr(sold_at, 1L, 10L))]
line <- max(as.integer(lines$line_id))
fresh <- function(rows, stem) {
  orders <- unique(rows$receipt)
  rows$receipt <- sprintf("%s%07d", stem, match(rows$receipt, orders))
  rows$line_id <- as.character(line + seq_len(nrow(rows)))
  line <<- line + nrow(rows)
  rows
}

# the same two weeks of the year before, moved on, with a tenth more and today's customers
model <- lines[day >= as.Date("2024-12-16") & day <= as.Date("2024-12-29") & state == "paid"]
model <- model[return_of == "" & receipt != "" & currency == "EUR"]
model <- rbind(model, model[receipt %in% sample(unique(receipt), uniqueN(receipt) %/% 10L)][
  , receipt := paste0(receipt, "+")])
model[, day := day + 364L]
closed <- model$sold_in == "Quay Market" & model$day > as.Date("2025-12-17")
model <- model[!closed]
sale <- model$sold_in == "Web store" & model$day >= as.Date("2025-12-20")
cut <- ifelse(sale, 0.2, 0)
model[, net_amount := sprintf("%.2f", as.double(net_amount) * (1 - cut))]
model[, discount := sprintf("%.2f", as.double(discount) + cut * as.double(net_amount) / (1 - cut))]
recent <- lines[day > as.Date("2025-08-14") & nzchar(customer_no), .N, by = customer_no]
orders <- unique(model[, .(receipt)])
new <- runif(nrow(orders)) < 0.2
orders[, who := sample(recent$customer_no, .N, TRUE, recent$N)]
number <- max(as.integer(sub("P", "", grep("^P[0-9]{6}$", lines$customer_no, value = TRUE))))
orders[new, who := sprintf("P%06d", number + seq_len(sum(new)))]
model[, customer_no := orders$who[match(receipt, orders$receipt)]]
model[, sold_at := paste0(day, substring(sold_at, 11L))]
later <- fresh(model, "N")

# a till that was late, and corrections
late <- copy(lines[sold_in == "Fern Street" & day %in% as.Date(c("2025-11-29", "2025-11-30"))])
late <- fresh(late[nzchar(customer_no)][, `:=`(
  sold_at = sub("2025-11-29", "2025-12-12", sub("2025-11-30", "2025-12-13", sold_at))
)], "T")
known <- lines[day > as.Date("2025-11-25") & state == "paid" & return_of == "" & currency == "EUR"]
corrected <- copy(known[sample(.N, 40L)])
corrected[, net_amount := sprintf("%.2f", as.double(net_amount) + sample(c(-3, 2, 4), .N, TRUE))]
corrected[, net_amount := sprintf("%.2f", pmax(0.5, as.double(net_amount)))]
gone <- copy(known[receipt %in% sample(setdiff(receipt, corrected$receipt), 12L)])
gone[, state := "cancelled"]
rows <- rbind(corrected, gone, late, later)[, day := NULL]
dir.create("inst/pellmere-later", showWarnings = FALSE)
fwrite(rows, "inst/pellmere-later/order-lines.csv.gz", eol = "\n")
cat(uniqueN(later$receipt), "orders more,", uniqueN(late$receipt), "late\n")
