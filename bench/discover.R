# Groups in drawn worlds: how often noise is confirmed, how often planted groups are found, whether
# estimates and intervals hold, and how long a search of a million customers takes. Writes
# docs/groups.md. Usage: discover.R [WORLDS] [CUSTOMERS]
library(nubrek)
said <- as.integer(commandArgs(TRUE))
worlds <- c(said, 200L)[[1L]]
customers <- c(said[-1L], 1000000L)[[1L]]

# Twelve attributes: six numbers, six with 3 to 12 levels.
attributes_of <- function(n) {
  numbers <- lapply(1:6, \(k) rnorm(n))
  levels <- lapply(c(3, 4, 5, 6, 8, 12), \(k) sample(letters[seq_len(k)], n, TRUE, seq_len(k)))
  list(numbers = numbers, levels = levels, bins = c(
    Map(\(x, k) nubrek:::number_bins(paste0("n", k), paste0("n", k), x), numbers, 1:6),
    Map(\(x, k) nubrek:::level_bins(paste0("l", k), paste0("l", k), x, n / 200), levels, 1:6)
  ))
}
search <- function(bins, y, seed, least, beam = 60L) {
  part <- nubrek:::parts_of(seq_along(y), 1L, seed)
  said <- list(conditions = 3L, beam = beam, most = 20L)
  turn <- nubrek:::search_turn(bins, list(y = y, yes = all(y %in% 0:1)), part, 1L, least, said)
  sign <- vapply(turn$groups, `[[`, 0, "sign")
  turn$p <- p.adjust(ifelse(sign > 0, turn$rows$high, turn$rows$low), "holm")
  turn
}
over <- \(n, call) do.call(rbind, parallel::mclapply(seq_len(n), call, mc.cores = 2L))
percent <- \(x) sprintf("%.1f %%", 100 * x)

noise <- function(target) mean(over(worlds, \(seed) {
  set.seed(seed)
  world <- attributes_of(20000L)
  any(search(world$bins, target(20000L), seed, 100)$p < 0.05)
}))
skewed <- \(n) rlnorm(n, 3, 1.5) * (runif(n) < 0.5)
chance <- c(noise(rnorm), noise(skewed), noise(\(n) as.double(runif(n) < 0.1)))

# A group of a share of 20,000, by so many conditions, that is so many SD above.
planted <- function(seed, share, effect, conditions) {
  set.seed(seed)
  world <- attributes_of(20000L)
  inside <- rep(TRUE, 20000L)
  each <- share^(1 / conditions)
  for (k in seq_len(conditions)) {
    inside <- inside & world$numbers[[k]] >= quantile(world$numbers[[k]], 1 - each)
  }
  y <- rnorm(20000L) + effect * inside
  found <- search(world$bins, y, seed, 100)
  # the truth of those who are judged: among those who found a group more of it is planted
  judged <- nubrek:::parts_of(seq_along(y), 1L, seed) == 1L
  truth <- vapply(found$members, \(rows) {
    mean(inside[rows & judged]) - mean(inside[!rows & judged])
  }, 0) * effect
  alike <- vapply(found$members, \(rows) sum(rows & inside) / sum(rows | inside), 0)
  hit <- found$p < 0.05 & alike >= 0.4
  c(
    found = any(hit),
    error = mean((found$rows$difference - truth) / found$rows$error),
    covered = mean(found$rows$lower <= truth & truth <= found$rows$upper)
  )
}
cells <- expand.grid(
  share = c(0.01, 0.03, 0.1), effect = c(0.2, 0.4, 0.8), conditions = 1:3
)
each <- max(20L, worlds %/% 4L)
rows <- do.call(rbind, lapply(seq_len(nrow(cells)), \(i) {
  seen <- over(each, \(seed) planted(
    seed, cells$share[[i]], cells$effect[[i]], cells$conditions[[i]]
  ))
  data.frame(cells[i, ], found = mean(seen[, "found"]), covered = mean(seen[, "covered"]), error = mean(
    seen[, "error"]
  ), spread = sd(seen[, "error"]) / sqrt(each))
}))

set.seed(1)
big <- attributes_of(customers)
y <- skewed(customers)
gc(reset = TRUE)
took <- system.time(search(big$bins, y, 1L, customers / 200))
memory <- sum(gc()[, 6])

writeLines(c(
  "# Groups that are found in drawn worlds", "",
  sprintf("Made by `make groups`: 20,000 customers, twelve attributes, up to three conditions; %d worlds of noise, %d of each planted group.", worlds, each), "",
  "## Noise: how often anything is confirmed, at 5 %", "",
  "| target | confirmed |", "|---|---|",
  sprintf("| %s | %s |", c("normal", "money (half nothing, log-normal with sigma 1.5)", "yes or no, one in ten"), percent(chance)), "",
  "## Planted groups: how often they are found", "",
  "A group counts as found where a confirmed one shares 40 % of their people or more.", "",
  "| share | effect, SD | conditions | found | intervals that hold the truth | mean error, standard errors |",
  "|---|---|---|---|---|---|",
  sprintf(
    "| %s | %.1f | %d | %s | %s | %.2f ± %.2f |", percent(rows$share), rows$effect, rows$conditions,
    percent(rows$found), percent(rows$covered), rows$error, 2 * rows$spread
  ), "",
  sprintf("All in all %s of the intervals hold the truth; the mean error is %.3f standard errors.", percent(mean(rows$covered)), mean(rows$error)), "",
  "## Time", "",
  sprintf("%s customers, twelve attributes, three conditions, both directions: %.1f s elapsed, %.1f s of processor; R held at most %.0f MB.", format(customers, big.mark = ","), took[["elapsed"]], took[["user.self"]], memory)
), "docs/groups.md")
cat(readLines("docs/groups.md"), sep = "\n")
