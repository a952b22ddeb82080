# The lint of the whole package by .lintr, less what lintr cannot see: locals that only a message's
# template speaks of, and what testthat and the helpers bring into tests. Fails on any finding.
found <- as.data.frame(lintr::lint_package("."))
in_template <- function(file, message) {
  name <- sub(".*\u2018(.*)\u2019.*", "\\1", message)
  any(grepl(paste0("\\{[^}]*\\b", name, "\\b"), readLines(file, encoding = "UTF-8")))
}
usage <- found$linter == "object_usage_linter"
local <- usage & grepl("^local variable", found$message)
known <- usage & grepl("^tests/", found$filename)
for (i in which(local)) {
  known[[i]] <- known[[i]] || in_template(found$filename[[i]], found$message[[i]])
}
found <- found[!known, ]
cat(sprintf("%s:%d: %s\n", found$filename, found$line_number, found$message), sep = "")
cat(nrow(found), "findings of the lint\n")
quit(status = as.integer(nrow(found) > 0L))
