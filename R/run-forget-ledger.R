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
  frames <- lapply(found_again(origin$orders, NULL), \(part) {
    as.data.frame(if (is.data.frame(part)) part else read_source(part)$table, optional = TRUE)
  })
  sheds <- lapply(frames, rows_without, people, origin$columns, ledger$meaning, deleted)
  beside <- beside_without(origin, people, ledger$meaning, deleted)
  n <- sum(vapply(sheds, `[[`, 0L, "hit"))
  if (n == 0L && !any(ledger$ids %in% people)) {
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
  contacts <- ledger$contacts
  if (!is.null(contacts)) {
    ledger$contacts <- lapply(contacts, `[`, !contacts$customer %in% people)
    fresh <- with_contacts_of(fresh, ledger)
  }
  save_ledger(fresh, path)
  told_erasure(dirname(path), people, rbind(
    erasure(record, say("written: keeps them out of later exports"), length(people)),
    erasure(path, say("made again without them, with its copies of the exports"), n)
  ))
}

# All ids of these people, by the aliases of the ledger.
every_id_of <- function(people, aliases) {
  if (is.null(aliases)) return(unique(people))
  lookup <- alias_lookup(aliases)
  main <- unique(resolve_aliases(people, lookup))
  unique(c(people, main, names(lookup)[lookup %in% main]))
}

# The rows of an export, of which those of these people name nobody or are gone, and how many.
rows_without <- function(frame, people, map, meaning, deleted) {
  hit <- names_people(frame, people)
  if (deleted) return(list(rows = frame[!hit, , drop = FALSE], hit = sum(hit)))
  rules <- vapply(row_rules(meaning), `[[`, "", "column")
  kept <- c(unlist(unclass(map)[intersect(kept_of_erased, names(map))]), rules)
  for (name in setdiff(names(frame), setdiff(kept, map[["customer"]]))) {
    frame[[name]] <- replace(as.character(frame[[name]]), hit, "")
  }
  # a word in the place of an amount may tell who it was
  amounts <- setdiff(unlist(unclass(map)[intersect(money_roles, names(map))]), rules)
  for (name in intersect(amounts, names(frame))) {
    text <- as.character(frame[[name]])
    frame[[name]] <- replace(text, hit & grepl("[[:alpha:]]", text), "")
  }
  list(rows = frame, hit = sum(hit))
}

# Tables beside the orders without these people: a row of a joined table names nobody, as one of the
# export; in all others it goes.
beside_without <- function(origin, people, meaning, deleted) {
  beside <- origin[names(origin) != "orders"]
  for (name in c("customers", "products", "aliases")) {
    table <- beside[[name]]
    if (is.null(table)) next
    gone <- table$id %in% people | names_people(as.data.frame(table$attributes), people)
    table$id <- table$id[!gone]
    table$attributes <- table$attributes[!gone]
    beside[[name]] <- table
  }
  beside$joins <- lapply(beside$joins, \(join) {
    named <- as.data.frame(join$attributes, optional = TRUE)
    if (deleted) {
      stay <- !names_people(named, people)
      join$id <- join$id[stay]
      join$attributes <- join$attributes[stay]
    } else {
      join$attributes <- as.data.table(
        rows_without(named, people, origin$columns, meaning, FALSE)$rows
      )
    }
    join
  })
  beside
}
