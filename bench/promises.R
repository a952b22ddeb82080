# What Nubrek promises, measured in drawn worlds: writes docs/promises.md and its record,
# docs/promises.csv. A row is measured again when a function that it names, or its world, has
# changed; rows of older code that are left out (`promises.R NAME ...` measures those alone) are
# listed. Usage: promises.R [--worlds N] [--again] [NAME ...]
suppressPackageStartupMessages(library(nubrek))
options(nubrek.threads = 1L)
asked <- commandArgs(TRUE)
at <- match("--worlds", asked)
most <- if (is.na(at)) Inf else as.integer(asked[[at + 1L]])
again <- "--again" %in% asked
names_asked <- setdiff(asked[if (is.na(at)) TRUE else -c(at, at + 1L)], "--again")
record_path <- "docs/promises.csv"
cores <- parallel::detectCores()
format_count <- \(x) format(x, big.mark = ",", trim = TRUE)

promises <- list()
# One promise: `cells` has a row for each kind of world (its words in `world`);
# `measure(seed, cell)` returns named numbers for one world, or a matrix with a named row for each
# thing looked at. Shares are shown with their standard error unless `show` says otherwise; `holds`
# gives the range promised for them. `of`: the functions and constants of the package that it
# depends on, or files with all that they define.
promise <- function(
  name, says, of, cells, measure, worlds = 1000L, holds = list(), show = list()
) {
  promises[[name]] <<- list(
    name = name, says = says, of = of, cells = cells, measure = measure, worlds = worlds,
    holds = holds, show = show, file = current
  )
}

for (current in list.files("bench/promises", full.names = TRUE)) source(current, local = TRUE)

# Comments and layout change no number, nor do messages.
without_words <- function(code) {
  for (i in seq_along(code)) {
    if (!is.call(code[[i]])) next
    named <- deparse(code[[i]][[1L]])[[1L]]
    code[[i]] <- if (named %in% c("say", "abort_nubrek")) quote(words) else without_words(code[[i]])
  }
  code
}
code_of <- function(name) {
  if (grepl("/", name, fixed = TRUE)) {
    if (!endsWith(name, ".R")) return(unname(tools::md5sum(name)))
    text <- lapply(parse(name, keep.source = FALSE), without_words)
    return(vapply(text, \(e) paste(deparse(e), collapse = "\n"), ""))
  }
  one <- get(name, asNamespace("nubrek"))
  if (is.function(one)) deparse(c(formals(one), without_words(body(one)))) else deparse(one)
}
# The functions of the package and those of the file that make worlds; not what a page says.
hash_of <- function(p) {
  worlds <- vapply(parse(p$file, keep.source = FALSE), \(e) paste(deparse(e), collapse = "\n"), "")
  rlang::hash(list(
    lapply(p$of, code_of), worlds[!startsWith(worlds, "promise(")], as.list(p$cells),
    deparse(p$measure)
  ))
}

record <- if (file.exists(record_path)) {
  utils::read.csv(record_path, colClasses = "character")
} else {
  data.frame(
    name = character(), world = character(), what = character(), shown = character(),
    holds = character(), worlds = character(), day = character(), hash = character()
  )
}

measured <- function(p, cell) {
  n <- min(p$worlds, most)
  each <- parallel::mclapply(seq_len(n), \(seed) p$measure(seed, cell), mc.cores = cores)
  odd <- vapply(each, inherits, NA, "try-error")
  if (any(odd)) stop(p$name, ", ", cell$world, ": ", each[odd][[1L]], call. = FALSE)
  if (!is.matrix(each[[1L]])) return(shown_rows(p, cell$world, do.call(rbind, each), n))
  do.call(rbind, lapply(rownames(each[[1L]]), \(thing) {
    x <- do.call(rbind, lapply(each, \(one) one[thing, ]))
    shown_rows(p, paste0(cell$world, ": ", thing), x, n)
  }))
}

shown_rows <- function(p, world, x, n) {
  rows <- lapply(colnames(x), \(what) {
    v <- x[, what]
    if (all(is.na(v))) return(c("", ""))
    if (!is.null(p$show[[what]])) return(c(p$show[[what]](v), ""))
    v <- v[!is.na(v)]
    error <- if (all(v %in% 0:1)) {
      # also where all or none did
      share <- (sum(v) + 1) / (length(v) + 2)
      sqrt(share * (1 - share) / length(v))
    } else {
      stats::sd(v) / sqrt(length(v))
    }
    range <- p$holds[[what]]
    inside <- is.null(range) ||
      (mean(v) >= range[[1L]] - 3 * error && mean(v) <= range[[2L]] + 3 * error)
    c(sprintf("%.1f (%.1f)", 100 * mean(v), 100 * error), if (is.null(range)) "" else inside)
  })
  rows <- do.call(rbind, rows)
  data.frame(
    name = p$name, world = world, what = colnames(x), shown = rows[, 1L], holds = rows[, 2L],
    worlds = as.character(n), day = format(Sys.Date()), hash = hash_of(p)
  )
}

known <- \(p) record[record$name == p$name, ]
current_row <- \(p) {
  rows <- known(p)
  nrow(rows) > 0L && all(rows$hash == hash_of(p))
}
unknown <- setdiff(names_asked, names(promises))
if (length(unknown) > 0L) stop("There is no promise ", unknown[[1L]], ".", call. = FALSE)
todo <- if (length(names_asked) > 0L) names_asked else names(promises)
todo <- Filter(\(name) again || !current_row(promises[[name]]), todo)

page <- function() {
  cell_text <- \(row) paste0(row$shown, if (identical(row$holds, "FALSE")) " **not held**")
  section <- function(p) {
    rows <- known(p)
    if (nrow(rows) == 0L) return(NULL)
    whats <- unique(rows$what)
    worlds <- unique(rows$world)
    lines <- vapply(worlds, \(world) paste0("| ", world, " | ", paste(vapply(whats, \(what) {
      cell_text(rows[rows$world == world & rows$what == what, ])
    }, ""), collapse = " | "), " |"), "")
    c(
      paste0("## ", p$name), "", p$says, "",
      sprintf(
        "%s worlds a row, measured on %s: `make promises ONLY=%s`, `%s`.",
        format_count(as.integer(rows$worlds[[1L]])), rows$day[[1L]], p$name, p$file
      ), "",
      paste0("| world | ", paste(whats, collapse = " | "), " |"),
      paste0("|---|", strrep("---|", length(whats))),
      unname(lines), ""
    )
  }
  old <- Filter(\(p) nrow(known(p)) > 0L && !current_row(p), promises)
  writeLines(c(
    "# What Nubrek promises, and how often it holds",
    "",
    paste(
      "Each promise was measured in worlds drawn for it, by generators that are not its model.",
      "Shares are in percent, with their standard error in brackets; what lies more than three of",
      "those outside of the promise is marked **not held**. `make promises` measures again what",
      "depends on changed code and writes this page."
    ),
    "",
    if (length(old) > 0L) {
      days <- vapply(old, \(p) sprintf("%s (%s)", p$name, known(p)$day[[1L]]), "")
      c(paste0("Measured with older code: ", paste(days, collapse = ", "), "."), "")
    },
    unlist(lapply(promises, section), use.names = FALSE)
  ), "docs/promises.md")
}

for (name in todo) {
  p <- promises[[name]]
  rows <- lapply(seq_len(nrow(p$cells)), \(i) {
    message(name, " ", i, " of ", nrow(p$cells), ": ", p$cells$world[[i]])
    measured(p, as.list(p$cells[i, , drop = FALSE]))
  })
  record <- rbind(record[record$name != name, ], do.call(rbind, rows))
  utils::write.csv(record, record_path, row.names = FALSE)
  page()
}
page()
