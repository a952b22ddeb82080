# What returns, discounts and growth at constant currency are called, and what was found.

#' @export
describe.nubrek_returns <- function(x) {
  gross <- sum(x$gross)
  left <- sum(x$best_before & !x$best_after)
  list(
    heading = say("Sales before and after returns, by customer"),
    finding = if (gross > 0) {
      say(
        "%s of gross sales came back; %s among the best before returns, %s of them not after.",
        present_share(sum(x$returned) / gross, 1L), n_of(sum(x$best_before), "customer"),
        format_count(left)
      )
    },
    table = plain_table(x)[setdiff(names(x), c("rank_gross", "rank_net"))]
  )
}

#' @export
describe.nubrek_returns_by <- function(x) {
  by <- basis_of(x, "by")
  rows <- plain_table(x)
  worst <- rows[rows[[by]] %in% basis_of(x, "highest"), ]
  large <- sum(x$customers >= few_customers)
  list(
    heading = say("Returns by %s", gsub("_", " ", basis_of(x, "attribute"))),
    finding = if (nrow(worst) == 1L) {
      say(
        "Of \u201c%s\u201d %s of gross sales came back, of all %s.", seen_text(worst[[by]]),
        present_share(worst$return_share, 1L),
        present_share(sum(x$returned) / max(sum(x$gross), 1e-9), 1L)
      )
    } else if (large > 1L) {
      say(
        "By %s, the share of gross sales that came back does not differ significantly (%s in all).",
        gsub("_", " ", basis_of(x, "attribute")),
        present_share(sum(x$returned) / max(sum(x$gross), 1e-9), 1L)
      )
    },
    table = x
  )
}

#' @export
describe.nubrek_discounts <- function(x) {
  first <- utils::head(plain_table(x), 1L)
  last <- utils::tail(plain_table(x), 1L)
  list(
    heading = say("What becomes of customers by the discount of their first order"),
    finding = paste(c(
      if (nrow(x) > 1L) discount_finding(first, last, x),
      say("%s of purchases are on discount.", present_share(basis_of(x, "on_discount")))
    ), collapse = " "),
    table = x
  )
}

# The highest discounts beside the lowest, where they differ from those alike by more than chance.
discount_finding <- function(first, last, x) {
  if (anyNA(c(first$share, last$share, last$adjusted_p))) return(NULL)
  alike <- if (length(basis_of(x, "adjust")) > 0L) say("month and channel") else say("month")
  if (last$adjusted_p >= 0.05) {
    return(say(
      paste(
        "Those who began at %s off come back like all who began in the same %s, as far as can be",
        "told."
      ),
      last$first_discount, alike
    ))
  }
  say(
    paste(
      "Begun at %s off, %s came back within %s; %s, %s. They come back %.2f times as fast as",
      "all who began in the same %s (95 %% interval %.2f to %.2f); what they would have done",
      "without the discount is not known."
    ),
    last$first_discount, present_share(last$share), n_of(basis_of(x, "within"), "day"),
    first$first_discount, present_share(first$share), last$rate_ratio, alike, last$ratio_lower,
    last$ratio_upper
  )
}

#' @export
describe.nubrek_constant_currency <- function(x) {
  all <- utils::tail(plain_table(x), 1L)
  list(
    heading = say("Growth at constant currency"),
    finding = if (!is.na(all$growth)) {
      say(
        "Sales grew by %s; at the rates of before by %s.", present_share(all$growth, 1L),
        present_share(all$growth_constant, 1L)
      )
    },
    table = x
  )
}
