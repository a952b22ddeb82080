#' Write the report of a study
#'
#' One HTML file that needs nothing else: style, script and figures are inside. Text from the data is escaped.
#'
#' @param run `[nubrek_run]` From [run_study()].
#' @param path `[character(1)]` Ending in `.html`.
#' @return The path, invisibly. The file is there whole, or not at all.
#' @examples
#' \donttest{
#' run <- run_study(system.file("pellmere", "study.yaml", package = "nubrek"), folder = NA)
#' render_report(run, tempfile(fileext = ".html"))
#' }
#' @export
render_report <- function(run, path) {
  throw_unless(checkmate::check_class(run, "nubrek_run"), "run", rlang::current_env())
  check_choice(tolower(tools::file_ext(path)), "html", arg = "path")
  tags <- htmltools::tags
  title <- run$study$study %||% "Customers and repeat buying"
  sections <- list(data = report_data(run), `repeat` = report_repeat(run), cohorts = report_cohorts(run), rfm = report_rfm(run), tiers = report_tiers(run),
                   forecast = report_forecast(run), worth = report_worth(run), trust = report_trust(run), proof = report_proof(run))
  sections <- Filter(Negate(is.null), sections)
  links <- c(data = "Data", `repeat` = "Repeat buying", cohorts = "Cohorts", rfm = "Ranks and scores", tiers = "Tiers", forecast = "Forecast", worth = "Worth", trust = "Trust", proof = "Proof")
  head <- tags$head(tags$meta(charset = "utf-8"), tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"), tags$title(title),
                    tags$style(report_asset("report.css")))
  body <- tags$body(
    tags$nav(tags$strong("Nubrek"), lapply(names(sections), \(id) tags$a(href = paste0("#", id), links[[id]]))),
    tags$main(tags$header(tags$h1(title), tags$p(class = "basis", paste0(basis_line(run$audit), "; history from ", format_day(run$ledger$history_start), "."))),
              report_answers(run), unname(sections)),
    tags$script(report_asset("report.js")))
  page <- htmltools::renderTags(htmltools::tagList(head, body))    # gives the head apart
  text <- enc2utf8(paste0("<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n", page$head, "\n</head>\n", page$html, "\n</html>\n"))
  write_bytes(charToRaw(text), path)
}
