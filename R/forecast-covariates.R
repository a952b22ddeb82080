# Covariates: attributes of the customer that multiply the rate of buying and the rate of leaving
# (their odds where a probability is mixed).

# Two formulas from what the user said; one formula serves both rates.
covariate_formulas <- function(covariates, call = rlang::caller_env()) {
  if (is.null(covariates)) return(NULL)
  one <- \(x) inherits(x, "formula") && length(x) == 2L
  told <- if (one(covariates)) list(rate = covariates, dropout = covariates) else covariates
  if (
    !is.list(told) ||
      length(told) == 0L ||
      is.null(names(told)) ||
      !all(names(told) %in% c("rate", "dropout")) ||
      !all(vapply(told, one, NA))
  ) {
    abort_nubrek(c(
      "{.arg covariates} must be a formula without a left side, or a list of two.",
      "i" = paste0(
        "Such as {.code ~ first_channel}, or ",
        "{.code list(rate = ~ first_channel, dropout = ~ age)}."
      )
    ), "argument", call = call)
  }
  result <- list(rate = told$rate %||% ~1, dropout = told$dropout %||% ~1)
  if (length(formula_variables(result)) > 0L) result
}

formula_variables <- function(formulas) unique(unlist(lapply(formulas, all.vars)))

# Text becomes a factor with the most frequent level first (the base), nothing known a level of its
# own; numbers are counted from their mean.
read_variables <- function(data, variables, count, call) {
  check_columns_exist(variables, names(data), "the history", call)
  lapply(stats::setNames(nm = variables), function(name) {
    x <- data[[name]]
    if (is.numeric(x)) {
      if (any(!is.finite(x))) {
        abort_nubrek(c(
          "The covariate {.field {name}} is a number and missing in {sum(!is.finite(x))} row{?s}.",
          "i" = "Make it a band ({.fn band}): a missing value is then a group."
        ), "history", call = call)
      }
      return(list(mean = sum(x * count) / sum(count)))
    }
    size <- tapply(count, with_missing(x), sum)
    list(levels = names(size)[order(-size, names(size))])
  })
}

new_design <- function(formulas, data, count, call = rlang::caller_env()) {
  variables <- formula_variables(formulas)
  known <- read_variables(data, variables, count, call)
  design <- list(formulas = formulas, variables = variables, known = known, buying = 0L)
  found <- apply_design(design, data)
  columns <- found$columns
  weight <- as.double(rowsum(count, found$set, reorder = TRUE))
  design$buying <- sum(attr(columns, "part") == "rate")
  design$names <- rownames(columns)
  design$means <- drop(columns %*% weight) / sum(weight)
  design$spread <- sqrt(pmax(0, drop(columns^2 %*% weight) / sum(weight) - design$means^2))
  flat <- design$names[design$spread < 1e-12]
  if (length(flat) > 0L) {
    abort_nubrek(c(
      "A covariate that is the same for everybody tells nothing: {.field {flat}}.",
      "i" = "Leave it out."
    ), "history", call = call)
  }
  for (part in c("rate", "dropout")) {
    mine <- columns[attr(columns, "part") == part, , drop = FALSE]
    if (nrow(mine) > 0L && qr(t(rbind(1, mine)))$rank <= nrow(mine)) {
      abort_nubrek(c(
        "The covariates of the {part} say the same thing twice.",
        "x" = "The columns are {.field {rownames(mine)}}."
      ), "history", call = call)
    }
  }
  design
}

# The columns of each distinct combination of covariates (one column of the matrix each), and which
# one each row has. A level that the fit has not seen stands at the mean of all.
apply_design <- function(design, data) {
  check_columns_exist(design$variables, names(data), "the history", rlang::caller_env())
  coded <- lapply(design$variables, \(name) {
    x <- data[[name]]
    known_values <- design$known[[name]]
    if (!is.null(known_values$levels)) {
      factor(with_missing(x), known_values$levels)
    } else {
      as.double(x) - known_values$mean
    }
  })
  frame <- as.data.table(stats::setNames(coded, design$variables))
  number <- frame[, .place := .GRP, by = c(design$variables)]$.place
  distinct <- as.data.frame(frame)[!duplicated(number), design$variables, drop = FALSE]
  parts <- lapply(names(design$formulas), function(part) {
    columns <- stats::model.matrix(design$formulas[[part]], stats::model.frame(
      design$formulas[[part]], distinct, na.action = stats::na.pass
    ))
    columns <- t(columns[, colnames(columns) != "(Intercept)", drop = FALSE])
    rownames(columns) <- paste0(
      part, ": ", column_words(rownames(columns), design$known), recycle0 = TRUE
    )
    columns
  })
  columns <- do.call(rbind, parts)
  unseen <- which(is.na(columns), arr.ind = TRUE)
  if (nrow(unseen) > 0L) columns[unseen] <- design$means[unseen[, 1L]]
  attr(columns, "part") <- rep(c("rate", "dropout"), vapply(parts, nrow, 0L))
  list(columns = columns, set = number)
}

# A level that the fit has not seen is said, once.
warn_unseen <- function(design, data) {
  for (name in design$variables) {
    values <- design$known[[name]]$levels
    unseen <- if (!is.null(values)) setdiff(unique(with_missing(data[[name]])), values)
    if (length(unseen) > 0L) {
      rlang::warn(
        sprintf(
          "The fit has not seen %s %s: such customers stand at the mean of all.",
          name,
          toString(dQuote(unseen, FALSE), 60L)
        ),
        class = c("nubrek_warning_level", "nubrek_warning"),
        .frequency = "regularly",
        .frequency_id = paste(c(name, values, unseen), collapse = "|")
      )
    }
  }
}

# Many groups of few customers each tell little.
group_remark <- function(design, penalty) {
  many <- Filter(\(v) length(v$levels) > 30L, design$known)
  if (length(many) == 0L || !identical(penalty, 0)) return(NULL)
  remark_table("covariates", say(
    "%s has %d groups, many of them small: cut it into bands, or set a penalty.",
    names(many),
    lengths(lapply(many, `[[`, "levels"))
  ))
}

# "channelweb" of a level is "channel web".
column_words <- function(names, known) {
  for (variable in names(known)) {
    quoted <- paste0("`", variable, "`")
    names[names == quoted] <- variable
    for (level in known[[variable]]$levels) {
      names[names %in% paste0(c(variable, quoted), level)] <- paste(variable, level)
    }
  }
  names
}

# The customers' attributes beside their histories.
with_attributes <- function(history, ledger, variables, call = rlang::caller_env()) {
  if (length(variables) == 0L) return(history)
  check_columns_exist(variables, attribute_names(ledger), "the customers' attributes", call)
  known <- known_attributes(ledger, variables)
  place <- ledger_codes(ledger, history$customer)
  for (name in variables) {
    history[[name]] <- known[[name]][place]
  }
  history
}
