# What home stores and the losses of stores are called, and what was found.

#' @export
describe.nubrek_home <- function(x) {
  alone <- mean(x$share_there == 1)
  list(
    heading = say("The home store of each customer"),
    finding = if (nrow(x) > 0L) {
      say("%s of %s buy in one store alone.", present_share(alone), n_of(nrow(x), "customer"))
    },
    table = x
  )
}

#' @export
describe.nubrek_stores <- function(x) {
  large <- plain_table(x)[x$active_before >= few_customers, ]
  clear <- clear_share_extremes(large$stayed, large$active_before)
  worst <- large[clear$low, ]
  span <- \(days) paste(format_day(days[[1L]]), "to", format_day(days[[2L]]))
  list(
    heading = say("Where the customers of each store have gone"),
    finding = if (!is.null(clear)) {
      say(
        paste0(
          "\u201c%s\u201d kept the smallest share of its customers: %s of %s; %s went to other ",
          "stores, %s bought nowhere."
        ),
        seen_text(worst$store), present_share(worst$kept), format_count(worst$active_before),
        format_count(worst$elsewhere), format_count(worst$gone)
      )
    } else if (nrow(large) > 1L) {
      say("How many customers stayed does not differ significantly between stores.")
    },
    table = x,
    answers = c("kept", "to"),
    after = c("", say(
      "%s against %s.", span(basis_of(x, "now")), span(basis_of(x, "before"))
    ))
  )
}

#' @export
describe.nubrek_store_clock <- function(x) {
  stores <- basis_of(x, "stores")
  closed <- stores[stores$closed, ]
  opened <- stores[stores$opened, ]
  told <- \(rows, days, words) if (nrow(rows) > 0L) {
    paste0(words, paste0(
      "\u201c", seen_text(rows$store), "\u201d (", format_day(days), ")", collapse = ", "
    ))
  }
  changes <- c(
    told(closed, closed$last, say("Closed: ")), told(opened, opened$first, say("Opened: "))
  )
  list(
    heading = say("The stores on the clock"),
    finding = if (length(changes) > 0L) {
      paste0(paste(changes, collapse = ". "), ".")
    } else {
      say("%s; none opened or closed.", n_of(nrow(stores), "store"))
    },
    table = x
  )
}
