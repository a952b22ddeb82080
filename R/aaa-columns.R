# What a column says by its name, wherever it stands: print, report, lists and workbook read these
# records. A result may name kinds for columns of its own (`kinds` in its basis); a name in no
# record is of the kind of its type.

# A kind: the unit of its values, whether they stand like numbers (to the right, sorted as such),
# and how many decimals they are written with, of all values and the decimals of the currency.
kind_record <- function(unit, number, decimals = \(x, currency) NA_integer_) {
  list(unit = unit, number = number, decimals = decimals)
}
all_whole <- function(x) all(x == round(x), na.rm = TRUE)

kind_records <- list(
  money = kind_record("currency", TRUE, \(x, currency) currency),
  share = kind_record("of one", TRUE, \(x, currency) 1L),
  mixed = kind_record("currency or customers, by row", TRUE, \(x, currency) {
    ifelse(!is.na(x) & x == round(x), 0L, currency)
  }),
  date = kind_record("day", FALSE),
  count = kind_record("customers, orders, rows", TRUE, \(x, currency) 0L),
  yes = kind_record("yes or no", FALSE),
  decimal = kind_record("as named", TRUE, \(x, currency) if (all_whole(x)) 0L else 2L),
  number = kind_record("as named, four digits", TRUE),
  p = kind_record("probability", TRUE, \(x, currency) 3L),
  cell = kind_record("ready text", TRUE),
  text = kind_record("text", FALSE)
)

known_kinds <- names(kind_records)

column_kinds <- list(
  money = c(
    "sales", "sales_repeat", "sales_one_time", "sales_no_purchase", "sales_first", "sales_later",
    "sales_outside", "mean_sales", "mean_purchase_sales", "monetary", "margin", "value",
    "value_lower", "value_upper", "value_to_date", "lifetime_value", "to_next", "money", "spend",
    "sales_all", "mean_repeat", "mean_one_time", "mean_first", "mean_later", "sales_new",
    "sales_returning", "sales_reactivated", "sales_not_active", "cost", "highest_cost",
    "sales_per_customer", "amount", "sales_after", "extra_margin", "net",
    "break_even", "expected_sales", "to_next_sales", "to_next_mean_sales", "sales_of_customer",
    "sales_of_period", "sales_of_group", "sales_before", "change", "sales_lower", "sales_upper",
    "sales_today", "value_after_cost", "per_customer", "gross", "returned", "usual", "usual_lower",
    "usual_upper", "last_sales", "sales_constant", "change_constant", "from_rates"
  ),
  share = c(
    "rate", "lower", "upper", "share", "cumulative_share", "active", "captured", "retention",
    "share_of_sales", "share_of_customers", "dates", "numbers", "blank", "share_of_row",
    "share_of_column", "share_of_table", "share_of_period", "share_of_group", "running_share",
    "change_percent", "share_of_growth", "share_of_from", "uplift", "uplift_needed",
    "active_share", "share_of_a", "share_of_b", "return_share", "share_of_returned", "full_price",
    "growth", "growth_constant", "chance_to_come", "offer_share"
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

# Columns that count days, and columns whose names are not the words for people.
day_columns <- c(
  "mean_gap", "median_gap", "longest_gap", "open_gap", "expected_gap", "recency", "mean_recency"
)
column_titles <- c(
  sales_today = "from today's customers",
  purchases_today = "purchases of today's customers",
  active_today = "active of today's customers",
  sales_before = "sales before",
  to_next = "to next tier"
)

# Anything on fewer customers is pale, and never a title.
few_customers <- 30L
