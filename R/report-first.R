# The first screen: the numbers in sentences, and what matters this time.

page_band <- function(run) {
  tags <- htmltools::tags
  total <- run[["repeat"]]
  money <- \(x, ...) format_money(x, run$ledger$currency, ...)
  bought <- sum(run$counts$purchases * as.double(run$counts$customers))
  tags$div(
    class = "band",
    tags$p(with_strong(
      say("%s bought %s for %s between %s and %s; a purchase is worth %s in the mean."),
      strong = c(1L, 2L, 3L, 6L),
      n_of(sum(total$customers), "customer"),
      n_of(bought, "time"),
      money(sum(total$sales), 0L),
      format_day(run$ledger$history_start),
      format_day(run$ledger$as_of),
      money(sum(total$sales) / max(1, bought), 2L)
    )),
    lapply(whole_words(run), tags$p),
    if (!is.na(total$rate[[1L]])) {
      tags$p(with_strong(
        say("%s of the customers came back (%s to %s, 95 %% interval) and bring %s of sales."),
        strong = c(1L, 4L),
        present_share(total$rate, 1L),
        present_share(total$lower, 1L),
        present_share(total$upper, 1L),
        present_share(sum(total$sales_repeat) / sum(total$sales))
      ))
    },
    if (!is.null(run$forecast) && trust_level(run$forecast) != "none") {
      tags$p(band_outlook(run, money), trust_words(run$forecast))
    }
  )
}

# What the numbers above are a part of: sales without a customer id, people without a purchase.
whole_words <- function(run) {
  bought <- sum(run[["repeat"]]$customers)
  others <- n_customers(run$ledger) - bought
  known <- sum(run$identified$sales)
  all <- sum(run$identified$sales_all)
  c(
    if (is.null(run$study$slice) && all > 0 && known < 0.9995 * all) {
      say(
        "These are the sales with a customer id, %s of %s in all.",
        present_share(known / all), format_money(all, run$ledger$currency, 0L)
      )
    },
    if (others > 0L) {
      say(
        "%s more %s orders but no purchase; shares of all customers include them.",
        format_count(others), if (others == 1L) "person has" else "people have"
      )
    }
  )
}

band_outlook <- function(run, money) {
  total <- attr(run$forecast, "total")
  years <- basis_of(run$forecast, "years")
  span <- if (years == 1) say("the next year") else paste("the next", n_of(years, "year"))
  if (is.na(total$value)) {
    return(with_strong(
      say("From today's customers %s of sales are expected over %s; no margin is known."),
      strong = 1L,
      money(sum(run$forecast$sales), 0L),
      span
    ))
  }
  with_strong(
    say("From today's customers %s of margin are expected over %s (%s to %s, discounted)."),
    strong = 1L,
    money(total$value, 0L),
    span,
    money(total$lower, 0L),
    money(total$upper, 0L)
  )
}

# A sentence whose places are filled, some of them in strong type.
with_strong <- function(text, ..., strong) {
  filled <- htmltools::htmlEscape(c(...))
  filled[strong] <- paste0("<b>", filled[strong], "</b>")
  htmltools::HTML(do.call(sprintf, c(list(htmltools::htmlEscape(say(text))), as.list(filled))))
}

# A candidate for the first screen: its sentence, the block that shows it, the customers it stands
# on and the money it is about, whether it is about the newest time, whether it is beyond chance,
# and a small figure.
page_finding <- function(
  text, to, customers, money = NA_real_, new = FALSE, certain = TRUE, small = NULL
) {
  list(
    text = text, to = to, customers = customers, money = money, new = new, certain = certain,
    small = small
  )
}

# What matters this time. Only what stands on 30 customers or more and is beyond chance is taken;
# it weighs its share of the sales (or, without money, of the customers), twice if it is about the
# newest time. The weightiest of each section comes first, seven in all; sections with more to say
# fill up to five.
chosen_findings <- function(candidates, sales, customers) {
  weight <- vapply(candidates, \(one) {
    share <- if (is.na(one$money)) one$customers / customers else abs(one$money) / sales
    min(1, share) * if (one$new) 2 else 1
  }, 0)
  sound <- vapply(candidates, \(one) one$certain && one$customers >= few_customers, NA)
  place <- order(-weight)
  place <- place[sound[place]]
  section <- vapply(candidates[place], `[[`, "", "section")
  first <- utils::head(place[!duplicated(section)], 7L)
  more <- setdiff(place, first)
  candidates[c(first, utils::head(more, max(0L, 5L - length(first))))]
}

html_findings <- function(chosen) {
  tags <- htmltools::tags
  if (length(chosen) == 0L) return(NULL)
  tags$ul(class = "findings", lapply(chosen, \(one) tags$li(
    tags$span(class = "small-figure", one$small),
    tags$a(href = paste0("#", one$to), one$text)
  )))
}
