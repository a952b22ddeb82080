# What the report says of the run before.

page_changes <- function(run) {
  x <- run$changes
  groups <- change_cells(x, groups = TRUE)
  list(
    page_block(
      "changes",
      say("Since %s", format_day(basis_of(x, "since"))),
      sentence = describe(x)$finding,
      figures = page_figure(x, 4.4),
      tables = page_table(
        change_cells(x), 20L, change_notes()
      )
    ),
    if (nrow(groups) > 0L) {
      page_block(
        "changes-by",
        say("And in the groups?"),
        sentence = say("Each group, by the attributes that the study names."),
        tables = page_table(groups, 50L, say("All of them in changes.csv"))
      )
    }
  )
}

# Rates and means that moved beyond noise.
findings_changes <- function(run) {
  x <- plain_table(run$changes)
  x <- x[is.na(x$by) & x$beyond %in% TRUE & x$number %in% ratio_numbers(), ]
  decimals <- basis_of(run$changes, "decimals")
  lapply(seq_len(nrow(x)), \(i) {
    one <- x[i, ]
    parts <- unlist(one[c("definitions", "corrected", "time", "new_orders")])
    page_finding(
      say(
        "Since %s: %s %s, before %s; most of it by %s.",
        format_day(basis_of(run$changes, "since")), change_label(one$number),
        change_text(one$now, one$kind, decimals), change_text(one$before, one$kind, decimals),
        gsub("_", " ", names(parts)[[which.max(abs(parts))]])
      ),
      "changes", one$customers, new = TRUE
    )
  })
}

page_watches <- function(run) {
  told <- describe(run$watches)$table
  page_block(
    "watches",
    say("What do the watches say?"),
    sentence = describe(run$watches)$finding,
    figures = unname(lapply(attr(run$watches, "noise"), \(x) {
      if (any(x$fired)) page_figure(x, 1.4 + 0.34 * min(15L, nrow(x)))
    })),
    tables = page_table(
      told[order(!told$fired), ], max(5L, sum(told$fired)), say("all of them in watches.csv")
    )
  )
}

# Each stands beside its part too.
page_notes <- function(run) {
  page_block(
    "notes",
    say("Which notes are there?"),
    sentence = describe(run$notes)$finding,
    tables = page_table(run$notes[c("note", "part", "text", "author", "day", "stale")], 50L)
  )
}

# What fires matters most, whatever it weighs.
findings_watches <- function(run) {
  fired <- plain_table(run$watches)[run$watches$fired, ]
  lapply(seq_len(min(3L, nrow(fired))), \(i) page_finding(
    paste0(say("Watch: "), watch_lines(fired[i, ])), "watches",
    sum(run[["repeat"]]$customers), money = sum(run[["repeat"]]$sales), new = TRUE
  ))
}
