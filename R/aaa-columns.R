# What a column name says, wherever it stands: its kind, by which print, report, lists and workbook
# write it. A result may name kinds for columns of its own (`kinds` in its basis); a name in no list
# is of the kind of its type.

# money: major units; share: of one; mixed: money or a count, by row; count: whole; decimal: with
# two decimals if it has any; number: four digits; p: a p-value; cell: ready text that stands like a
# number.
known_kinds <- c(
  "money", "share", "mixed", "date", "count", "yes", "decimal", "number", "p", "cell", "text"
)

column_kinds <- list(
  money = c(
    "sales", "sales_repeat", "sales_one_time", "sales_no_purchase", "sales_first", "sales_later",
    "sales_outside", "mean_sales", "mean_purchase_sales", "monetary", "margin", "value",
    "value_lower", "value_upper", "value_to_date", "lifetime_value", "to_next", "money", "spend",
    "sales_all", "mean_repeat", "mean_one_time", "mean_first", "mean_later", "sales_new",
    "sales_returning", "sales_reactivated", "sales_not_active", "cost", "highest_cost",
    "sales_per_customer", "sales_later", "amount", "sales_after", "extra_margin", "net",
    "break_even", "expected_sales", "to_next_sales", "to_next_mean_sales", "sales_of_customer",
    "sales_of_period", "sales_of_group", "sales_before", "change", "sales_lower", "sales_upper",
    "sales_today", "value_after_cost", "per_customer"
  ),
  share = c(
    "rate", "lower", "upper", "share", "cumulative_share", "active", "captured", "retention",
    "share_of_sales", "share_of_customers", "dates", "numbers", "blank", "share_of_row",
    "share_of_column", "share_of_table", "share_of_period", "share_of_group", "running_share",
    "change_percent", "share_of_growth", "share_of_from", "uplift", "uplift_needed"
  ),
  mixed = c("left", "right", "difference")
)

# `kinds` are those that a result names for columns of its own.
kind_of <- function(name, x, kinds = NULL) {
  if (name %in% names(kinds)) return(kinds[[name]])
  if (inherits(x, "Date")) return("date")
  if (is.numeric(x)) {
    for (kind in names(column_kinds)) {
      if (name %in% column_kinds[[kind]] && !(kind == "share" && is.integer(x))) return(kind)
    }
  }
  if (is.integer(x)) {
    "count"
  } else if (is.numeric(x)) {
    "decimal"
  } else if (is.logical(x)) {
    "yes"
  } else {
    "text"
  }
}
