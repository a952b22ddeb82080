# Columns that data.table expressions speak of.
utils::globalVariables(c(
  ".GRP", "level", "at_risk", "cohort", "column", "event", "events", "left", "rate", "waited",
  ".copies", ".quantity", "seller", "money_all", "units_all",
  ".cost", ".discount", ".none", ".times", ".unit", "N", "age", "aside", "code", "codes", "cost",
  "currency", "customer", "day", "days", "duplicate", "entry", "evidence", "first", "first_day",
  "found", "i.cost", "i.n_lines", "i.number", "i.sales", "id", "identified", "ids", "inside",
  "keeps", "key", "kind", "known", "last", "late", "line", "money", "most", "number", "orders",
  "period", "kind", "picked", "place", "purchase_days", "purchases", "reason", "repeats",
  "return_of", "said", "rows", "sales", "sales_first", "new", "to", "x.new", "x.to", "amount",
  "total", "units", "whole", "seen", "cost", "spent", "reached", "error", "long", "payback_age",
  "highest_cost", "value_to_cost", "k", "n_before", "t_before", "b_before", "tt", "tb", "bb",
  "tt_before", "tb_before", "bb_before", "w_before", "wv_before", "wvv_before", "weight", "base",
  "usual", "spread", "unit", "excess", "freedom", "scatter", "i.scatter", "difference", "cohorts",
  "customers_before", "enough", "verdict", "first_squares", "squares", "given", "lower", "upper",
  "p", "sales_before", "sales_after", "change", "change_percent", "share_of_from", "step", "from",
  "of_sales", "r", "f", "x", "y", "x0", "x1", "y0", "y1", "fill", "n", "sales_purchases", "seconds",
  "complete", "older", "customers", "first_sales", "margin", ".so_far", ".whole_so_far",
  ".first_whole", ".whole", ".place", ".SD", ".I", "share", "size", "span", "target", "text", "top",
  "value", "wins", "set", "count", "group", "expected", "actual", ".", "..age", ".BY", ".file",
  "active_to_come", "brought", "common", "costed", "from_start", "group_row", "margin_to_come",
  "observed", "payback", "per_customer", "sales_per_customer", "seen_by", "seen_so_far", "sold",
  "spend", "square", "there", "to_age", "use", "what", "x.total", "responded", "strange", "until"
))
