# Notes of the people who read the results, pinned to a part, carried along from run to run.

# One row for each note. A note that was pinned to a number is stale when the number has moved.
study_notes <- function(study, ledger) {
  notes <- study$notes
  at <- \(key) vapply(notes, \(one) as.character(one[[key]] %||% NA), "", USE.NAMES = FALSE)
  for (name in names(notes)) check_note(study, name)
  people <- if (any(!is.na(at("number")))) sums_of_people(change_people(ledger))
  now <- vapply(notes, \(one) note_number(one, people, ledger), 0, USE.NAMES = FALSE)
  was <- as.double(at("was"))
  kind <- vapply(notes, \(one) change_numbers()[[one$number %||% ""]]$kind %||% "count", "")
  # as it is written
  written <- \(x) change_text(x, kind, ledger$decimals)
  new_result(
    list(
      note = names(notes),
      part = at("part"),
      text = at("text"),
      author = at("author"),
      day = as.Date(at("day")),
      number = at("number"),
      was = was,
      now = now,
      stale = !is.na(was) & !is.na(now) & written(was) != written(now)
    ),
    "notes",
    ledger,
    carried(ledger),
    basis = list(kinds = c(was = "number", now = "number"), written = list(
      was = written(was), now = written(now)
    ))
  )
}

note_number <- function(note, people, ledger) {
  if (is.null(note$number)) return(NA_real_)
  one <- change_numbers()[[note$number]]
  sums <- people[number == one$name & is.na(by)]
  value_of_number(one, sums$top, sums$below, ledger$decimals)
}

check_note <- function(study, name) {
  for (key in c("part", "text")) {
    if (is.null(study$notes[[name]][[key]])) {
      abort_study(
        study$source, c("notes", name), paste0("A note needs a {.field ", key, "}."), key = key
      )
    }
  }
}

notes_keys <- function() {
  named_each(
    "notes that stand beside a part, in the report and in the page to explore",
    keys_of_section(
      "one note; its name is yours",
      part = study_key(
        leaf_text(), "the part it is pinned to (nubrek parts lists them)", "", "repeat"
      ),
      text = study_key(leaf_text(), "what it says", "", "The stall was closed in May"),
      author = study_key(leaf_text(), "who wrote it", "none", "Ilse"),
      day = study_key(leaf_day(), "when", "none", "2025-12-01"),
      number = study_key(
        leaf_choice(names(change_numbers())),
        "a number of nubrek changes that it speaks of", "none", "rate"
      ),
      was = study_key(
        leaf_number(-1e15, 1e15), "what the number was then; the note is stale once it is another",
        "none", "0.591"
      )
    )
  )
}

# The notes of a part, as lines.
notes_of <- function(notes, part) {
  if (is.null(notes)) return(character())
  note_lines(notes)[notes$part == part]
}

note_lines <- function(notes) {
  by <- ifelse(is.na(notes$author), "", paste0(seen_text(notes$author), ", "))
  when <- ifelse(is.na(notes$day), "", format_day(notes$day))
  written <- basis_of(notes, "written")
  signed <- sub(", $", "", paste0(by, when))
  paste0(
    seen_text(notes$text),
    ifelse(signed == "", "", paste0(" (", signed, ")")),
    ifelse(
      !notes$stale, "",
      say(" Stale: %s was %s, is %s.", change_label(notes$number), written$was, written$now)
    )
  )
}

#' @export
describe.nubrek_notes <- function(x) {
  stale <- sum(x$stale)
  list(
    heading = say("Notes"),
    finding = paste0(
      n_of(nrow(x), "note"),
      if (stale > 0L) say("; %s stale: the number it speaks of has moved", stale),
      "."
    ),
    table = plain_table(x)[c("note", "part", "text", "author", "day", "stale")]
  )
}
