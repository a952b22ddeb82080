# What a campaign changed, as sentences and tables.

#' @export
describe.nubrek_effect <- function(x) {
  list(
    heading = paste(say("Did it work?"), seen_text(basis_of(x, "name"))),
    finding = if (!is_part(x)) effect_finding(x),
    table = if (!is_part(x)) effect_face(x),
    after = c(
      "",
      say(
        paste0(
          "Per contacted customer, over %s days from %s, adjusted for the same days before; ",
          "everybody as drawn."
        ),
        basis_of(x, "days"),
        format_day(basis_of(x, "day") + 1)
      ),
      net_words(x)
    )
  )
}

# Effects with their intervals in one text.
effect_face <- function(x) {
  table <- plain_table(x)
  table$interval <- paste(signed(table$lower), "to", signed(table$upper))
  table$effect <- signed(table$effect)
  if (!is.null(table$together)) table$together <- signed(table$together)
  table$mean_held_back <- four_digits(table$mean_held_back)
  columns <- c(
    "outcome", "offer", basis_of(x, "by"), "mean_held_back", "effect", "interval", "together",
    if (!is_running(x)) "p",
    "contacted", "held_back"
  )
  basis <- attr(x, "basis")
  basis$kinds[c("effect", "interval", "together", "mean_held_back")] <- "cell"
  structure(table[intersect(columns, names(table))], basis = basis)
}

# The sentence on sales (or the first outcome there is).
effect_finding <- function(x) {
  rows <- plain_table(x)
  if (!is.null(rows$offer) || !is.null(basis_of(x, "by"))) return(NULL)
  place <- match("sales", rows$outcome)
  if (is.na(place)) place <- 1L
  if (is_running(x)) return(effect_so_far(rows[place, ], x))
  clear <- rows$lower > 0 | rows$upper < 0
  told <- effect_words(rows[place, ], x)
  if (clear[[place]] || !any(clear)) return(told)
  paste0(told, say(" Beyond chance: "), toString(
    paste(gsub("_", " ", rows$outcome[clear]), signed(rows$effect[clear]))
  ), ".")
}

is_running <- function(effect) basis_of(effect, "days") < basis_of(effect, "wanted")

# Before the end: what is seen, and no verdict.
effect_so_far <- function(one, x) {
  unit <- if (one$outcome == "sales") paste0(" ", basis_of(x, "currency")) else ""
  say(
    paste0(
      "Day %s of %s: %s%s %s per customer contacted so far (%s to %s; the interval allows for a ",
      "check every day). Whether it worked and paid is reported at the end."
    ),
    basis_of(x, "days"),
    basis_of(x, "wanted"),
    signed(one$effect),
    unit,
    gsub("_", " ", one$outcome),
    signed(one$lower),
    signed(one$upper)
  )
}

effect_words <- function(one, x) {
  unit <- if (one$outcome == "sales") paste0(" ", basis_of(x, "currency")) else ""
  say(
    "%s: %s%s %s a contacted customer (95 %% interval %s to %s)%s.",
    if (one$lower > 0) {
      "It brought more"
    } else if (one$upper < 0) {
      say("It brought less")
    } else {
      paste(say("No effect on"), gsub("_", " ", one$outcome), say("that is beyond chance"))
    },
    signed(one$effect),
    unit,
    gsub("_", " ", one$outcome),
    signed(one$lower),
    signed(one$upper),
    if (one$mean_held_back > 0) {
      say(" on the %s%s of those held back", four_digits(one$mean_held_back), unit)
    } else {
      ""
    }
  )
}

signed <- function(x) {
  size <- trimws(written(signif(abs(x), 3L), format = "fg", digits = 3L, big.mark = "\u202f"))
  paste0(ifelse(x < 0, "\u2212", "+"), size)
}

net_words <- function(x) {
  rows <- plain_table(x)
  rows <- rows[rows$outcome == "margin", ]
  if (nrow(rows) != 1L || is_running(x)) return(NULL)
  say(
    "After costs: %s (95 %% interval %s to %s); chance that it paid: %s.",
    format_money(rows$net, basis_of(x, "currency")),
    format_money(rows$net_lower, basis_of(x, "currency")),
    format_money(rows$net_upper, basis_of(x, "currency")),
    present_share(rows$chance_paid)
  )
}

#' @export
describe.nubrek_effect_course <- function(x) {
  list(heading = paste(say("The effect week by week:"), seen_text(basis_of(x, "name"))))
}
