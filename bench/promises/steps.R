# Nobody has a taste: customers differ in how much they buy, goods in how common they are.

tasteless_ledger <- function(seed, cell) {
  set.seed(seed)
  often <- 2L + rnbinom(1200L, 0.7, mu = 1.5)
  size <- 0.4 + rgamma(1200L, 0.6, 0.4)
  goods <- sprintf("G%03d", seq_len(cell$goods))
  who <- rep(seq_len(1200L), often)
  n <- length(who)
  receipts <- data.frame(
    who = sprintf("C%04d", who), receipt = seq_len(n),
    day = as.Date("2024-01-01") + sample(0:700, n, TRUE)
  )
  many <- pmin(length(goods), 1L + rpois(n, size[who]))
  rows <- receipts[rep(seq_len(n), many), ]
  rows$goods <- unlist(lapply(many, \(k) {
    sample(goods, k, prob = 1 / (cell$flat + seq_along(goods)))
  }))
  rows$paid <- sample(1:9, nrow(rows), TRUE)
  open_ledger(
    rows, column_map("who", "day", "receipt", "paid", category = "goods"),
    meanings(currency = "EUR")
  )
}
promise(
  "steps-noise",
  paste(
    "Where nobody has a taste, `product_steps()` and `companion_goods()` call a pair significant",
    "in at most 5 % of the tables (1,200 customers, of whom some fill large baskets)."
  ),
  of = "R/repeat-steps.R",
  cells = data.frame(
    world = c(
      "12 goods", "40 goods", "150 goods", "12 goods, the most common in nearly all baskets"
    ),
    goods = c(12L, 40L, 150L, 12L), flat = c(3, 3, 3, 0)
  ),
  measure = \(seed, cell) {
    ledger <- tasteless_ledger(seed, cell)
    told <- \(x) any(x$adjusted_p < 0.05, na.rm = TRUE)
    c(steps = told(product_steps(ledger)), companions = told(companion_goods(ledger)))
  },
  holds = list(steps = c(0, 0.05), companions = c(0, 0.05)),
  worlds = 200L
)
