#' Groups of customers that nobody thought of
#'
#' Looks for groups that are far above or below everybody else in a target, described by one to
#' three conditions, and judges them on customers who did not take part in finding them (definition
#' 48). What was made from the answer is refused by name; near-copies are left out; no mean holds
#' the group that it is compared with.
#'
#' @param ledger `[nubrek_ledger]`
#' @param target What groups are to differ in, an expression (or its text) over the words of
#'   [audience()]: a number, such as `sales(last = 365)`, or a condition, such as
#'   `bought_again(within = 90)`, `purchases(last = 180) == 0`, `in_audience("...")` or
#'   `first_channel == "Web"`. With a window, customers who bought before it are looked at, and
#'   measures of the time before it may describe groups; else everybody who ever bought.
#' @param using `[character]` Attributes, see [customers()], and `"purchases before"`, `"sales
#'   before"`, `"mean sales before"`, `"days since before"`. Default: all that can.
#' @param conditions `[integer(1)]` Most conditions of a group, 1 to 3.
#' @param least `[double(1)]` Smallest share of the customers that is a group.
#' @param folds `[integer(1)]` 1: groups are found in one half and judged in the other. `k` of 2 or
#'   more: found in all parts but one and judged in that one, each part in turn.
#' @param most `[integer(1)]` Groups that are judged, above and below together, in each turn.
#' @param even_if `[character]` Attributes that are used although they look made from the answer.
#' @param with,known As in [audience()].
#' @param beam `[integer(1)]` Groups that are looked into further at each step.
#' @param seed `[integer(1)]` Of the halves.
#' @return A `nubrek_groups`, one row per group that was judged, the confirmed first, then by
#'   evidence: `rule` and the same in `words`; `customers` of the group and their `share` of all
#'   that were looked at; of the judged half `mean`, of `others` (everybody else), their
#'   `difference` with `lower`, `upper` (95 %); `shrunk`, the difference drawn towards the common
#'   one of all groups judged; `adjusted_p`, one-sided, all together (Holm); `confirmed`, below
#'   0.05 with an interval that leaves 0 out; `money_a_year`, the difference of all its customers in
#'   sales of a year where the target counts sales or purchases in a window; `size_found`,
#'   `size_judged`, `mean_found`; `copies`,
#'   near-copies that were left out; `restates`, a single level that nearly all of it has;
#'   `sentence`. [as_audience()] makes a group an audience. The basis has `refused` attributes with
#'   the reason, and `seen`, what can be seen at all with so many customers.
#' @section Method: Numbers are cut at their tenths and closer at the ends, levels joined by their
#'   means. Of all groups the best by sqrt(n) (mean - everybody's) / SD are kept step by step (a
#'   beam), those left out that cannot become better; a condition must add 1 to it. The p value is
#'   the place of the judged mean among those of all groups of its size, by mean, spread and
#'   skewness. Intervals are Newcombe's of shares and Welch's of means; where a few decide a mean
#'   (skewness above 0.15), from samples drawn from everybody's amounts, those of the group divided
#'   by its ratio to the others, so that the interval is one of the ratio.
#' @section Errors: `nubrek_error_rule` where the target cannot be read; `nubrek_error_unidentified`
#'   where there are too few customers or nothing to describe them by.
#' @references Klösgen (1996), Explora; Herrera et al. (2011), An overview on subgroup discovery;
#'   Holm (1979); Mielke and Berry (2001), Permutation methods (Pearson type III); Efron and Morris
#'   (1975), shrinkage.
#' @examples
#' set.seed(1)
#' orders <- data.frame(who = rep(1:400, each = 2), day = as.Date("2024-01-01") + 0:799 %% 200)
#' orders$paid <- 20 + 40 * (orders$who %% 4 == 0) + runif(800)
#' orders$shop <- c("north", "south", "east", "west")[orders$who %% 4 + 1]
#' ledger <- open_ledger(
#'   orders, column_map("who", "day", sales = "paid", channel = "shop"), meanings(currency = "EUR")
#' )
#' found <- discover_groups(ledger, mean_sales)
#' found
#' as_audience(found, 1, ledger)
#' @export
discover_groups <- function(
  ledger, target, using = NULL, conditions = 3L, least = 0.01, folds = 1L, most = 20L,
  even_if = character(), with = list(), known = list(), beam = 60L, seed = 1L
) {
  check_ledger(ledger)
  call <- rlang::current_env()
  node <- substitute(target)
  if (is.character(node)) node <- parse_rule(node)
  discover_by(ledger, node, list(
    using = using, conditions = conditions, least = least, folds = folds, most = most,
    even_if = even_if, with = with, known = known, beam = beam, seed = seed
  ), call)
}

# The same for a target that is parsed already.
discover_by <- function(ledger, node, said, call) {
  check_search(said, call)
  text <- rule_text(node)
  more <- columns_by_customer(ledger, said$with)
  target <- search_target(ledger, node, text, more, by_own_names(said$known), call)
  n <- length(target$codes)
  if (n < 50L || stats::var(target$y) == 0) {
    abort_nubrek(c(
      "There is nothing to be found.",
      "x" = if (n < 50L) {
        "The target is known of {n} customer{?s}; it takes 50."
      } else {
        "All {n} customers have the same target."
      }
    ), "unidentified", call = call)
  }
  part <- parts_of(ledger_ids(ledger, target$codes), said$folds, said$seed)
  least <- max(5, ceiling(said$least * n * (1 - mean(part == 1L))))
  attributes <- search_attributes(
    ledger, said$using, target$codes, target$start, more, least, call
  )
  allowed <- without_leaks(attributes, target, ledger, part != 1L, more, said$even_if, call)
  judged <- lapply(sort(unique(part[part > 0L])), \(turn) {
    search_turn(allowed$attributes, target, part, turn, least, said)
  })
  new_groups(ledger, judged, allowed, target, text, said, part)
}

check_search <- function(said, call) {
  check_whole(said$conditions, lower = 1L, upper = 3L, arg = "conditions", call = call)
  check_whole(said$folds, lower = 1L, upper = 20L, arg = "folds", call = call)
  check_whole(said$most, lower = 1L, upper = 200L, arg = "most", call = call)
  check_whole(said$beam, lower = 1L, arg = "beam", call = call)
  check_whole(said$seed, lower = 0L, arg = "seed", call = call)
  check_number(said$least, lower = 0.0001, upper = 0.5, arg = "least", call = call)
  throw_unless(checkmate::check_character(said$using, null.ok = TRUE), "using", call)
  throw_unless(checkmate::check_character(said$even_if), "even_if", call)
}

# The part in which each customer is judged, by a draw from seed and id alone; 0 in none. It knows
# nothing of the draws of campaigns, whose arms would else lie in one half.
parts_of <- function(ids, folds, seed) {
  draw <- keyed_draws(paste("judged", ids), seed)
  if (folds == 1L) return(as.integer(draw >= 0.5))
  as.integer(floor(draw * folds)) + 1L
}

without_leaks <- function(attributes, target, ledger, found, more, even_if, call) {
  reason <- lapply(attributes, leak_of, target, ledger, found, more)
  leaky <- lengths(reason) > 0L & !names(attributes) %in% even_if
  if (all(leaky)) {
    abort_nubrek(c(
      "There is nothing to describe groups by.",
      "x" = if (length(attributes) > 0L) {
        "{.field {names(attributes)[[1L]]}} is refused: {reason[[1L]]}."
      } else {
        "No attribute has two levels or more with customers enough."
      }
    ), "unidentified", call = call)
  }
  list(
    attributes = attributes[!leaky],
    refused = data.frame(
      attribute = names(attributes)[leaky], reason = as.character(unlist(reason[leaky]))
    )
  )
}

# Groups found outside a part and judged in it, above and below everybody.
search_turn <- function(attributes, target, part, turn, least, said) {
  found <- which(part != turn)
  searched <- lapply(attributes, \(one) {
    list(
      bin = one$bin[found], bins = one$bins, ordered = one$ordered, missing = one$missing,
      rest = one$rest
    )
  })
  limits <- list(
    least = least, depth = said$conditions, beam = said$beam,
    per_set = max(3, ceiling(said$beam / 10)), keep = ceiling(said$most / 2),
    gain = stats::sd(target$y[found]), same = 0.8,
    threads = reading_threads()
  )
  signs <- c(above = 1, below = -1)
  groups <- unlist(lapply(signs, \(sign) {
    lapply(cpp_find_groups(searched, sign * target$y[found], limits), \(one) {
      one$sum <- sign * one$sum
      c(one, sign = sign)
    })
  }), recursive = FALSE, use.names = FALSE)
  members <- lapply(groups, people_of_group, attributes)
  rows <- judge_groups(groups, members, target$y, part == turn, target$yes)
  list(groups = groups, members = members, rows = rows)
}

# Which of all customers a group holds.
people_of_group <- function(group, attributes) {
  Reduce(`&`, Map(\(a, inside) {
    allowed <- (seq_len(attributes[[a]]$bins) - 1L) %in% inside
    allowed[as.integer(attributes[[a]]$bin) + 1L]
  }, group$attribute, group$inside))
}

new_groups <- function(ledger, judged, allowed, target, text, said, part) {
  groups <- unlist(lapply(judged, `[[`, "groups"), recursive = FALSE)
  members <- unlist(lapply(judged, `[[`, "members"), recursive = FALSE)
  rows <- do.call(rbind, lapply(judged, `[[`, "rows"))
  rules <- lapply(groups, \(one) {
    unlist(Map(condition_text, allowed$attributes[one$attribute], one$inside), use.names = FALSE)
  })
  if (length(groups) > 0L) {
    once <- told_once(rules, rows)
    groups <- groups[once]
    members <- members[once]
    rows <- rows[once, ]
    rules <- rules[once]
  }
  words <- vapply(groups, \(one) {
    said <- Map(condition_words, allowed$attributes[one$attribute], one$inside)
    paste(unlist(said), collapse = "; ")
  }, "")
  columns <- found_columns(ledger, groups, members, rows, rules, words, allowed$attributes, target)
  sorting <- order(columns$adjusted_p, -abs(columns$difference / columns$error))
  columns$error <- NULL
  new_result(
    lapply(columns, `[`, sorting),
    "groups",
    ledger,
    rbind(carried(ledger), target$remarks, refused_remarks(allowed$refused)),
    basis = list(
      target = text,
      yes = target$yes,
      everybody = mean(target$y),
      population = target$population,
      customers = length(target$y),
      folds = said$folds,
      start = target$start,
      found = sum(part != 1L),
      refused = allowed$refused,
      attributes = names(allowed$attributes),
      seen = seen_at_all(target$y, sum(part == 1L), said$most),
      kinds = c(
        share = "share", adjusted_p = "p", money_a_year = "money", stats::setNames(rep(
          if (target$yes) "share" else "number", 6L
        ), c("mean", "others", "difference", "lower", "upper", "shrunk"))
      )
    ),
    rules = rules[sorting]
  )
}

found_columns <- function(ledger, groups, members, rows, rules, words, attributes, target) {
  none <- length(groups) == 0L
  sign <- vapply(groups, `[[`, 0, "sign")
  n <- vapply(members, sum, 0L)
  p <- if (none) numeric() else stats::p.adjust(ifelse(sign > 0, rows$high, rows$low), "holm")
  column <- \(name) if (none) numeric() else rows[[name]]
  known <- !is.na(column("error")) & column("error") > 0
  columns <- list(
    rule = vapply(rules, paste, "", collapse = "; "),
    words = words,
    customers = n,
    share = n / length(target$y),
    mean = column("mean"),
    others = column("others"),
    difference = column("difference"),
    lower = column("lower"),
    upper = column("upper"),
    shrunk = replace(column("difference"), known, drawn_together(
      column("difference")[known], column("error")[known]
    )),
    adjusted_p = p,
    confirmed = p < 0.05 & known & column("lower") * column("upper") > 0,
    money_a_year = column("difference") * n * money_of_one(ledger, target),
    size_found = column("size_found"),
    size_judged = column("size_judged"),
    mean_found = column("mean_found"),
    copies = vapply(groups, `[[`, 0, "copies"),
    restates = vapply(seq_along(groups), \(g) {
      restated(members[[g]], groups[[g]]$attribute, attributes)
    }, ""),
    error = column("error")
  )
  columns$sentence <- if (none) character() else group_sentences(columns, target)
  columns
}

# A rule that several parts found stands once, as it was judged with the least evidence: that it was
# found twice says itself that both parts are high.
told_once <- function(rules, rows) {
  text <- vapply(rules, paste, "", collapse = "; ")
  evidence <- pmin(rows$high, rows$low)
  sorting <- order(text, -evidence)
  sort(sorting[!duplicated(text[sorting])])
}

# What one unit of the target is worth in sales of a year.
money_of_one <- function(ledger, target) {
  if (target$yes || is.null(target$days)) return(NA_real_)
  year <- 365.25 / target$days
  if (target$money) return(year)
  if (!target$purchases) return(NA_real_)
  m <- reduce_customers(ledger)
  year * major(ledger, sum(m$sales)) / sum(m$purchases)
}

# A level of another attribute that nearly all of a group has, and not nearly everybody.
restated <- function(inside, used, attributes) {
  for (a in setdiff(seq_along(attributes), used)) {
    one <- attributes[[a]]
    if (one$ordered) next
    bin <- as.integer(one$bin)
    within <- tabulate(bin[inside] + 1L, one$bins) / sum(inside)
    among <- tabulate(bin + 1L, one$bins) / length(bin)
    hit <- which(within >= 0.9 & among <= 0.6 & seq_len(one$bins) - 1L != one$rest)
    if (length(hit) > 0L) return(condition_words(one, hit[[1L]] - 1L))
  }
  ""
}

refused_remarks <- function(refused) {
  if (nrow(refused) == 0L) return(NULL)
  remark_table(rep("refused", nrow(refused)), say(
    "%s does not describe groups: %s.", refused$attribute, refused$reason
  ))
}

#' A group that was found, as an audience
#'
#' @param groups `[nubrek_groups]` From [discover_groups()].
#' @param which `[integer(1)]` The row of the group.
#' @param ledger `[nubrek_ledger]` The ledger in which it was found, or a later one.
#' @param name `[character(1)]` What the audience is called.
#' @param with,known As in [audience()].
#' @return A `nubrek_audience`, see [audience()], with the rule of the group.
#' @examples
#' # see discover_groups()
#' @export
as_audience <- function(groups, which, ledger, name = NULL, with = list(), known = list()) {
  throw_unless(checkmate::check_class(groups, "nubrek_groups"), "groups", rlang::current_env())
  check_whole(which, lower = 1L, upper = nrow(groups))
  audience(
    ledger, rule = c(basis_of(groups, "population"), attr(groups, "rules")[[which]]),
    name = name %||% paste("group", which), with = with, known = known
  )
}
