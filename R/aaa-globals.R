# Columns that data.table expressions speak of.
utils::globalVariables(c(
  ".GRP", "at_risk", "cohort", "column", "event", "events", "left", "rate", "waited", ".copies", ".cost", ".discount", ".none", ".times", ".unit", "N", "age", "aside", "code", "codes", "cost",
      "currency",
  "customer", "day", "days", "duplicate", "entry", "evidence", "first", "first_day", "found", "i.cost", "i.n_lines", "i.number", "i.sales",
  "id", "identified", "ids", "inside", "keeps", "key", "kind", "known", "last", "late", "line", "money", "most", "number", "orders",
  "period", "kind", "picked", "place", "purchase_days", "purchases", "reason", "repeats", "return_of", "said", "rows", "sales", "sales_first",
  "sales_purchases", "seconds", "share", "size", "span", "target", "text", "top", "value", "wins", "."))
