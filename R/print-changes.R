# What changes are called, and the sentence that says what was found.

change_label <- function(number) {
  unname(vapply(change_numbers(), `[[`, "", "label")[number])
}

# A value of a number in words; a movement has its sign, and of shares points.
change_text <- function(x, kind, decimals, moved = FALSE) {
  size <- if (moved) abs(x) else x
  text <- ifelse(
    kind == "share",
    if (moved) paste0(fixed(100 * size, 1L, ""), "\u00a0pts") else present_share(size, 1L),
    write_decimals(size, ifelse(kind == "money", decimals, 0L), "\u202f")
  )
  sign <- if (!moved) "" else ifelse(grepl("^[0., \u202f]*(\u00a0pts)?$", text), "", ifelse(
    x < 0, "\u2212", "+"
  ))
  ifelse(is.na(x), "-", paste0(sign, text))
}

# Ready cells: each row has a kind of its own.
change_cells <- function(x, groups = FALSE) {
  rows <- plain_table(x)
  rows <- rows[is.na(rows$by) != groups, ]
  # large amounts stand without cents
  decimals <- ifelse(abs(rows$now) >= 1e4, 0L, basis_of(x, "decimals"))
  moved <- \(column) change_text(rows[[column]], rows$kind, decimals, TRUE)
  as_cells(c(
    list(number = change_label(rows$number)),
    if (groups) list(group = paste0(gsub("_", " ", rows$by), ": ", seen_text(rows$group))),
    list(
      now = change_text(rows$now, rows$kind, decimals),
      change = paste0(moved("change"), ifelse(rows$beyond %in% TRUE, " *", "  ")),
      defined = moved("definitions"),
      corrected = moved("corrected"),
      time = moved("time"),
      new_orders = moved("new_orders"),
      before = change_text(rows$before, rows$kind, decimals)
    )
  ), if (groups) 2L else 1L)
}

change_notes <- function() {
  say(paste0(
    "* beyond noise. defined: by definitions of the study or the code; corrected: orders of then ",
    "known otherwise today; time: the as-of day moved on; new orders: later ones. They add up to ",
    "the change."
  ))
}

#' @export
describe.nubrek_changes <- function(x) {
  list(
    heading = say("Since %s", format_day(basis_of(x, "since"))),
    finding = changes_finding(x),
    table = change_cells(x),
    after = c("", change_notes())
  )
}

changes_finding <- function(x) {
  all <- plain_table(x)[is.na(x$by), ]
  rownames(all) <- all$number
  if (!any(all$change != 0, na.rm = TRUE)) return(say("No number has changed."))
  money <- \(amount) format_money(abs(amount), basis_of(x, "currency"))
  more <- \(amount) if (amount < 0) say("fewer") else say("more")
  rate <- all["rate", ]
  sales <- all["sales", ]
  paste(
    say(
      "%s %s customers and %s %s sales; the repeat rate is %s, %s before (%s).",
      format_count(abs(all["customers", "change"])), more(all["customers", "change"]),
      money(sales$change), if (sales$change < 0) say("less") else say("more"),
      present_share(rate$now, 1L), present_share(rate$before, 1L),
      if (isTRUE(rate$beyond)) say("beyond noise") else say("within noise")
    ),
    if (!sales$corrected %in% c(0, NA)) {
      say(
        "Of the sales %s are late or corrected orders of then.",
        paste0(if (sales$corrected < 0) "\u2212", money(sales$corrected))
      )
    }
  )
}

#' @export
describe.nubrek_runs <- function(x) {
  list(
    heading = say("Runs that were kept"),
    finding = if (nrow(x) == 0L) {
      say("None yet: every run of the study keeps one.")
    } else {
      say("%s; the newest is compared with the next.", n_of(nrow(x), "run"))
    },
    table = x
  )
}
