# Erasing a person from a ledger that is kept in a folder of its own.

# The ledger is made again of its exports without them, and so are the copies of these; the record
# in its folder keeps them out of what is appended.
forget_in_ledger <- function(path, people, deleted, again, secret) {
  record <- file.path(path, erased_file)
  if (again) {
    let_in_again(record, people, secret)
    said <- erasure(record, say("these ids are let in again"), length(people))
    return(told_erasure(dirname(path), people, said))
  }
  ledger <- open_ledger(path)
  origin <- ledger$source
  if (is.null(origin) || !inherits(ledger, "nubrek_memory")) {
    abort_nubrek(c(
      "The rows of this ledger are not in its folder.",
      "x" = "It was saved without its exports, is in parts, or stays in a database.",
      "i" = "Remove the rows from your own files, and make the ledger again."
    ), "source", path = path)
  }
  people <- every_id_of(people, origin$aliases)
  sheds <- exports_without(origin, people, ledger$meaning, deleted)
  beside <- beside_without(origin, people, ledger$meaning, deleted)
  n <- sum(vapply(sheds, `[[`, 0L, "hit"))
  if (n == 0L && !any(ledger_ids(ledger) %in% people)) {
    abort_nubrek(c(
      "Nothing in this ledger names {.val {people}}.", "i" = "Ids are matched as they are written."
    ), "erased")
  }
  write_erased(record, people, deleted, secret)
  meaning <- ledger$meaning
  meaning$erased <- erased_record(record)
  fresh <- do.call(open_ledger, c(
    list(lapply(sheds, `[[`, "rows")), beside, list(meaning = meaning, bands = ledger$bands)
  ))
  save_ledger(with_contacts_of(fresh, contacts_without(ledger, people)), path)
  told_erasure(dirname(path), people, rbind(
    erasure(record, say("written: keeps them out of later exports"), length(people)),
    erasure(path, say("made again without them, with its copies of the exports"), n)
  ))
}
