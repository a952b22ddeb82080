# Which column of a file plays which role.

column_roles <- c(
  "customer", "order", "line", "date", "sales", "quantity", "unit_price", "gross", "discount",
  "tax", "shipping", "cost", "currency", "product", "category", "channel", "return_of"
)

#' Say which column of the order file is which
#'
#' @param customer,date `[character(1)]` Columns with the customer id and the day (or time stamp) of
#'   the order.
#' @param order `[character(1)]` Column with the order id. Without one, all rows of a customer and
#'   day are one order.
#' @param sales `[character(1)]` Column with net sales in major units. Instead of it, `quantity` and
#'   `unit_price`, or `gross` and `discount` (an amount), may be mapped; sales are then their
#'   product or difference.
#' @param line `[character(1)]` Column with a line id: with one, equal rows are duplicates.
#' @param tax,shipping `[character(1)]` Amounts contained in the sales that do not belong to them;
#'   they are taken off.
#' @param cost `[character(1)]` Cost of the line, or of the order (see `cost_per` in [meanings()]);
#'   margin follows.
#' @param quantity,unit_price,gross,discount,currency,product,category,channel,return_of
#'   `[character(1)]` Further columns. A `quantity` is counted by `units()` in the rules of
#'   [audience()]. With a `discount` beside `sales`, the discount share of the first order becomes
#'   an attribute.
#' @param attributes `[character]` Any other columns to keep, `c(name = "column in the file")`;
#'   unnamed ones keep their names.
#' @return A `nubrek_columns` object: a named character vector from role to column.
#' @examples
#' column_map(customer = "cust_no", order = "receipt", date = "sold_on", sales = "amount",
#'            attributes = c(campaign = "campaign_code"))
#' @export
column_map <- function(
  customer, date, order = NULL, sales = NULL, line = NULL, quantity = NULL, unit_price = NULL,
  gross = NULL, discount = NULL, tax = NULL, shipping = NULL, cost = NULL, currency = NULL,
  product = NULL, category = NULL, channel = NULL, return_of = NULL, attributes = character()
) {
  given <- list(
    customer = if (!missing(customer)) customer,
    order = order,
    line = line,
    date = if (!missing(date)) date,
    sales = sales,
    quantity = quantity,
    unit_price = unit_price,
    gross = gross,
    discount = discount,
    tax = tax,
    shipping = shipping,
    cost = cost,
    currency = currency,
    product = product,
    category = category,
    channel = channel,
    return_of = return_of
  )
  given <- given[!vapply(given, is.null, NA)]
  for (role in names(given)) {
    check_text(given[[role]], arg = role)
  }
  lacking <- setdiff(c("customer", "date"), names(given))
  if (length(lacking) > 0L) {
    abort_nubrek(c(
      "Orders need a column for {.field {lacking}}.",
      "i" = "Say which one: {.code column_map({lacking[[1]]} = ...)}."
    ), "columns", roles = lacking)
  }
  throw_unless(
    checkmate::check_character(attributes, any.missing = FALSE, min.chars = 1L),
    "attributes",
    rlang::current_env()
  )
  attributes <- with_own_names(attributes)
  if (anyDuplicated(names(attributes)) > 0L) {
    abort_nubrek(c(
      "{.arg attributes} needs another name for each column.",
      "x" = "{.field {names(attributes)[anyDuplicated(names(attributes))]}} stands twice.",
      "i" = 'For example {.code c(campaign = "campaign_code")}.'
    ), "columns")
  }
  clash <- intersect(names(attributes), column_roles)
  if (length(clash) > 0L) {
    abort_nubrek(c(
      "Roles cannot be attributes: {.field {clash}}.",
      "i" = "Give each as an argument of its own, as in {.code column_map({clash[[1]]} = ...)}."
    ), "columns")
  }
  structure(c(
    unlist(given), attributes
  ), arithmetic = sales_arithmetic(names(given)), class = "nubrek_columns")
}

# Columns without a name of their own keep that of the file.
with_own_names <- function(columns) {
  given <- names(columns) %||% rep("", length(columns))
  stats::setNames(columns, ifelse(given == "", columns, given))
}

# Net sales come from one column, from quantity times unit price, or from gross minus discount.
sales_arithmetic <- function(roles, call = rlang::caller_env()) {
  if ("sales" %in% roles) return("none")
  if (all(c("quantity", "unit_price") %in% roles)) return("times")
  if (all(c("gross", "discount") %in% roles)) return("minus")
  abort_nubrek(c("Orders need their sales.", "i" = paste0(
    "Map {.field sales}, or {.field quantity} and {.field unit_price}, or {.field gross} and ",
    "{.field discount}."
  )), "columns", call = call)
}

sales_columns <- function(map) {
  switch(attr(map, "arithmetic"),
    none = unname(map[["sales"]]),
    times = unname(map[c("quantity", "unit_price")]),
    minus = unname(map[c("gross", "discount")])
  )
}

has_role <- function(map, role) role %in% names(map)

# The cells of a mapped column.
role_cells <- function(cells, map, role) cells[[map[[role]]]]
