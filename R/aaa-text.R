# Texts for people: one door to the catalogue of translations (R's gettext, domain R-nubrek) and to
# the decimal sign of the study.

# A text in the reader's language, its places filled as by sprintf(); without values as it stands.
say <- function(text, ...) {
  text <- gettext(text, domain = "R-nubrek")
  if (...length() == 0L) return(text)
  if (decimal_sign() == "." || length(text) != 1L) return(sprintf(text, ...))
  values <- list(...)
  place <- gregexpr("%([0-9]+[$])?[-+ 0]*[0-9]*([.][0-9]+)?[a-zA-Z%]", text, perl = TRUE)
  specs <- regmatches(text, place)[[1L]]
  taken <- specs != "%%"
  of <- cumsum(taken)
  named <- grepl("^%[0-9]+[$]", specs)
  of[named] <- as.integer(sub("^%([0-9]+)[$].*", "\\1", specs[named]))
  for (i in which(taken & grepl("[.][0-9]+f$", specs))) {
    values[[of[[i]]]] <- sub(".", decimal_sign(), fixed = TRUE, sprintf(
      sub("^%[0-9]+[$]", "%", specs[[i]]), values[[of[[i]]]]
    ))
    specs[[i]] <- sub("[-+ 0]*[0-9]*[.][0-9]+f$", "s", specs[[i]])
  }
  regmatches(text, place) <- list(specs)
  do.call(sprintf, c(list(text), values))
}

# Numbers for people, with the decimal sign that the study asks for.
written <- function(x, ...) formatC(x, ..., decimal.mark = decimal_sign())
decimal_sign <- function() getOption("nubrek.decimal", ".")

# Is every text and every name of a nested list text in UTF-8? (An escape may stand for none.)
all_texts_valid <- function(x) {
  texts <- c(names(x), if (is.character(x)) x)
  all(validUTF8(as.character(texts))) && (!is.list(x) || all(vapply(x, all_texts_valid, NA)))
}
