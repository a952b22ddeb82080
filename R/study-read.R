#' Read and check a study file
#'
#' YAML; every scalar is read as text and then checked against what belongs there, so that ids keep their zeros. Unknown keys and
#' wrong values are errors with the line and what was meant. YAML tags never run code.
#'
#' @param path `[character(1)]` The study file.
#' @return A `nubrek_study`: a list of the checked sections, and `path`.
#' @examples
#' study <- read_study(system.file("pellmere", "study.yaml", package = "nubrek"))
#' study$meanings$currency
#' @export
read_study <- function(path) {
  check_text(path)
  if (!file.exists(path) || dir.exists(path)) abort_nubrek(c("Cannot find the study file {.file {path}}."), "file", path = path)
  text <- readLines(path, warn = FALSE, encoding = "UTF-8")
  as_text <- c("int", "int#hex", "int#oct", "int#base60", "float", "float#fix", "float#exp", "float#inf", "float#neginf", "float#nan", "float#base60",
               "bool#yes", "bool#no", "null", "timestamp", "timestamp#iso8601", "timestamp#spaced", "timestamp#ymd")
  keep <- stats::setNames(rep(list(\(x) x), length(as_text)), as_text)
  parsed <- tryCatch(yaml::yaml.load(paste(text, collapse = "\n"), eval.expr = FALSE, handlers = keep),
                     error = \(e) abort_nubrek(c("The study file {.file {path}} is not YAML.", "x" = "{conditionMessage(e)}"), "study", path = path, call = NULL))
  source <- list(path = path, text = text)
  if (!is.list(parsed)) abort_nubrek(c("The study file {.file {path}} is empty.", "i" = "{.code nubrek demo} writes one to start from."), "study", path = path)
  checked <- check_study(parsed, study_schema(), source)
  structure(c(checked, list(path = path, source = source)), class = "nubrek_study")
}

#' @export
print.nubrek_study <- function(x, ...) {
  writeLines(c(cli::style_bold(x$study %||% "Study"), paste0("from ", x$path), paste0("sections: ", paste(setdiff(names(x), c("path", "source", "study")), collapse = ", "))))
  invisible(x)
}

# The study's own files lie beside it.
study_files <- function(study, files) {
  folder <- dirname(study$path)
  out <- lapply(files, \(file) {
    path <- if (grepl("^(/|~|[A-Za-z]:)", file)) file else file.path(folder, file)
    if (grepl("[*?]", file)) { found <- sort(Sys.glob(path)); if (length(found) > 0L) found else path } else path
  })
  unlist(out)
}

open_study_ledger <- function(study) {
  orders <- study$data$orders
  table <- function(part) if (!is.null(part)) attribute_table(study_files(study, part$files), part$key, part$attributes %||% character())
  need <- function(section, keys) for (key in keys) if (is.null(study$data[[section]][[key]]) && !is.null(study$data[[section]]))
    abort_study(study$source, c("data", section), "The key {.field {key}} is missing here.", key = key)
  need("customers", c("files", "key"))
  need("products", c("files", "key"))
  need("aliases", c("files", "key", "same_as"))
  columns <- do.call(column_map, c(as.list(orders$columns), if (!is.null(orders$attributes)) list(attributes = orders$attributes)))
  said <- study$meanings %||% list()
  for (rule in c("test", "cancelled")) if (!is.null(said[[rule]])) said[[rule]] <- do.call(order_rule, said[[rule]])
  aliases <- study$data$aliases
  open_ledger(study_files(study, orders$files), columns, do.call(meanings, said), customers = table(study$data$customers), products = table(study$data$products),
              aliases = if (!is.null(aliases)) attribute_table(study_files(study, aliases$files), aliases$key, c(same_as = aliases$same_as)))
}
