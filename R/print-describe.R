# What each result is called, and the sentence that says what was found. Print, figure and report
# use the same ones.

describe <- function(x) {
  if (is_part(x)) return(describe_part(x))
  UseMethod("describe")
}

# Some rows of a result: what they are part of, and nothing about the whole.
describe_part <- function(x) {
  whole <- attr(x, "whole")
  attr(x, "whole") <- nrow(x)
  heading <- tryCatch(
    describe(x)$heading, error = \(e) gsub("_", " ", sub("nubrek_", "", class(x)[[1L]]))
  )
  list(
    heading = say("%s: %s of %s", heading, n_of(nrow(x), "row"), format_count(whole)),
    finding = NULL
  )
}

#' @export
describe.nubrek_result <- function(x) {
  list(heading = gsub("_", " ", sub("nubrek_", "", class(x)[[1L]])), finding = NULL)
}

#' @export
describe.nubrek_audit <- function(x) {
  rows <- plain_table(x)
  kept <- rows$reason == "kept"
  list(
    heading = say("What became of every row"),
    finding = paste(c(lost_words(rows), say(
      "%s of %s rows were used; the others are excluded, each with a reason.",
      format_count(sum(rows$rows[kept])),
      format_count(sum(rows$rows))
    )), collapse = " "),
    table = if (length(unique(rows$file)) > 1L) {
      structure(rbind(reason_totals(rows), rows), basis = attr(x, "basis"))
    }
  )
}

# Of several files, what became of all their rows, which comes before each of them.
reason_totals <- function(rows) {
  totals <- as.data.table(rows)[, .(
    file = say("all files"), rows = sum(rows), money = sum(money), unknown = sum(unknown),
    example = NA_integer_
  ), by = .(reason, currency)]
  as.data.frame(totals)[names(rows)]
}

# A file or a currency of which a single reason takes every row.
lost_words <- function(rows) {
  lost <- \(column, words) unlist(lapply(unique(rows[[column]]), \(one) {
    here <- rows[rows[[column]] == one & rows$rows > 0L, ]
    if (nrow(here) == 0L || length(unique(here$reason)) > 1L || here$reason[[1L]] == "kept") {
      return(NULL)
    }
    say(words, seen_text(one), here$reason[[1L]])
  }))
  c(
    lost("file", "Every row of \u201c%s\u201d is excluded: %s."),
    lost("currency", "Every row in %s is excluded: %s.")
  )
}

#' @export
describe.nubrek_aside <- function(x) {
  list(
    heading = say("Rows set aside, as they were read"),
    finding = NULL,
    table = plain_table(x)[c(
      "file", "row", "reason", "faults", setdiff(names(x), c("file", "row", "reason", "faults"))
    )]
  )
}

#' @export
describe.nubrek_customers <- function(x) {
  list(heading = "Customers", finding = say(
    "%s, %s net sales.",
    n_of(nrow(x), "customer"),
    format_money(sum(x$sales), basis_of(x, "currency"))
  ))
}

#' @export
describe.nubrek_orders <- function(x) {
  list(heading = say("The orders behind it"), finding = say(
    "%s of %s, %s.",
    n_of(nrow(x), "order"),
    n_of(length(unique(x$customer)), "customer"),
    format_money(sum(x$sales), basis_of(x, "currency"), 2L)
  ))
}

#' @export
describe.nubrek_profile <- function(x) {
  list(
    heading = c(
      nubrek_rfm = "Groups of customers by their bands",
      nubrek_tiers = "Loyalty tiers",
      nubrek_map = "Regions of the order map"
    )[[basis_of(x, "of")]],
    finding = NULL
  )
}

#' @export
describe.nubrek_periods <- function(x) {
  list(
    heading = paste("Customers by", basis_of(x, "clock")),
    finding = say(
      "%s of %s.", n_of(nrow(x), "row"), n_of(length(unique(x$customer)), "customer")
    )
  )
}

by_day_90 <- function(table) {
  vapply(
    split(table, factor(table$group, unique(table$group))),
    \(g) c(0, g$share)[[sum(g$days <= 90) + 1L]],
    0
  )
}

#' @export
describe.nubrek_grid <- function(x) {
  retention <- grid_measure(x, "retention")
  told <- describe(retention)
  list(heading = paste0(say("First-purchase cohorts by "), basis_of(x, "clock")),
    finding = told$finding)
}

ordinal <- function(n) {
  paste0(
    n,
    if (n %% 100L %in% 11:13) {
      "th"
    } else {
      switch(as.character(n %% 10L), "1" = "st", "2" = "nd", "3" = "rd", "th")
    }
  )
}

#' @export
describe.nubrek_value <- function(x) {
  with_trust(x, value_told(x))
}

value_told <- function(x) {
  years <- basis_of(x, "years")
  span <- if (years == 1) "year" else paste(number_text(years), "years")
  total <- attr(x, "total")
  currency <- basis_of(x, "currency")
  finding <- if (is.na(total$value)) {
    say(
      "Over the next %s today's customers are expected to bring %s net sales in %s purchases.",
      span,
      format_money(sum(x$sales), currency),
      format_count(round(sum(x$purchases)))
    )
  } else if (is.na(total$lower)) {
    say(
      "Over the next %s today's customers are worth %s: margin, discounted, without interval.",
      span,
      format_money(total$value, currency)
    )
  } else {
    say(
      "Over the next %s today's customers are worth %s (%s to %s, %s): margin, discounted.",
      span,
      format_money(total$value, currency),
      format_money(total$lower, currency),
      format_money(total$upper, currency),
      present_share(basis_of(x, "level"))
    )
  }
  list(
    heading = paste(say("What customers will bring over the next"), span),
    finding = finding,
    table = x[order(-x$value, -x$sales), ]
  )
}

#' @export
describe.nubrek_backtest <- function(x) {
  list(
    heading = paste(
      say("Backtest: fitted up to"), format_day(basis_of(x, "cut")),
      say("and held against what came")
    ),
    finding = attr(x, "finding")
  )
}

#' @export
describe.nubrek_proof <- function(x) {
  list(
    heading = say("Proof of totals"),
    finding = if (all(x$exact)) {
      say("All %d checks are exact.", nrow(x))
    } else {
      say("%d of %d checks FAIL.", sum(!x$exact), nrow(x))
    }
  )
}

#' @export
describe.nubrek_history <- function(x) {
  list(heading = paste0(say("Purchase histories, time in "), basis_of(x, "unit"), "s"),
    finding = NULL)
}

#' @export
describe.nubrek_suspects <- function(x) {
  kinds <- table(factor(x$kind, unique(x$kind)))
  list(
    heading = say("Identities that need a second look"),
    finding = if (nrow(x) == 0L) {
      compared <- basis_of(x, "compared")
      if (length(compared) == 0L) {
        say(paste0(
          "Possible duplicate customers cannot be found: no customer attribute holds an e-mail, a ",
          "name with a postcode, or a phone. No ID looks like many customers."
        ))
      } else {
        say(
          "No two customers share %s; no ID looks like many customers.",
          paste(compared, collapse = ", or ")
        )
      }
    } else {
      say(
        "%s; %s of sales behind them. Nothing was done about them.",
        paste(say("%d of \u201c%s\u201d", kinds, names(kinds)), collapse = ", "),
        format_money(basis_of(x, "at_stake"), basis_of(x, "currency"))
      )
    }
  )
}

#' @export
describe.nubrek_sql <- function(x) {
  list(heading = say("What was asked of the database"), finding = say(
    "%s, which fetched %s in %s seconds.",
    n_of(length(x$sql), "statement"),
    n_of(sum(x$rows), "row"),
    format(round(sum(x$seconds), 2))
  ))
}

#' @export
describe.nubrek_identified <- function(x) {
  list(heading = say("Share of sales with a customer id"), finding = say(
    "%s of sales carry a customer id.", present_share(sum(x$sales) / sum(x$sales_all))
  ))
}

#' @export
describe.nubrek_guess <- function(x) {
  spare <- x$column[is.na(x$role) & !is_unit_cost(x$column)]
  list(
    heading = paste(say("Guessed roles of the columns of"), basis_of(x, "file")),
    finding = paste(c(
      if (length(spare) > 0L) paste0(say("Not used: "), paste(spare, collapse = ", "), "."),
      say("%d of %d columns have a role; correct what is wrong.", sum(!is.na(x$role)), nrow(x))
    ), collapse = " ")
  )
}
