# Several ids of one customer become one id, before orders are formed.

# A named vector from id to the id that stands for it, chains followed; cycles are an error.
alias_lookup <- function(table, call = rlang::caller_env()) {
  if (is.null(table)) return(character())
  if (!"same_as" %in% names(table$attributes)) {
    abort_nubrek(c(
      "A table of aliases needs an attribute {.field same_as}.",
      "i" = paste0(
        'For example {.code attribute_table("aliases.csv", key = "customer_no", ',
        'attributes = c(same_as = "main_no"))}.'
      )
    ), "aliases", call = call)
  }
  to <- trim_text(table$attributes$same_as)
  used <- to != "" & to != table$id
  lookup <- stats::setNames(to[used], table$id[used])
  for (step in seq_len(length(lookup) + 1L)) {
    onward <- lookup %in% names(lookup)
    if (!any(onward)) return(lookup)
    following <- lookup
    following[onward] <- lookup[lookup[onward]]
    if (any(following == names(following))) break
    lookup <- following
  }
  circle <- names(lookup)[following == names(lookup)]
  abort_nubrek(c(
    "Aliases go in a circle.",
    "x" = "{.val {utils::head(circle, 5)}} {?leads/lead} back to {?itself/themselves}.",
    "i" = "Each id must end at one main id."
  ), "aliases", ids = circle, call = call)
}

resolve_aliases <- function(id, lookup) {
  if (length(lookup) == 0L) return(id)
  place <- match(id, names(lookup))
  id[!is.na(place)] <- lookup[place[!is.na(place)]]
  unname(id)
}
