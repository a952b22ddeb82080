# A ledger over the parts that its folder holds, and how it is saved again.

in_its_parts <- function(known, facts, path) {
  n <- as.integer(facts$parts$n)
  lines <- as.character(unlist(facts$parts$lines))
  whole <- is.integer(known$part_of) && cpp_all_within(known$part_of, 1L, n, FALSE)
  if (!whole) stop("its customers are in no part")
  codes <- split(seq_along(known$ids), factor(known$part_of, seq_len(n)))
  parts <- lapply(seq_len(n), \(k) {
    own <- part_folder(k)
    marks <- facts$files[startsWith(names(facts$files), paste0(own, "/"))]
    list(
      open = part_opener(normalizePath(path), own, marks, no_rows(
        lines, isTRUE(facts$parts$cost), counts_free(known$meaning)
      ), c(length(codes[[k]]), as.integer(known$history_start), as.integer(known$as_of))),
      codes = unname(codes[[k]])
    )
  })
  ledger <- new_parts(known, parts, c("sales", setdiff(lines, "sales"), "number"))
  attr(ledger, "remarks") <- attr(known, "remarks")
  ledger$folder <- path
  ledger
}

# Opens a part; made apart from the ledger, so that it holds nothing of it and can be sent anywhere.
part_opener <- function(path, own, marks, none, range) {
  force(path)
  force(none)
  force(range)
  key <- rlang::hash(list(path, own, marks))
  function() {
    rows <- parts_at_hand[[key]]$rows
    if (is.null(rows)) {
      rows <- if (length(marks) == 0L) none else read_part(path, own, marks, range)
      hold_part(key, rows, path)
    }
    # whoever changes a column changes his own table
    rows$lines <- data.table::setDT(as.list(rows$lines))
    rows
  }
}

# Small parts stay at hand, as many as have so many lines in all; those of another ledger make room.
lines_held <- 2e6
parts_at_hand <- new.env(parent = emptyenv())

hold_part <- function(key, rows, path) {
  full <- \() {
    held <- vapply(ls(parts_at_hand), \(name) nrow(parts_at_hand[[name]]$rows$lines), 0L)
    sum(held) + nrow(rows$lines) > lines_held
  }
  if (full()) {
    others <- Filter(\(name) parts_at_hand[[name]]$path != path, ls(parts_at_hand))
    rm(list = others, envir = parts_at_hand)
  }
  if (!full()) parts_at_hand[[key]] <- list(rows = rows, path = path)
}

# `range` are the most customers, the first day and the last.
read_part <- function(path, own, marks, range) {
  damaged <- \(why) abort_nubrek(c(
    "The ledger in parts {.file {path}} is damaged, or another has taken its place.",
    "x" = why,
    "i" = "No answer is made of fewer parts than there are: split the orders again."
  ), "file", path = path, call = NULL)
  place <- tryCatch(
    suppressWarnings(saved_version(path)), error = \(e) file.path(path, "its current version")
  )
  for (name in names(marks)) {
    if (same_file(file.path(place, name), marks[[name]])) next
    damaged(paste0("The file ", name, " is missing or not as it was written."))
  }
  tryCatch(
    saved_rows(
      \(name) saved_table(file.path(place, own, name)), range[[1L]], range[[2L]], range[[3L]]
    ),
    error = \(e) damaged(gsub("[{}]", "", conditionMessage(e)))
  )
}

no_rows <- function(lines, cost, free) {
  orders <- list(
    customer = integer(), day = integer(), sales = double(), order = character(),
    n_lines = integer()
  )
  if (cost) orders$cost <- double()
  if (free) orders$free <- integer()
  cells <- lapply(stats::setNames(nm = setdiff(lines, "sales")), \(name) {
    if (name %in% c(".cost", ".discount")) double() else factor()
  })
  list(
    orders = orders,
    before = orders[intersect(before_columns, names(orders))],
    lines = data.table::setDT(c(list(sales = double()), cells, list(number = integer())))[]
  )
}

# Saves a ledger in parts: what is known of it is written, its parts stay what they are.
save_parts <- function(ledger, path, exports, call) {
  from <- ledger$folder
  facts <- saved_facts(from)$parts
  if (!exports) facts$deals <- NULL
  version <- basename(tempfile("version-"))
  dir.create(file.path(path, version))
  source <- if (exports && !is.null(ledger$source)) {
    save_source(ledger$source, path, version, call)
  }
  place <- saved_version(from)
  link_files(place, file.path(path, version), grep(
    "^part-", list.files(place, recursive = TRUE), value = TRUE
  ))
  deals <- vapply(facts$deals, `[[`, "", "folder")
  if (exports && normalizePath(from) != normalizePath(path)) {
    link_files(file.path(from, "exports"), file.path(path, "exports"), list.files(
      file.path(from, "exports"), recursive = TRUE
    ))
  }
  finish_save(ledger, path, version, source, list(parts = facts), deals)
  invisible(path)
}

# The same files in another folder, without copying them where the disk can do that.
link_files <- function(from, to, files) {
  for (folder in unique(dirname(file.path(to, files)))) {
    if (!dir.exists(folder)) dir.create(folder, recursive = TRUE)
  }
  for (name in files) {
    here <- file.path(from, name)
    there <- file.path(to, name)
    linked <- suppressWarnings(file.link(here, there))
    if (!linked) copy_whole(here, there)
  }
}
