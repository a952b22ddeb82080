# What ranks, scores, tiers and moves are called, and the sentence that says what was found.

#' @export
describe.nubrek_ranks <- function(x) {
  grouped_by <- basis_of(x, "by")
  inside_of <- basis_of(x, "within")
  words <- gsub("_", " ", grouped_by)
  asked <- c(
    if (!is.null(basis_of(x, "top"))) say("top %s", number_text(basis_of(x, "top"))),
    if (!is.null(basis_of(x, "bottom"))) say("bottom %s", number_text(basis_of(x, "bottom")))
  )
  heading <- paste0(
    if (length(asked) > 0L) {
      paste0(
        capital(paste(asked, collapse = " and ")),
        if (basis_of(x, "unit") == "percent") " %",
        say(" of customers")
      )
    } else {
      "Customers"
    },
    " by ",
    words,
    if (!is.null(inside_of)) paste(say(" within"),
      paste(gsub("_", " ", inside_of), collapse = " and "))
  )
  finding <- if (nrow(x) == 0L) {
    say("Nobody is left.")
  } else if (is.null(inside_of)) {
    say(
      "%s bring%s %s of the sales of all %s.",
      these(nrow(x), "customer"),
      if (nrow(x) == 1L) "s" else "",
      present_share(sum(x$share_of_group)),
      n_of(x$customers_of_group[[1L]], "customer")
    )
  } else {
    groups <- unique(plain_table(x)[c(inside_of, "sales_of_group")])
    listed <- unique(plain_table(x)[c(inside_of, "customer", "sales")])
    say(
      "The %s listed in %s bring %s of the sales there.", format_count(nrow(listed)),
      n_of(nrow(groups), "group"), present_share(sum(listed$sales) / sum(groups$sales_of_group))
    )
  }
  list(heading = heading, finding = finding)
}

# Who is asked for is shown, ties with them.
#' @export
print.nubrek_ranks <- function(x, rows = NULL, ...) {
  asked <- max(basis_of(x, "top"), basis_of(x, "bottom"), 0)
  whole <- is.null(basis_of(x, "within")) &&
    basis_of(x, "unit") == "customers" &&
    asked > 0 &&
    nrow(x) <= 100L
  NextMethod(rows = rows %||% if (whole) max(nrow(x), default_rows()) else default_rows())
}

#' @export
describe.nubrek_rfm <- function(x) {
  profile <- rfm_profile(x)
  top <- which.max(profile$sales)
  list(
    heading = say("Recency, frequency, monetary value"),
    table = profile,
    finding = say(
      "The group \u201c%s\u201d holds %s of customers and %s of sales.",
      profile$group[[top]],
      present_share(profile$share_of_customers[[top]]),
      present_share(profile$share_of_sales[[top]])
    ),
    after = c("", paste(
      say("Equal customers share the lower band (tiers: the better one). Each customer's scores:"),
      all_hint()
    ))
  )
}

#' @export
describe.nubrek_map <- function(x) {
  profile <- map_profile(x)
  top <- which.max(profile$sales)
  limits <- basis_of(x, "cut")
  list(
    heading = say("The order map: mean order sales against purchases"),
    table = profile,
    finding = say(
      "\u201c%s\u201d is %s of customers and %s of sales; the cut is at %s and %s.",
      capital(profile$region[[top]]),
      present_share(profile$share_of_customers[[top]]),
      present_share(profile$share_of_sales[[top]]),
      n_of(round(limits[["purchases"]], 2), "purchase"),
      format_money(limits[["mean_sales"]], basis_of(x, "currency"))
    ),
    after = c(
      "",
      paste(say("Reaching a cut is high. Each customer's region, and who is marked:"), all_hint())
    )
  )
}

#' @export
describe.nubrek_tiers <- function(x) {
  profile <- tier_profile(x)
  until <- basis_of(x, "until")
  near <- if (!is.null(until) && "to_next" %in% names(x)) {
    pending <- x[!is.na(x$to_next), ]
    pending[order(pending$to_next), ][1L, ]
  }
  list(
    heading = "Loyalty tiers",
    table = profile,
    finding = paste0(
      say(
        "The tier \u201c%s\u201d is %s of customers and brings %s of their sales.",
        profile$tier[[1L]],
        present_share(profile$share_of_customers[[1L]]),
        present_share(profile$share_of_sales[[1L]])
      ),
      if (!is.null(near) && !is.na(near$to_next)) {
        say(
          " Nearest to the next tier, one customer lacks %s until %s.",
          format_distance(near$to_next, x),
          format_day(until)
        )
      }
    ),
    after = c("", paste0(
      if (identical(basis_of(x, "rule"), "share")) {
        say("Tied customers share the better tier (bands: the lower one). ")
      } else {
        say("Reaching a limit reaches the tier. ")
      },
      say("Each customer's tier: "),
      all_hint()
    ))
  )
}

format_distance <- function(value, x) {
  if (basis_of(x, "measure") == "purchases") {
    n_of(value, "purchase")
  } else {
    format_money(value, basis_of(x, "currency"), 2L)
  }
}

#' @export
describe.nubrek_moves <- function(x) {
  steps <- basis_of(x, "steps")
  step <- steps[[length(steps)]]
  cells <- plain_table(x)[x$step == step, ]
  words <- basis_of(x, "labels")
  place <- match(cells$to, c(words, "absent"))
  before <- match(cells$from, c(words, "absent"))
  fell <- sum(cells$customers[!is.na(before) & place > before])
  rose <- sum(cells$customers[!is.na(before) & place < before])
  top <- cells[cells$from == words[[1L]], ]
  left <- sum(top$customers[top$to != words[[1L]]])
  list(
    heading = paste(say("Who moved between tiers:"), step),
    finding = say(
      "%s of %s in \u201c%s\u201d left it (%s of sales); in all %s rose and %s fell.",
      format_count(left),
      format_count(sum(top$customers)),
      words[[1L]],
      format_change(sum(top$change[top$to != words[[1L]]]), basis_of(x, "currency")),
      n_of(rose, "customer"),
      format_count(fell)
    ),
    table = move_table(cells, words),
    after = c("", paste0(
      say("Rows: from, columns: to; percent of the row. Change of sales, other steps: "),
      all_hint(),
      say(". Whom it concerns: "),
      if (on_command()) {
        "nubrek list moves STUDY --from TIER --to TIER --file FILE.csv"
      } else {
        "moved_customers(x, from, to)"
      }
    ))
  )
}

format_change <- function(x, currency) {
  paste0(if (x >= 0) "+" else "\u2212", format_money(abs(x), currency))
}

move_table <- function(cells, labels) {
  places <- move_places(labels)
  text <- \(to) {
    place <- match(paste(places$from, to), paste(cells$from, cells$to))
    ifelse(cells$customers[place] == 0L, "0", paste0(
      format_count_plain(cells$customers[place]),
      " (",
      written(100 * cells$share_of_from[place], format = "f", digits = 0L),
      " %)"
    ))
  }
  total <- as.integer(tapply(cells$customers, factor(cells$from, places$from), sum))
  change <- as.vector(tapply(cells$change, factor(cells$from, places$from), sum))
  as.data.frame(c(
    list(from = places$from, customers = total),
    stats::setNames(lapply(places$to, text), places$to),
    list(change = change)
  ), optional = TRUE)
}

#' @export
describe.nubrek_movers <- function(x) {
  list(
    heading = paste0(say("Customers behind the moves, "), basis_of(x, "step")),
    finding = say("%s, %s of sales.", n_of(nrow(x), "customer"), format_change(
      sum(x$change), basis_of(x, "currency")
    ))
  )
}

#' @export
describe.nubrek_noise <- function(x) {
  net <- attr(x, "net")
  word <- \(i) {
    n <- net[i, ]
    say(
      "%s %s (by chance %s to %s)",
      n_of(n$customers, "customer"),
      n$direction,
      format_count(n$lower),
      format_count(n$upper)
    )
  }
  list(
    heading = paste(say("Moves against chance,"), basis_of(x, "step")),
    finding = sprintf(
      "%s, %s.%s",
      word(1L),
      word(2L),
      if (all(x$verdict == "as by chance")) " No cell differs from chance." else ""
    )
  )
}

#' @export
describe.nubrek_outlook <- function(x) {
  with_trust(x, outlook_told(x))
}

outlook_told <- function(x) {
  total <- attr(x, "total")
  best <- total$tier[[1L]]
  there <- x$tier == best
  list(
    heading = paste(say("Tiers over the next"), n_of(round(basis_of(x, "years"), 2), "year")),
    finding = say(
      "Of today's %s in \u201c%s\u201d about %s will be there again; %s are expected in it.",
      format_count(sum(there)),
      best,
      format_count(round(sum(x$stays[there]))),
      format_count(round(total$expected[[1L]]))
    )
  )
}

#' @export
describe.nubrek_benefits <- function(x) {
  list(heading = say("What a tier costs, and the sales from which it pays for itself"),
    finding = NULL)
}

#' @export
describe.nubrek_payoff <- function(x) {
  list(heading = say("Does each tier pay for itself?"), finding = say(
    "At the assumed uplift the benefits bring %s more margin and cost %s.",
    format_money(sum(x$extra_margin), basis_of(x, "currency")),
    format_money(sum(x$cost_of_benefits), basis_of(x, "currency"))
  ))
}
