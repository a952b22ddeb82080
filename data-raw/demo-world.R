# The demo world: Pellmere Yarn Company, a made-up retailer of yarn, needles, patterns, kits and
# tools with six shops and a web store. Run from the top of the repository:  Rscript
# data-raw/demo-world.R  Customers buy by a Pareto/NBD process (rates per week) bent by a yearly
# season, and spend by a gamma-gamma process. The parameters differ by the channel and the category
# of the first purchase; they are written beside the data (truth-groups.csv), with every customer's
# own rates and what would have happened in the year after (truth-customers). The mess of real
# exports is added in known amounts (truth-mess.csv).
library(data.table)
set.seed(20231)
out <- "inst/pellmere"
first_day <- as.Date("2023-01-01")
last_day <- as.Date("2025-12-14")
# customers from before the export begins: its first cohorts hold older customers
warm_up <- as.Date("2021-07-01")

# --- people and places
# ------------------------------------------------------------------------------------------
shops <- c(
  "Harbour Row", "Mill Lane", "Station Arcade", "Castle Gate", "Fern Street", "Quay Market"
)
channels <- data.table(
  channel = c("Web store", shops),
  weight = c(0.34, 0.16, 0.13, 0.12, 0.10, 0.08, 0.07),
  rate = c(0.85, 1.25, 1.10, 1.00, 1.05, 0.75, 0.95), # factor on the purchase rate
  drop = c(1.35, 0.80, 0.90, 1.00, 0.85, 1.20, 1.00), # factor on the dropout rate
  spend = c(1.15, 1.05, 0.95, 1.00, 0.90, 0.80, 0.90)
)
categories <- data.table(
  category = c("Yarn", "Kits", "Needles", "Patterns", "Tools"),
  weight = c(0.46, 0.18, 0.16, 0.12, 0.08),
  rate = c(1.20, 0.75, 1.00, 0.90, 0.80),
  drop = c(0.80, 1.45, 1.00, 1.10, 1.15),
  spend = c(1.05, 1.35, 0.80, 0.70, 0.85)
)
base <- list(r = 0.85, alpha = 9.5, s = 0.75, beta = 20, p = 4.2, q = 5.5, gamma = 38)

syllables <- c(
  "ba", "den", "fi", "gra", "hol", "jun", "ka", "lor", "mi", "nev", "ost", "pel", "qui", "rud",
  "sa", "tor", "ul", "ven", "wil", "yar", "zem", "bro", "cla", "dri", "el"
)
make_names <- function(n, parts) {
  word <- do.call(paste0, lapply(seq_len(parts), function(i) sample(syllables, n, TRUE)))
  paste0(toupper(substr(word, 1, 1)), substring(word, 2))
}
towns <- c(
  "Pellmere", "Ostwick", "Brambleford", "Low Tarn", "High Tarn", "Carrow", "Dunsey", "Velling",
  "Marrowby", "Stell"
)

# --- who comes, when, and how they behave
# ----------------------------------------------------------------------- yearly season with mean
# about 1: knitters buy from September to January
day_season <- function(day) {
  1 +
    0.20 * cos(2 * pi * (as.POSIXlt(day)$yday - 325) / 365.25) +
    0.05 * cos(4 * pi * (as.POSIXlt(day)$yday - 325) / 365.25)
}
calendar <- seq(warm_up, last_day + 365, by = "day")
warp <- cumsum(day_season(calendar)) # operational time in days
growth <- seq(0.8, 1.25, length.out = length(calendar)) # the business grows a little
arrivals <- calendar <= last_day
n_all <- 15600L
first <- sort(sample(
  which(arrivals), n_all, TRUE, prob = (day_season(calendar) * growth)[arrivals]
))
people <- data.table(person = seq_len(n_all), start = first)
people[, channel := sample(channels$channel, .N, TRUE, channels$weight)]
people[, category := sample(categories$category, .N, TRUE, categories$weight)]
people[channels, on = "channel", `:=`(rate = i.rate, drop = i.drop, money = i.spend)]
people[
  categories,
  on = "category",
  `:=`(rate = rate * i.rate, drop = drop * i.drop, money = money * i.spend)
]
people[,
  `:=`(lambda = rgamma(.N, base$r, base$alpha / rate), mu = rgamma(.N, base$s, base$beta / drop))
]
people[, `:=`(nu = rgamma(.N, base$q, base$gamma * money), life = rexp(.N, mu) * 7)]

# repeat purchases: exponential gaps in operational time, until the end of life (calendar time)
now <- warp[people$start]
events <- list(people[, .(person, day = start)])
alive <- rep(TRUE, n_all)
repeat {
  now[alive] <- now[alive] + rexp(sum(alive), people$lambda[alive]) * 7
  day <- findInterval(now, warp) + 1L
  alive <- alive & day <= length(calendar) & (day - people$start) < people$life
  if (!any(alive)) break
  events[[length(events) + 1L]] <- data.table(person = people$person[alive], day = day[alive])
}
orders <- rbindlist(events)[order(person, day)]
orders[, date := calendar[day]]
orders[
  people, on = "person", `:=`(first_channel = i.channel, first_category = i.category, nu = i.nu)
]
orders[, is_first := seq_len(.N) == 1L, by = person]
orders[, value := rgamma(.N, base$p, nu)]
# later purchases mostly stay with the first channel
orders[,
  channel := ifelse(
    is_first | runif(.N) < 0.8, first_channel, sample(channels$channel, .N, TRUE, channels$weight)
  )
]

future <- orders[
  date > last_day & date <= last_day + 364,
  .(purchases_next_52_weeks = .N, sales_next_52_weeks = round(sum(value), 2)),
  by = person
]
orders <- orders[date >= first_day & date <= last_day]
bought <- people[person %in% orders$person]
bought[, customer_no := sprintf("P%06d", sample(10000:99999, .N))]
orders[bought, on = "person", customer_no := i.customer_no]

# --- order lines
# ------------------------------------------------------------------------------------------------
products <- rbindlist(lapply(seq_len(nrow(categories)), function(i) {
  n <- c(26, 10, 14, 16, 10)[i]
  data.table(category = categories$category[i], label = paste(
    make_names(n, 2), c("yarn", "kit", "needles", "pattern", "tool")[i]
  ))
}))
products[, sku := sprintf("%s-%03d", substr(toupper(category), 1, 2), seq_len(.N)), by = category]
cost_rate <- c(Yarn = 0.52, Kits = 0.47, Needles = 0.55, Patterns = 0.15, Tools = 0.58)
products[, cost_rate := cost_rate[category]]

orders[, n_lines := 1L + rpois(.N, 1.1)]
orders[,
  discount_rate := fifelse(
    is_first,
    sample(c(0, 0.1, 0.2), .N, TRUE, c(0.6, 0.25, 0.15)),
    sample(c(0, 0.1), .N, TRUE, c(0.85, 0.15))
  )
]
orders[, minute := sample(540:1200, .N, TRUE)]
setorder(orders, date, minute, person)
orders[, receipt := sprintf("R%07d", 1000000L + cumsum(sample(1:4, .N, TRUE)))]
lines <- orders[
  rep(seq_len(.N), n_lines),
  .(receipt, date, minute, customer_no, channel, first_category, is_first, value, discount_rate)
]
lines[, line_no := seq_len(.N), by = receipt]
lines[,
  share := {
    w <- rgamma(.N, 2)
    sort(w / sum(w), decreasing = TRUE)
  },
  by = receipt
]
lines[,
  category := fifelse(is_first & line_no == 1L, first_category, sample(
    categories$category, .N, TRUE, categories$weight
  ))
]
by_category <- split(products$sku, products$category)
for (name in names(by_category)) {
  lines[category == name, sku := sample(by_category[[name]], .N, TRUE)]
}
lines[, quantity := fifelse(category == "Yarn", 1L + rpois(.N, 2.2), 1L)]
lines[, unit := pmax(50, round(100 * value * share / (1 - discount_rate) / quantity))] # cents
lines[, discount := round(unit * quantity * discount_rate)]
lines[, net := unit * quantity - discount]
lines[, `:=`(state = "paid", currency = "EUR", return_of = "")]

# --- the mess of real exports, in known amounts
# -----------------------------------------------------------------
mess <- list()
note <- function(kind, rows) {
  mess[[length(mess) + 1L]] <<- data.table(
    kind = kind, rows = nrow(rows), orders = uniqueN(rows$receipt), money = sum(rows$net) / 100
  )
}
next_receipt <- function(n) sprintf("R%07d", 8000000L + (counter <<- counter + n) - n + seq_len(n))
counter <- 0L

# returns: one line of an order comes back within four weeks, under a receipt of its own that names
# the original
back <- lines[value > 15][sample(.N, 2600L)][, .SD[1], by = receipt]
back[,
  `:=`(
    return_of = receipt,
    receipt = next_receipt(.N),
    date = date + sample(2:28, .N, TRUE),
    quantity = -quantity,
    discount = -discount,
    net = -net,
    line_no = 1L
  )
]
back <- back[date <= last_day]
note("return", back)

# nobody gave an id: falling from about 13 % to 5 % of orders as the loyalty card spreads
anonymous <- orders[sample(.N, 6500L)][
  runif(.N) < 0.6 - 0.42 * as.numeric(date - first_day) / as.numeric(last_day - first_day)
]
loose <- lines[receipt %in% anonymous$receipt]
loose[,
  `:=`(receipt = sub("R", "A", receipt), customer_no = "", net = pmax(net - 17, 50), unit = unit)
]
loose[, `:=`(unit = round(net / quantity), discount = 0)][, net := unit * quantity]
note("no customer", loose)

guest <- lines[receipt %in% sample(unique(lines[channel == "Web store"]$receipt), 1900L)]
guest[, `:=`(receipt = sub("R", "G", receipt), customer_no = "P000000")]
note("guest account", guest)

tests <- lines[receipt %in% sample(receipt, 45L)]
tests[, `:=`(receipt = sub("R", "T", receipt), state = "test", customer_no = "P009999")]
note("test order", tests)

void <- lines[receipt %in% sample(receipt, 380L)]
void[, `:=`(receipt = sub("R", "V", receipt), state = "cancelled")]
note("cancelled", void)

abroad <- lines[receipt %in% sample(unique(lines[channel == "Web store"]$receipt), 70L)]
abroad[,
  `:=`(
    receipt = sub("R", "F", receipt),
    currency = "DKK",
    unit = unit * 7L,
    discount = discount * 7,
    net = net * 7
  )
]
note("foreign currency", abroad)

export <- rbindlist(list(lines, back, loose, guest, tests, void, abroad), fill = TRUE)
setorder(export, date, minute, receipt, line_no)
export[, line_id := seq_len(.N) + 500000L]

# changed ids: the customer gets a second number from some day on; three quarters of them are in the
# alias table
changed <- bought[person %in% orders[, .N, by = person][N >= 4]$person][sample(.N, 160L)]
changed[, new_no := sprintf("P%06d", sample(100000:199999, .N))]
middle <- orders[person %in% changed$person, .(from = median(day)), by = person]
changed[middle, on = "person", from := calendar[ceiling(i.from)]]
export[changed, on = "customer_no", customer_no := fifelse(date > i.from, i.new_no, customer_no)]
aliases <- changed[seq_len(120L), .(customer_no = new_no, same_as = customer_no)]

# the same receipts exported twice
twice <- export[receipt %in% sample(unique(receipt), 420L)]
note("repeated order", twice)
export <- rbind(export, twice)
setorder(export, date, minute, receipt, line_no)

# --- the other tables
# -------------------------------------------------------------------------------------------
people_table <- bought[, .(customer_no, start, channel)]
never <- data.table(
  customer_no = sprintf("P%06d", sample(200000:299999, 640L)),
  start = sample(which(calendar >= first_day & calendar <= last_day), 640L),
  channel = sample(channels$channel, 640L, TRUE, channels$weight)
)
people_table <- rbind(people_table, never)
people_table[, `:=`(given = make_names(.N, 2), family = make_names(.N, 3))]
people_table[, name := paste(given, family)]
people_table[,
  email := fifelse(
    runif(.N) < 0.88, tolower(paste0(given, ".", family, sample(99, .N, TRUE), "@post.example")), ""
  )
]
people_table[,
  `:=`(
    town = sample(c(towns, ""), .N, TRUE, c(10:1 / 58, 0.05)),
    postcode = sprintf("PY%d %dQX", sample(1:28, .N, TRUE), sample(1:9, .N, TRUE))
  )
]
people_table[,
  birth_year := fifelse(
    runif(.N) < 0.78, as.character(pmin(2006L, pmax(1938L, round(rnorm(.N, 1976, 15))))), ""
  )
]
people_table[, registered := format(calendar[pmax(1L, start - rgeom(.N, 0.08))])]
twins <- copy(people_table[changed, on = "customer_no"])[,
  `:=`(customer_no = new_no, email = fifelse(runif(.N) < 0.7, toupper(email), email))
]
people_table <- rbind(people_table, twins, fill = TRUE)
people_table[sample(.N, 1L), name := "=SUM(1+1) Kabro"]
people_table[sample(.N, 1L), name := "<b>Dri</b> & \"Quinev\""]
setorder(people_table, customer_no)
costs <- CJ(channel = channels$channel, month = seq(first_day, last_day, by = "month"))
new_people <- bought[
  calendar[start] >= first_day,
  .N,
  by = .(channel, month = as.Date(format(calendar[start], "%Y-%m-01")))
]
costs[new_people, on = c("channel", "month"), n := i.N]
costs[,
  spend := round(
    fifelse(is.na(n), 0L, n) *
      fifelse(channel == "Web store", 44 + 0.9 * as.numeric(month - first_day) / 30, 27) *
      runif(.N, 0.8, 1.25),
    2
  )
] # the web store's grows

# --- write --------------------------------------------------------------------------------
money <- function(cents) sprintf("%.2f", cents / 100)
write <- function(table, name) fwrite(table, file.path(out, name), quote = "auto", eol = "\n")
export <- export[,
  .(
    line_id,
    receipt,
    sold_at = sprintf("%s %02d:%02d", date, minute %/% 60L, minute %% 60L),
    customer_no,
    sold_in = channel,
    sku,
    quantity,
    unit_price = money(unit),
    discount = money(discount),
    net_amount = money(net),
    currency,
    state,
    return_of
  )
]
write(export, "order-lines.csv.gz")
write(
  people_table[, .(customer_no, name, email, town, postcode, birth_year, registered)],
  "customers.csv.gz"
)
write(products[, .(sku, label, category, cost_rate)], "products.csv")
write(costs[, .(channel, month, spend)], "acquisition-costs.csv")
write(aliases, "aliases.csv")
groups <- CJ(channel = channels$channel, category = categories$category)
groups[channels, on = "channel", `:=`(rate = i.rate, drop = i.drop, money = i.spend)]
groups[
  categories,
  on = "category",
  `:=`(rate = rate * i.rate, drop = drop * i.drop, money = money * i.spend)
]
write(
  groups[,
    .(
      channel,
      category,
      r = base$r,
      alpha = base$alpha / rate,
      s = base$s,
      beta = base$beta / drop,
      p = base$p,
      q = base$q,
      gamma = base$gamma * money
    )
  ],
  "truth-groups.csv"
)
truth <- bought[,
  .(
    person,
    customer_no,
    channel,
    category,
    first = calendar[start],
    lambda = signif(lambda, 6),
    mu = signif(mu, 6),
    mean_order = round(base$p / nu, 2),
    active = as.integer(start + life > which(calendar == last_day))
  )
]
truth[
  future,
  on = "person",
  `:=`(
    purchases_next_52_weeks = i.purchases_next_52_weeks, sales_next_52_weeks = i.sales_next_52_weeks
  )
]
truth[is.na(purchases_next_52_weeks), `:=`(purchases_next_52_weeks = 0L, sales_next_52_weeks = 0)]
write(truth[order(customer_no)][, person := NULL], "truth-customers.csv.gz")
write(rbindlist(mess), "truth-mess.csv")
cat(
  nrow(export), "lines,", nrow(bought), "customers who bought,", uniqueN(lines$receipt), "orders\n"
)
