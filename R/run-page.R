# The report: sections in the order an analyst works, each made of the records of its parts.

# `lead`: the part whose first block stands open; others fold under their questions.
report_sections <- list(
  changes = list(link = "Since last time", title = "What has changed", lead = "changes"),
  data = list(link = "Data", title = "The data", lead = "audit", terms = \(run) data_terms(run)),
  `repeat` = list(
    link = "Repeat buying",
    title = "Do customers come back?",
    lead = "repeat",
    terms = \(run) repeat_terms()
  ),
  cohorts = list(
    link = "Cohorts",
    title = "First-purchase cohorts",
    lead = "cohorts",
    terms = \(run) cohort_terms()
  ),
  rfm = list(
    link = "Ranks and scores", title = "Who is best?", lead = "rfm", terms = \(run) rank_terms()
  ),
  tiers = list(
    link = "Tiers", title = "Loyalty tiers", lead = "tiers", terms = \(run) tier_terms()
  ),
  audiences = list(
    link = "Audiences", title = "Audiences", lead = "audiences", terms = \(run) audience_terms()
  ),
  campaigns = list(
    link = "Campaigns",
    title = "Did it work, and our share",
    lead = "effects",
    terms = \(run) campaign_terms()
  ),
  forecast = list(
    link = "Forecast",
    title = "What customers will bring",
    lead = "coming",
    terms = \(run) forecast_terms()
  ),
  worth = list(
    link = "Worth",
    title = "What a customer is worth",
    lead = "worth",
    terms = \(run) worth_terms()
  ),
  trust = list(
    link = "Trust",
    title = "How far to trust the forecasts",
    lead = "backtest",
    terms = \(run) trust_terms()
  ),
  proof = list(link = "Proof", title = "Proof of totals", lead = "proof")
)

# The parts of a run that a page shows, with what they say there.
parts_shown <- function(run) {
  Filter(\(part) !is.null(part$page) && !is.null(run[[part$name]]), part_records())
}

# A section: its blocks, each with the remarks of its part; nothing where the run has none.
section_blocks <- function(id, run) {
  parts <- Filter(\(part) part$section == id, parts_shown(run))
  lead <- report_sections[[id]]$lead
  parts <- parts[order(names(parts) != lead)]
  found <- lapply(parts, \(part) {
    notes <- unique(unlist(lapply(run[part$remarks], \(x) remarks(x)$remark), use.names = FALSE))
    lapply(blocks_of(part$page(run)), \(block) {
      block$remarks <- unique(c(notes, block$remarks))
      block
    })
  })
  found <- found[lengths(found) > 0L]
  # beside its part, or first in the section where the part has no place of its own
  for (part in intersect(unique(run$notes$part), parts_with(\(part) part$section == id))) {
    if (length(found) == 0L) break
    at <- if (part %in% names(found)) part else 1L
    found[[at]][[1L]]$notes <- c(found[[at]][[1L]]$notes, notes_of(run$notes, part))
  }
  unlist(unname(found), recursive = FALSE)
}

html_section <- function(page, id, blocks, run) {
  if (length(blocks) == 0L) return(NULL)
  tags <- htmltools::tags
  section <- report_sections[[id]]
  signal_progress(paste("drawing", section$title))
  one <- \(block, open = FALSE) html_block(page, block, open)
  tags$section(
    id = id,
    tags$h2(say(section$title)),
    one(blocks[[1L]], open = TRUE),
    tags$div(
      class = "folds",
      lapply(blocks[-1L], one),
      if (!is.null(section$terms)) {
        tags$details(
          class = "fold",
          id = paste0(id, "-words"),
          tags$summary(say("What do the words mean?")),
          html_terms(page, section$terms(run))
        )
      }
    )
  )
}

# Sections with their questions.
html_contents <- function(blocks) {
  tags <- htmltools::tags
  tags$nav(
    class = "contents",
    `aria-label` = "Contents",
    tags$a(class = "top", href = "#top", "Nubrek"),
    lapply(names(blocks), \(id) {
      section <- report_sections[[id]]
      tags$details(
        tags$summary(tags$a(href = paste0("#", id), say(section$link))),
        tags$ul(lapply(blocks[[id]][-1L], \(block) tags$li(
          tags$a(href = paste0("#", block$id), block$question)
        )))
      )
    }),
    tags$a(href = "#remarks", say("What to mind")),
    tags$button(type = "button", id = "print-all", say("Print with everything open"))
  )
}

html_remarks <- function(page) {
  tags <- htmltools::tags
  if (length(page$remarks) == 0L) return(NULL)
  tags$section(id = "remarks", tags$h2(say("What to mind")), tags$ol(
    class = "remarks",
    lapply(seq_along(page$remarks), \(i) tags$li(id = paste0("remark-", i), page$remarks[[i]]))
  ))
}

# What the parts found, with the section each is of.
run_findings <- function(run) {
  parts <- Filter(\(part) !is.null(part$findings), parts_shown(run))
  found <- lapply(unname(parts), \(part) {
    if (trust_level(run[[part$name]]) == "none") return(NULL)
    given <- part$findings(run)
    given <- if (is.null(given$text)) given else list(given)
    lapply(Filter(Negate(is.null), given), \(one) c(one, list(section = part$section)))
  })
  total <- run[["repeat"]]
  chosen_findings(
    unlist(found, recursive = FALSE), sum(total$sales) / years_of(run), sum(total$customers)
  )
}

#' Write the report of a study
#'
#' One HTML file that needs nothing else: style, script and figures are inside. Text from the data
#' is escaped.
#'
#' @section First screen: The numbers in sentences, then five to seven findings. A part offers a
#'   finding with the customers it stands on, the money it is about, whether it is about the newest
#'   time and whether it is beyond chance. Those on fewer than 30 customers, or within chance, are
#'   left out. The others weigh their money as a share of the sales of a year (without money: their
#'   customers as a share of all), twice if they are about the newest time. The weightiest of each
#'   section come first, seven in all.
#' @section People: No names, contacts or ids of people stand in a report, unless the study says
#'   `outputs: people: yes` (or `pseudonyms`, with the file of a `key`, see [pseudonyms()]). Groups
#'   of fewer than `outputs: least` customers (5) are not shown apart.
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
  before <- study_forms(run$study)
  on.exit(options(before))
  write_report(run, path)
  invisible(path)
}

# Gives the pictures that stand in the report.
write_report <- function(run, path) {
  tags <- htmltools::tags
  page <- new_page(run)
  title <- run$study$study %||% say("Customers and repeat buying")
  blocks <- Filter(
    \(found) length(found) > 0L,
    lapply(stats::setNames(nm = names(report_sections)), section_blocks, run)
  )
  signal_progress("drawing the figures")
  figures <- lapply(unlist(unname(blocks), recursive = FALSE), `[[`, "figures")
  pictures <- page_pictures(unlist(unname(figures), recursive = FALSE), run$study$results)
  blocks <- with_pictures(blocks, pictures)
  sections <- unname(Map(\(id, found) html_section(page, id, found, run), names(blocks), blocks))
  people <- people_words(page)
  first <- tags$header(
    id = "top",
    tags$h1(title),
    tags$p(class = "basis", paste0(
      basis_line(run$audit), say("; history from "), format_day(run$ledger$history_start), "."
    )),
    if (!is.null(people)) tags$p(class = "people", people),
    page_band(run),
    html_findings(run_findings(run)),
    tags$p(class = "proved", tags$a(href = "#proof", describe(run$proof)$finding))
  )
  # styles and remarks are known when everything is drawn
  head <- htmltools::tagList(
    tags$meta(charset = "utf-8"),
    tags$meta(`http-equiv` = "Content-Security-Policy", content = page_policy(page_scripts)),
    tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
    tags$title(title),
    tags$style(report_asset("report.css")),
    tags$style(htmltools::HTML(style_sheet(page$styles)))
  )
  page_body <- tags$body(
    `data-mark` = decimal_sign(),
    html_contents(blocks),
    tags$main(first, sections, html_remarks(page)),
    page_texts(),
    lapply(page_scripts, \(name) tags$script(report_asset(name)))
  )
  text <- enc2utf8(paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n",
    htmltools::doRenderTags(head),
    "\n</head>\n",
    htmltools::doRenderTags(page_body),
    "\n</html>\n"
  ))
  write_bytes(charToRaw(text), path)
  pictures
}

# What a browser may do for the page: run our own scripts, known by their hashes, and nothing else;
# nothing is fetched or sent.
page_policy <- function(scripts) {
  hashes <- vapply(scripts, \(name) {
    hex <- cli::hash_sha256(as.character(report_asset(name)))
    bytes <- as.raw(strtoi(substring(hex, seq(1L, 63L, 2L), seq(2L, 64L, 2L)), 16L))
    paste0("'sha256-", jsonlite::base64_enc(bytes), "'")
  }, "")
  paste0(
    "default-src 'none'; script-src ", paste(hashes, collapse = " "),
    "; style-src 'unsafe-inline'; img-src data:; base-uri 'none'; form-action 'none'"
  )
}

# The blocks of all sections, each figure with its picture; these come in the order of the figures.
with_pictures <- function(blocks, pictures) {
  place <- 0L
  for (id in names(blocks)) {
    for (i in seq_along(blocks[[id]])) {
      for (k in seq_along(blocks[[id]][[i]]$figures)) {
        place <- place + 1L
        blocks[[id]][[i]]$figures[[k]]$picture <- pictures[[place]]
      }
    }
  }
  blocks
}
