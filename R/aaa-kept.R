# What we keep between runs is read back through one door: under the seal it was written with and of
# the shape it must have, or not at all. Folders of ours are marked, and links lead nowhere.

# A text with this head holds its own seal: a keyed hash of all its bytes, with zeros in the place
# of the seal. Behind it may stand a second one, by the secret of the user who wrote it.
seal_head <- "{\"seal\":\""
own_head <- "\",\"own\":\""
seal_at <- nchar(seal_head) + seq_len(16L)
own_at <- max(seal_at) + nchar(own_head) + seq_len(16L)
no_seal <- strrep("0", 16L)

# For what anybody may know again: damage is seen, not who wrote it.
public_key <- charToRaw("nubrek in public")

# A named list as one JSON file under its seal, and under the user's `own` where there is a secret.
write_sealed <- function(content, path, key = public_key, own = NULL) {
  head <- list(seal = no_seal)
  if (!is.null(own)) head <- c(head, list(own = no_seal, by = secret_name(own)))
  text <- jsonlite::toJSON(
    c(head, content), auto_unbox = TRUE, digits = NA, null = "null", na = "null"
  )
  bytes <- c(charToRaw(enc2utf8(unclass(text))), charToRaw("\n"))
  if (!is.null(own)) bytes[own_at] <- charToRaw(cpp_keyed_mark(bytes, own))
  bytes[seal_at] <- charToRaw(cpp_keyed_mark(bytes, key))
  write_bytes(bytes, path)
}

# What a secret is called by, which tells nothing of it.
secret_name <- function(secret) cpp_keyed_mark(charToRaw("whose secret is this"), secret)

# The named list that a sealed file holds; NULL where there is none. Where it is damaged, somebody
# else's, or not of its `shape` (a function of the content), that is said and it counts as none.
read_sealed <- function(path, shape, key = public_key, simplify = FALSE) {
  if (!file.exists(path) || dir.exists(path)) return(NULL)
  content <- tryCatch(opened_seal(path, key, simplify), error = \(e) NULL)
  if (is.list(content) && isTRUE(tryCatch(shape(content), error = \(e) FALSE))) return(content)
  tell_damage(path)
  NULL
}

# Of the same damaged file it is said once.
damage_told <- new.env(parent = emptyenv())

tell_damage <- function(path) {
  seen <- paste(normalizePath(path, mustWork = FALSE), rlang::hash_file(path))
  if (!is.null(damage_told[[seen]])) return()
  damage_told[[seen]] <- TRUE
  rlang::inform(
    say("%s is damaged, or not ours: it is not used, and made again.", path),
    class = "nubrek_damaged"
  )
}

# NULL where the seal is broken; `sealed_by_us`, does it bear the seal of this user's secret?
opened_seal <- function(path, key, simplify, own = NULL) {
  bytes <- readBin(path, "raw", file.size(path))
  if (length(bytes) < max(seal_at)) return(NULL)
  said <- rawToChar(bytes[seal_at])
  bytes[seal_at] <- charToRaw(no_seal)
  if (!identical(cpp_keyed_mark(bytes, key), said)) return(NULL)
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  if (!startsWith(text, seal_head)) return(NULL)
  content <- jsonlite::fromJSON(text, simplifyVector = simplify)
  if (!is.list(content) || !all_texts_valid(content)) return(NULL)
  ours <- !is.null(own) && identical(content$by, secret_name(own))
  if (ours) {
    bytes[own_at] <- charToRaw(no_seal)
    if (!identical(cpp_keyed_mark(bytes, own), content$own)) return(NULL)
  }
  structure(content[setdiff(names(content), c("seal", "own", "by"))], sealed_by_us = ours)
}

# What this user's runs keep is known again by a secret of the user's: nobody else's bytes become
# objects or pictures. NULL where none can be had.
user_secret <- function() {
  path <- file.path(tools::R_user_dir("nubrek", "data"), "kept-parts")
  tryCatch(
    {
      if (!file.exists(path)) {
        privately({
          dir.create(dirname(path), showWarnings = FALSE, recursive = TRUE)
          write_text(secret_token(), path)
        })
      }
      read_key(path)
    },
    error = \(e) NULL
  )
}

# A key of 32 hexadecimal digits: the first line of a file, or in the environment.
read_key <- function(path, call = rlang::caller_env()) {
  where <- if (is.null(path)) {
    "the environment variable {.envvar NUBREK_KEY}"
  } else {
    "the file {.file {path}}"
  }
  text <- if (is.null(path)) {
    Sys.getenv("NUBREK_KEY", NA)
  } else if (file.exists(path)) {
    trimws(readLines(path, n = 1L, warn = FALSE))
  }
  if (length(text) == 0L || is.na(text)) {
    abort_nubrek(c("There is no key.", "x" = paste("Looked for it in", where)), "key", call = call)
  }
  if (!grepl("^[0-9A-Fa-f]{32}$", text)) {
    abort_nubrek(c(
      "A key is 32 hexadecimal digits.",
      "x" = paste("Something else stands in", where),
      "i" = "Make one: {.code openssl rand -hex 16}."
    ), "key", call = call)
  }
  as.raw(strtoi(substring(text, seq(1L, 31L, 2L), seq(2L, 32L, 2L)), 16L))
}

# What is made in between is its owner's alone.
privately <- function(code) {
  before <- Sys.umask("0077")
  on.exit(Sys.umask(before))
  force(code)
}

is_link <- function(path) !is.na(Sys.readlink(path)) & Sys.readlink(path) != ""

# A folder that holds what we keep: made and marked by us, or refused by name.
folder_mark <- ".nubrek-folder.json"

own_folder <- function(path, holds, advice) {
  why <- if (is_link(path)) {
    say("it is a link to another place")
  } else if (file.exists(path) && !dir.exists(path)) {
    say("it is a file")
  } else if (dir.exists(path) && !is_own_folder(path, holds)) {
    say("no run made this folder")
  }
  if (is.null(why)) return(invisible(path))
  abort_nubrek(c(
    "{.file {path}} is not ours.", "x" = "Our {holds} would stand there, and {why}.", "i" = advice
  ), "results", path = path, call = NULL)
}

is_own_folder <- function(path, holds) {
  !is_link(path) && identical(
    read_sealed(file.path(path, folder_mark), \(x) checkmate::test_string(x$holds))$holds, holds
  )
}

make_own_folder <- function(path, holds) {
  if (dir.exists(path)) return(invisible(path))
  privately({
    if (!dir.create(path)) abort_disk(path, "the folder could not be made")
    write_sealed(list(holds = holds), file.path(path, folder_mark))
  })
  invisible(path)
}

# Takes away files that we wrote and listed, `names` from the folder on; then the folders that held
# them, where nothing is left in them.
remove_listed <- function(folder, names) {
  names <- names[is_inside(names)]
  paths <- file.path(folder, names)
  there <- !is_link(folder) & file.exists(paths) & !dir.exists(paths) & !is_link(dirname(paths))
  unlink(paths[there])
  folders <- unique(unlist(lapply(names, folders_above)))
  for (name in folders[order(-nchar(folders))]) {
    place <- if (name == ".") folder else file.path(folder, name)
    left <- list.files(place, all.files = TRUE, no.. = TRUE)
    if (dir.exists(place) && !is_link(place) && length(left) == 0L) file.remove(place)
  }
}

folders_above <- function(name) {
  above <- dirname(name)
  if (above == ".") "." else c(above, folders_above(above))
}

# Names that stay inside the folder that they start from.
is_inside <- function(names) {
  nzchar(names) & !grepl("^[/~\\\\]|^[A-Za-z]:|(^|[/\\\\])[.][.]([/\\\\]|$)", names)
}

# What tells that a file is the one of before without reading it: size, times of contents and of
# the entry, and its number on the disk. Nobody sets all of these back.
file_stamp <- function(paths) vapply(path.expand(paths), cpp_file_stamp, "", USE.NAMES = FALSE)
