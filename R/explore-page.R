# The page to explore: views as tabs, what moves at the side, the table, the call, what is behind.

knob_input <- function(view, knob) {
  id <- paste(view$part, knob$id, sep = "_")
  switch(knob$kind,
    number = number_input(id, knob),
    choice = shiny::selectInput(
      id, knob$label, knob$choices, knob$value, selectize = FALSE, width = "100%"
    ),
    text = shiny::textAreaInput(id, knob$label, knob$value, rows = 4L, width = "100%")
  )
}

# A number to write and to slide. The page tells each move at once; what comes too fast for the desk
# is passed over there.
number_input <- function(id, knob) {
  field <- function(type, high, ...) {
    shiny::tags$input(
      type = type, value = knob$value, min = knob$low, max = high, step = knob$step, ...
    )
  }
  shiny::tags$div(
    class = "knob", `data-id` = id,
    shiny::tags$label(`for` = id, knob$label),
    field("number", knob$high, id = id),
    field("range", knob$slide, `aria-label` = knob$label)
  )
}

# What the lines can be narrowed to: columns of few values.
filter_columns <- function(ledger) {
  there <- intersect(c("channel", "category", "shop", "store"), line_columns(ledger))
  values <- lapply(stats::setNames(nm = there), \(name) line_values(ledger, name))
  values[lengths(values) > 1L & lengths(values) <= 60L]
}

explore_page <- function(start) {
  tab <- function(view) {
    id <- \(what) paste(view$part, what, sep = "_")
    shiny::tabPanel(view$title, value = view$part, shiny::fluidRow(
      shiny::column(3, lapply(start$knobs[[view$part]], \(one) knob_input(view, one))),
      shiny::column(
        9,
        shiny::uiOutput(id("said")),
        shiny::uiOutput(id("drawn")),
        shiny::uiOutput(id("table")),
        shiny::tags$details(
          class = "repeat-it",
          shiny::tags$summary(say("The call and the study section that repeat it")),
          shiny::verbatimTextOutput(id("call")),
          shiny::actionButton(id("save"), say("Save as a study")),
          shiny::textOutput(id("saved"))
        ),
        shiny::uiOutput(id("behind"))
      )
    ))
  }
  shiny::fluidPage(
    theme = bslib::bs_theme(
      version = 5, bg = palette_of[["paper"]], fg = palette_of[["ink"]],
      primary = palette_of[["petrol"]],
      base_font = bslib::font_collection("DejaVu Sans", "Segoe UI", "Arial", "sans-serif")
    ),
    title = paste("nubrek:", start$title),
    lang = "en",
    shiny::tags$head(
      shiny::tags$style(report_asset("explore.css")), shiny::tags$script(report_asset("explore.js"))
    ),
    shiny::tags$h1(start$title),
    shiny::tags$p(class = "basis", start$basis),
    shiny::uiOutput("working"),
    if (length(start$filters) > 0L) {
      shiny::tags$details(
        class = "only",
        shiny::tags$summary(say("Only some lines")),
        shiny::fluidRow(Map(\(name, values) shiny::column(3, shiny::selectInput(
          paste0("only_", name), say("only %s", gsub("_", " ", name)), values,
          multiple = TRUE, width = "100%"
        )), names(start$filters), start$filters))
      )
    },
    do.call(shiny::tabsetPanel, c(list(id = "view"), unname(lapply(explore_views(), tab))))
  )
}

# The table of a view; what can be asked behind is a button with the row it stands for. Written as
# text in one go, everything escaped: a page follows the hand only if it is quick.
explored_table <- function(shown, view) {
  if (shown$kind == "grid") return(explored_grid(shown, view))
  rows <- utils::head(plain_table(shown$x)[shown$columns], 60L)
  kinds <- basis_of(shown$x, "kinds", NULL)
  currency <- basis_of(shown$x, "currency", NULL)
  cells <- lapply(present(with_basis(rows, shown$x)), htmltools::htmlEscape)
  heads <- mapply(
    \(name, column) htmltools::htmlEscape(column_title(name, column, kinds, currency)),
    names(rows), rows
  )
  number <- mapply(is_number_column, names(rows), rows, MoreArgs = list(kinds = kinds))
  if (length(view$pick) > 0L && all(view$pick %in% names(rows)) && nrow(rows) > 0L) {
    cells[[1L]] <- pick_buttons(view, rows[view$pick], cells[[1L]])
  }
  cells <- Map(
    \(text, right) paste0(if (right) "<td class=\"number\">" else "<td>", text, "</td>"),
    cells, number
  )
  body <- if (nrow(rows) > 0L) {
    paste0("<tr>", do.call(paste0, unname(cells)), "</tr>", collapse = "\n")
  }
  table_text(paste0("<th>", heads, "</th>", collapse = ""), body)
}

explored_grid <- function(shown, view) {
  x <- shown$x[!is.na(shown$x$value), ]
  fill <- grid_fill(x$shade)
  label <- htmltools::htmlEscape(x$text)
  cell <- sprintf(
    "<td style=\"background:%s;color:%s\" title=\"%s\">%s</td>", fill, ink_on(fill),
    htmltools::htmlEscape(paste0(x$row, ", ", say("age %s", x$age), ": ", x$text), TRUE),
    pick_buttons(view, x[view$pick], label)
  )
  rows <- unique(shown$x$row)
  whole <- matrix("<td></td>", length(rows), length(shown$columns))
  whole[cbind(match(x$row, rows), match(x$age, shown$columns))] <- cell
  lines <- apply(whole, 1L, paste, collapse = "")
  table_text(
    paste0("<th>", c(say("cohort"), shown$columns), "</th>", collapse = ""),
    paste0("<tr><th>", htmltools::htmlEscape(rows), "</th>", lines, "</tr>", collapse = "\n"),
    "grid"
  )
}

table_text <- function(head, body, class = "plain") {
  htmltools::HTML(sprintf(
    paste0(
      "<div class=\"table\"><table class=\"%s\"><thead><tr>%s</tr></thead>",
      "<tbody>%s</tbody></table></div>"
    ),
    class, head, body %||% ""
  ))
}

# A button for each row, with what picks it.
pick_buttons <- function(view, rows, text) {
  sprintf("<button type=\"button\" %s>%s</button>", pick_attributes(view, rows), text)
}

pick_attributes <- function(view, rows) {
  known <- lapply(rows, \(x) {
    said <- if (is.numeric(x)) format(x, digits = 15L, trim = TRUE) else as.character(x)
    quoted <- paste0("\"", said, "\"")
    odd <- grepl("[\"\\\\[:cntrl:]]", said)
    quoted[odd] <- vapply(said[odd], \(one) unclass(jsonlite::toJSON(one, auto_unbox = TRUE)), "")
    ifelse(is.na(x), "null", quoted)
  })
  parts <- Map(\(name, values) paste0("\"", name, "\":", values), names(known), known)
  key <- paste0("{", do.call(paste, c(unname(parts), sep = ",")), "}")
  sprintf(
    "class=\"pick\" data-view=\"%s\" data-key=\"%s\"", view$part,
    htmltools::htmlEscape(key, TRUE)
  )
}
