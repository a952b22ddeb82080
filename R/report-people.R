# Whom a page may show: nobody, people by pseudonyms, or people by name; and groups that are too
# small to stand apart.

# What the study allows: `no` (default), `yes`, or `pseudonyms`, whose key it names.
people_shown <- function(study) {
  said <- study$outputs$people %||% "no"
  if (is.logical(said)) c("no", "yes")[[said + 1L]] else said
}

least_shown <- function(study) study$outputs$least %||% 5L

# A table of people as the page may show it, or NULL.
people_rows <- function(page, x) {
  switch(page$people,
    no = NULL,
    yes = if ("customer" %in% names(x)) with_contact(page, x) else x,
    pseudonyms = if ("customer" %in% names(x)) {
      x$customer <- pseudonyms(as.character(x$customer), page$key)
      x
    }
  )
}

# Does a table hold people?
of_people <- function(x) any(c("customer", "ids") %in% names(x))

people_words <- function(page) {
  switch(page$people,
    yes = paste(c(
      say(
        "This page shows customers by %s (outputs: people: yes). It is not for everybody.",
        paste(c(say("their ids"), page$contact), collapse = ", ")
      ),
      if (!is.null(page$contact)) contacts_words(page)
    ), collapse = " "),
    pseudonyms = say(paste(
      "Customers stand under pseudonyms; who they are, only the holder of the key can tell",
      "(outputs: people: pseudonyms)."
    ))
  )
}

# Who stands in tables with contact columns.
contacts_words <- function(page) {
  consent <- consent_of(page$ledger, character(), page$contact_by)
  consent$told %||% say(
    "Tables of customers hold those who agreed to be contacted (%s).", consent$column
  )
}

# Rows of groups; those of fewer customers than may stand apart are left out, and counted.
large_enough <- function(x, least) {
  size <- size_column(x)
  if (is.null(size)) return(list(rows = x, left = 0L))
  small <- !is.na(x[[size]]) & x[[size]] > 0 & x[[size]] < least
  list(rows = if (any(small)) with_basis(x[!small, ], x) else x, left = sum(small))
}
