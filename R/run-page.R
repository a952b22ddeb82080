# The report: sections in the order an analyst works, each made of the records of its parts.

report_sections <- list(
  data = list(link = "Data", title = "The data", terms = \(run) data_terms(run)),
  `repeat` = list(
    link = "Repeat buying",
    title = "Do customers come back?",
    finding = "repeat",
    terms = \(run) repeat_terms()
  ),
  cohorts = list(link = "Cohorts", title = "First-purchase cohorts", terms = \(run) cohort_terms()),
  rfm = list(link = "Ranks and scores", title = "Who is best?", terms = \(run) rank_terms()),
  tiers = list(link = "Tiers", title = "Loyalty tiers", terms = \(run) tier_terms()),
  audiences = list(
    link = "Audiences", title = "Audiences", terms = \(run) audience_terms()
  ),
  campaigns = list(
    link = "Campaigns", title = "Did it work, and our share", terms = \(run) campaign_terms()
  ),
  forecast = list(
    link = "Forecast",
    title = "What customers will bring",
    finding = "forecast",
    terms = \(run) forecast_terms()
  ),
  worth = list(
    link = "Worth",
    title = "What a customer is worth",
    finding = "worth",
    terms = \(run) worth_terms()
  ),
  trust = list(
    link = "Trust",
    title = "How far to trust the forecasts",
    finding = "backtest",
    terms = \(run) trust_terms()
  ),
  proof = list(link = "Proof", title = "Proof of totals", finding = "proof")
)

# A section, if the run has any part of it.
one_section <- function(id, run) {
  section <- report_sections[[id]]
  parts <- Filter(
    \(part) part$section == id && !is.null(part$report) && !is.null(run[[part$name]]),
    part_records()
  )
  if (length(parts) == 0L) return(NULL)
  html_section(
    id,
    section$title,
    finding = if (!is.null(section$finding)) describe(run[[section$finding]])$finding,
    part_pages(parts, run),
    if (!is.null(section$terms)) html_terms(section$terms(run))
  )
}

# Each part, and what to mind of it; a section says each remark once.
part_pages <- function(parts, run) {
  told <- character()
  lapply(unname(parts), \(part) {
    notes <- unique(unlist(lapply(run[part$remarks], \(x) remarks(x)$remark), use.names = FALSE))
    fresh <- setdiff(notes, told)
    told <<- c(told, fresh)
    htmltools::tagList(part$report(run), html_remarks(fresh))
  })
}

# What the parts found, those about customers before those about the data.
report_answers <- function(run) {
  parts <- Filter(\(part) !is.null(part$answer) && !is.null(run[[part$name]]), part_records())
  section <- vapply(parts, `[[`, "", "section")
  parts <- parts[order(section %in% c("data", "proof"))]
  report_findings(lapply(parts, \(part) part$answer(run)), vapply(parts, `[[`, "", "section"))
}

#' Write the report of a study
#'
#' One HTML file that needs nothing else: style, script and figures are inside. Text from the data
#' is escaped.
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
  sections <- Filter(
    Negate(is.null), lapply(stats::setNames(nm = names(report_sections)), one_section, run)
  )
  links <- vapply(report_sections[names(sections)], `[[`, "", "link")
  head <- tags$head(
    tags$meta(charset = "utf-8"),
    tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
    tags$title(title),
    tags$style(report_asset("report.css"))
  )
  page_body <- tags$body(
    tags$nav(
      tags$strong("Nubrek"),
      lapply(names(sections), \(id) tags$a(href = paste0("#", id), links[[id]]))
    ),
    tags$main(
      tags$header(tags$h1(title), tags$p(class = "basis", paste0(
        basis_line(run$audit), "; history from ", format_day(run$ledger$history_start), "."
      ))),
      report_cards(run),
      report_answers(run),
      unname(sections)
    ),
    tags$script(report_asset("report.js"))
  )
  page <- htmltools::renderTags(htmltools::tagList(head, page_body)) # gives the head apart
  text <- enc2utf8(paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n",
    page$head,
    "\n</head>\n",
    page$html,
    "\n</html>\n"
  ))
  write_bytes(charToRaw(text), path)
}
