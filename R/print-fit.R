#' @export
print.nubrek_purchase_model <- function(x, ...) {
  writeLines(c(cli::style_bold(paste("Model", x$name)), paste0(names(x$parameters), " = ", signif(x$parameters, 5), collapse = ", ")))
  invisible(x)
}
#' @export
print.nubrek_spend_model <- print.nubrek_purchase_model

#' @export
print.nubrek_purchases <- function(x, ...) {
  error <- if (is.null(x$vcov) || !x$converged) NA_real_ * x$parameters else sqrt(diag(x$vcov))
  table <- data.frame(parameter = names(x$parameters), estimate = signif(x$parameters, 5), low = signif(x$parameters * exp(-1.96 * error), 5),
                      high = signif(x$parameters * exp(1.96 * error), 5))
  writeLines(c(cli::style_bold(paste("Fit of", x$name)), paste0(format_count_plain(x$nobs), " customers, log-likelihood ", formatC(x$log_lik, format = "f", digits = 1L)), ""))
  print(table, row.names = FALSE)
  writeLines(remark_lines(x))
  invisible(x)
}
#' @export
print.nubrek_spend <- print.nubrek_purchases
