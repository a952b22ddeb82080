# Who was erased from a study: the record stands beside it.

erased_customers <- function(study) {
  if (!is.null(study$path)) erased_record(file.path(dirname(study$path), erased_file))
}
