# Names that always mean what is computed (definition 62), in rules, breakdowns and lists alike.
# They are few, so that names people use for columns of their own stay free.

computed_names <- c(
  "purchases", "orders", "sales", "mean_sales", "first_purchase", "last_purchase", "open_gap",
  "expected_gap", "overdue", "visits_per_year",
  "tier", "tier_rank", "to_next",
  "recency", "frequency", "monetary", "recency_band", "frequency_band", "monetary_band",
  "rfm_code", "rfm_index", "rfm_group", "quadrant",
  "active", "expected_purchases", "expected_sales", "value", "value_lower", "value_upper",
  "lifetime_value"
)

# The names of a user's columns, from the opening of a ledger on: a computed name gets that of its
# table in front.
free_names <- function(names, table, call = rlang::caller_env()) {
  taken <- names %in% computed_names
  free <- ifelse(taken, paste0(table, "_", names), names)
  twice <- free[taken & free %in% names]
  if (length(twice) > 0L) {
    abort_nubrek(c(
      "Two columns would be called {.field {twice[[1]]}}.",
      "x" = paste0(
        "{.field {sub('^[^_]*_', '', twice[[1]])}} is a name of what is computed, so a column of ",
        "that name is called {.field {twice[[1]]}}."
      ),
      "i" = "Give one of them another name."
    ), "columns", call = call)
  }
  free
}

# The column map and the tables of a ledger under free names.
with_free_names <- function(origin, call = rlang::caller_env()) {
  columns <- origin$columns
  if (inherits(columns, "nubrek_columns")) {
    own <- !names(columns) %in% column_roles
    names(columns)[own] <- free_names(names(columns)[own], "order", call)
    origin$columns <- columns
  }
  for (table in c("customers", "products")) {
    if (!inherits(origin[[table]], "nubrek_table")) next
    own <- names(origin[[table]]$attributes)
    free <- free_names(own, sub("s$", "", table), call)
    if (identical(free, own)) next
    origin[[table]]$attributes <- data.table::setnames(
      data.table::copy(origin[[table]]$attributes), free
    )
  }
  origin
}

# A name that speaks of a user's own columns (of the meanings, the bands): as it is called now.
own_name <- function(name, known) {
  called <- paste0(c("customer_", "order_", "product_"), name)
  if (name %in% known || !any(called %in% known)) name else called[called %in% known][[1L]]
}

renamed_remark <- function(known) {
  told <- unlist(lapply(c("customer", "order", "product"), \(table) {
    taken <- computed_names[paste0(table, "_", computed_names) %in% known]
    if (length(taken) == 0L) return(NULL)
    say(
      "A column %s stands here as %s_%s: %s is what Nubrek computes.", taken, table, taken, taken
    )
  }))
  if (length(told) > 0L) remark_table("names", told)
}
