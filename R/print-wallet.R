# Our share of each customer, in words.

#' @export
describe.nubrek_wallet <- function(x) {
  n <- table(factor(x$class, c("hold", "widen", "reach")))
  list(
    heading = paste(say("Our share of each customer:"), seen_text(basis_of(x, "ours"))),
    finding = if (!is_part(x)) {
      say(
        "We have %s of what our customers spend, %s of everybody's; %s more lie with others.",
        present_share(basis_of(x, "of_ours")),
        present_share(basis_of(x, "of_all")),
        format_money(sum(x$elsewhere * (x$weight %||% 1)), basis_of(x, "currency"))
      )
    },
    after = c(
      "",
      say(
        "Hold %s (from %s of their money on), widen %s, reach %s; the largest spenders first.",
        format_count(n[["hold"]]),
        present_share(basis_of(x, "hold")),
        format_count(n[["widen"]]),
        format_count(n[["reach"]])
      ),
      if (!is.null(basis_of(x, "weights"))) {
        say("Shares and sums count each customer by his weight; the rows are the customers' own.")
      },
      coverage_words(attr(x, "coverage"), basis_of(x, "currency"))
    )
  )
}

coverage_words <- function(coverage, currency) {
  if (is.null(coverage)) return(NULL)
  say(
    paste0(
      "Of us the panel tells %s, our ledger %s for the same %s customers; of %s it is right to a ",
      "tenth. %s not in the ledger."
    ),
    format_money(coverage$told, currency),
    format_money(coverage$known, currency),
    format_count(coverage$customers),
    present_share(coverage$near),
    n_were(coverage$lacking)
  )
}

#' @export
describe.nubrek_wallet_sellers <- function(x) {
  list(
    heading = paste(say("Everybody's share beside ours:"), seen_text(basis_of(x, "ours"))),
    answers = c("own_share_money", "share_of_ours", "price_index")
  )
}

#' @export
describe.nubrek_wallet_groups <- function(x) {
  list(heading = paste(say("Our share by"), gsub("_", " ", basis_of(x, "by"))))
}
