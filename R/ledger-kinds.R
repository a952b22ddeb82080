# Lines that are not goods: only the study says which these are (definition 64). They are no
# product, no return and no first purchase; each kind counts in sales or is excluded.

# The kinds, and whether they count in sales unless the study says otherwise.
line_kinds <- c(
  voucher = TRUE, shipping = FALSE, fee = FALSE, deposit = FALSE, tip = FALSE, gift_card = FALSE
)

kind_text <- function(kind) gsub("_", " ", kind)

# What stands in the place of goods in the lines of a kind, in a row of its own.
kind_label <- function(kind) paste0("(", kind_text(kind), ")")
kind_labels <- function() kind_label(names(line_kinds))

in_sales <- function(meaning, kind) meaning$kinds[[kind]]$in_sales %||% line_kinds[[kind]]

check_kinds <- function(kinds, call = rlang::caller_env()) {
  if (is.null(kinds)) return(invisible())
  throw_unless(
    checkmate::check_list(kinds, types = "nubrek_rule", min.len = 1L, names = "unique"), "kinds",
    call
  )
  check_values(names(kinds), names(line_kinds), "kinds", call)
  if (isTRUE(kinds$gift_card$in_sales)) {
    abort_nubrek(c(
      "A gift card is no sale: what is bought with it is.",
      "i" = "Leave {.code in_sales} out; a voucher given as a discount is a {.field voucher}."
    ), "argument", call = call)
  }
}

# All rules that pick rows by a column.
row_rules <- function(meaning) {
  c(Filter(Negate(is.null), list(meaning$test, meaning$cancelled)), meaning$kinds)
}

# The kind of each row as its place among the meanings' kinds (the first that picks it), 0 for
# goods; NULL where no kinds are named.
kind_codes <- function(meaning, cells, n) {
  if (is.null(meaning$kinds)) return(NULL)
  code <- integer(n)
  for (k in rev(seq_along(meaning$kinds))) {
    code[rule_rows(meaning$kinds[[k]], cells)] <- k
  }
  code
}

# The rows of each kind that is excluded.
kind_faults <- function(meaning, code) {
  lapply(stats::setNames(names(line_kinds), kind_text(names(line_kinds))), \(kind) {
    k <- match(kind, names(meaning$kinds))
    if (is.na(k) || in_sales(meaning, kind)) integer() else which(code == k)
  })
}

# Lines that are kept with the kind as a column `line_kind`, its label in the place of their goods,
# and no quantity. `goods` are the columns of goods.
lines_by_kind <- function(lines, meaning, goods) {
  code <- lines$.kind
  if (is.null(code)) return(lines)
  lines$.kind <- NULL
  kinds <- names(meaning$kinds)
  lines$line_kind <- structure(code + 1L, levels = c("goods", kinds), class = "factor")
  other <- which(code > 0L)
  if (length(other) == 0L) return(lines)
  for (name in intersect(goods, names(lines))) {
    lines[[name]] <- with_labels(lines[[name]], other, kind_label(kinds)[code[other]])
  }
  if (!is.null(lines$.quantity)) {
    lines$.quantity <- with_labels(lines$.quantity, other, rep(NA_character_, length(other)))
  }
  lines
}

# Cells with other texts at these places.
with_labels <- function(cells, at, labels) {
  levels <- union(levels(cells), stats::na.omit(unique(labels)))
  codes <- cpp_codes(cells)
  codes[at] <- match(labels, levels)
  structure(codes, levels = levels, class = "factor")
}

# Which lines are goods: all, where no kinds are named.
goods_lines <- function(lines) {
  if (is.null(lines$line_kind)) TRUE else lines$line_kind == "goods"
}

# The kind of a row `r` as SQL, by its name or by the label that stands for its goods.
kind_sql <- function(db, meaning, goods = "'goods'", label = identity) {
  if (is.null(meaning$kinds)) return(goods)
  when <- vapply(names(meaning$kinds), \(kind) {
    sprintf("WHEN %s THEN %s", rule_sql(db, meaning$kinds[[kind]]), db_text(db, label(kind)))
  }, "")
  paste("CASE", paste(when, collapse = " "), "ELSE", goods, "END")
}

# Whether a rule picks a row `r`; what is missing is not picked by a blank.
rule_sql <- function(db, rule) {
  sprintf(
    "%s IN (%s)", trimmed(db, paste0("r.", raw_place(db, rule$column))),
    paste(db_text(db, rule$values), collapse = ", ")
  )
}

# What is asked only of goods, as SQL over the columns of the lines: an empty text where all are.
goods_sql <- function(names, prefix = "l") {
  place <- match("line_kind", names)
  if (is.na(place)) "" else paste0(" AND ", prefix, place, " = 'goods'")
}
