# Customers with twelve attributes: six numbers, six with 3 to 12 levels.

group_attributes <- function(n) {
  numbers <- lapply(1:6, \(k) rnorm(n))
  levels <- lapply(c(3, 4, 5, 6, 8, 12), \(k) sample(letters[seq_len(k)], n, TRUE, seq_len(k)))
  list(numbers = numbers, bins = c(
    Map(\(x, k) nubrek:::number_bins(paste0("n", k), paste0("n", k), x), numbers, 1:6),
    Map(\(x, k) nubrek:::level_bins(paste0("l", k), paste0("l", k), x, n / 200), levels, 1:6)
  ))
}
group_search <- function(bins, y, seed, least) {
  part <- nubrek:::parts_of(seq_along(y), 1L, seed)
  how <- list(conditions = 3L, beam = 60L, most = 20L)
  turn <- nubrek:::search_turn(bins, list(y = y, yes = all(y %in% 0:1)), part, 1L, least, how)
  sign <- vapply(turn$groups, `[[`, 0, "sign")
  turn$p <- p.adjust(ifelse(sign > 0, turn$rows$high, turn$rows$low), "holm")
  turn
}
group_targets <- list(
  normal = rnorm,
  `money (half nothing, log-normal with sigma 1.5)` = \(n) rlnorm(n, 3, 1.5) * (runif(n) < 0.5),
  `yes or no, one in ten` = \(n) as.double(runif(n) < 0.1)
)
group_code <- c(
  "R/discover-groups.R", "R/discover-judge.R", "R/discover-attributes.R", "src/group_search.cpp"
)

promise(
  "groups-noise",
  paste(
    "Where nothing differs, `discover_groups()` confirms a group in at most 5 % of the searches",
    "(20,000 customers, twelve attributes, up to three conditions)."
  ),
  of = group_code,
  cells = data.frame(world = names(group_targets)),
  measure = \(seed, cell) {
    set.seed(seed)
    world <- group_attributes(20000L)
    y <- group_targets[[cell$world]](20000L)
    c(confirmed = any(group_search(world$bins, y, seed, 100)$p < 0.05))
  },
  holds = list(confirmed = c(0, 0.05)),
  worlds = 200L
)

# A group of a share of 20,000, by so many conditions, that is so many SD above.
planted_group <- function(seed, cell) {
  set.seed(seed)
  world <- group_attributes(20000L)
  inside <- rep(TRUE, 20000L)
  each <- cell$share^(1 / cell$conditions)
  for (k in seq_len(cell$conditions)) {
    inside <- inside & world$numbers[[k]] >= quantile(world$numbers[[k]], 1 - each)
  }
  y <- rnorm(20000L) + cell$effect * inside
  found <- group_search(world$bins, y, seed, 100)
  # the truth of those who are judged: among those who found a group more of it is planted
  judged <- nubrek:::parts_of(seq_along(y), 1L, seed) == 1L
  truth <- cell$effect * vapply(found$members, \(rows) {
    mean(inside[rows & judged]) - mean(inside[!rows & judged])
  }, 0)
  alike <- vapply(found$members, \(rows) sum(rows & inside) / sum(rows | inside), 0)
  c(
    found = any(found$p < 0.05 & alike >= 0.4),
    `intervals hold` = mean(found$rows$lower <= truth & truth <= found$rows$upper),
    `mean error` = mean((found$rows$difference - truth) / found$rows$error)
  )
}
promise(
  "groups-planted",
  paste(
    "The 95 % intervals of the groups of `discover_groups()` hold the true difference. `found`:",
    "a confirmed group shares 40 % of the planted people or more; `mean error` in standard errors."
  ),
  of = group_code,
  cells = within(
    expand.grid(share = c(0.01, 0.03, 0.1), effect = c(0.2, 0.4, 0.8), conditions = c(1L, 3L)),
    world <- sprintf(
      "%g %% of customers, %g SD above, %d condition%s", 100 * share, effect, conditions,
      ifelse(conditions == 1L, "", "s")
    )
  ),
  measure = planted_group,
  holds = list(`intervals hold` = c(0.93, 0.97)),
  show = list(`mean error` = \(x) sprintf("%+.2f (%.2f)", mean(x), sd(x) / sqrt(length(x)))),
  worlds = 80L
)
