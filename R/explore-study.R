# The page to explore, served on this machine alone.

#' Explore a study in the browser
#'
#' Cut-offs, clocks, shares, costs, margins, look-backs and rules move by hand, all of a study or
#' only some channels and categories; a click on a number shows the orders behind it; every view
#' shows the R call and the sections of a study that repeat it, and saves them as a study beside the
#' first, which gives the same numbers. The work is done in a second process: what takes long says
#' so and can be stopped. Needs the packages shiny, bslib and callr.
#'
#' The page is served on the loopback interface only, on a free port. It answers only to who opens
#' the address that is printed, by the token in it: the browser keeps that in a cookie, and the
#' address says it no more. Requests by another name or from another page are refused. Orders
#' behind a number carry the ids of customers (pseudonyms, if the study says `outputs: people:
#' pseudonyms`), never names or contacts.
#'
#' @param study `[character(1) | nubrek_study]` A study file, or one read by [read_study()].
#' @param port `[integer(1)]` Default a free one.
#' @param address `[character(1)]` Where to listen. Another address than `"127.0.0.1"` lets other
#'   machines see the data, which a warning tells.
#' @param open `[logical(1)]` Open it in the browser?
#' @return Nothing; it ends when stopped.
#' @section Errors: `nubrek_error_package` without shiny, bslib and callr.
#' @examples
#' if (interactive()) {
#'   explore_study(system.file("pellmere", "study.yaml", package = "nubrek"))
#' }
#' @export
explore_study <- function(study, port = NULL, address = "127.0.0.1", open = interactive()) {
  check_whole(port, lower = 1L, null = TRUE)
  check_text(address)
  throw_unless(checkmate::check_flag(open), "open", rlang::current_env())
  for (package in c("shiny", "bslib", "callr")) {
    need_package(package, "the page to explore", rlang::current_env())
  }
  if (!inherits(study, "nubrek_study")) study <- read_study(study)
  if (!address %in% loopback) {
    rlang::warn(say(
      "The page listens on %s: whoever reaches it and knows its address sees the data.", address
    ), class = "nubrek_warning_network")
  }
  token <- secret_token()
  port <- port %||% free_port(address)
  where <- sprintf("http://%s:%d/?token=%s", in_brackets(address), port, token)
  desk <- new_desk(study)
  on.exit(close_desk(desk))
  # nothing is uploaded
  before <- options(shiny.maxRequestSize = 1)
  on.exit(options(before), add = TRUE)
  app <- explore_app(desk, desk_start(desk), token, address, port)
  rlang::inform(say("Explore at %s (stop with Ctrl-C)", where))
  shiny::runApp(app, port = port, host = address, launch.browser = if (open) {
    \(url) open_page(where)
  } else {
    FALSE
  }, quiet = TRUE)
  invisible()
}

free_port <- function(address) {
  getExportedValue("httpuv", "randomPort")(host = address)
}

# The page and what answers it; without the token there is nothing.
explore_app <- function(desk, start, token, address, port) {
  own <- \(request) is_own_request(request, address, port)
  page <- NULL
  shiny::shinyApp(
    ui = function(request) {
      if (!own(request) || request$REQUEST_METHOD != "GET") return(refused_page())
      given <- shiny::parseQueryString(request$QUERY_STRING %||% "")$token
      if (identical(given, token)) return(let_in_page(token, port))
      if (!is.null(given) || !has_cookie(request, token, port)) return(refused_page())
      if (is.null(page)) page <<- explore_page(start)
      page
    },
    server = function(input, output, session) {
      known <- own(session$request) && has_cookie(session$request, token, port)
      if (!known) return(session$close())
      explore_server(desk, start, input, output, session)
    }
  )
}

explore_server <- function(desk, start, input, output, session) {
  views <- explore_views()
  filters <- names(start$filters)
  lines <- shiny::reactive(let_in$lines(stats::setNames(
    lapply(filters, \(name) input[[paste0("only_", name)]]), filters
  ), start))
  slot <- \(what) paste(session$token, what)
  answers <- shiny::reactiveValues()
  turn <- shiny::reactiveVal(0L)
  working <- shiny::reactiveVal(NULL)
  ask <- function(what, view, more = list(), done) {
    desk_ask(desk, slot(what), c(list(
      what = what, part = view, values = knob_values(start$knobs[[view]], input, view),
      lines = lines()
    ), more), done)
    turn(shiny::isolate(turn()) + 1L)
  }
  # only what is looked at is asked for, again whenever it moves
  shiny::observe({
    view <- shiny::req(let_in$view(input$view, start))
    width <- let_in$room(input$room, start)
    ask("answer", view, list(width = width), \(x) answers[[view]] <- x)
  })
  shiny::observeEvent(input$picked, {
    picked <- shiny::req(let_in$picked(input$picked, start))
    view <- picked$view
    ask("behind", view, list(key = picked$key), \(x) {
      answers[[paste(view, "behind")]] <- x$html %||% wrong_text(x)
    })
  })
  lapply(views, \(view) serve_view(view, input, output, answers, ask))
  shiny::observe({
    turn()
    desk_step(desk)
    working(desk_words(desk))
    if (desk_busy(desk)) shiny::invalidateLater(15, session)
  })
  output$working <- shiny::renderUI({
    words <- shiny::req(working())
    shiny::tags$div(
      class = "working", shiny::tags$span(words), shiny::actionButton("stop", say("Stop"))
    )
  })
  shiny::observeEvent(input$stop, {
    desk_stop(desk)
    turn(turn() + 1L)
  })
}

serve_view <- function(view, input, output, answers, ask) {
  part <- view$part
  id <- \(what) paste(part, what, sep = "_")
  answer <- \() shiny::req(answers[[part]])
  output[[id("said")]] <- shiny::renderUI({
    x <- answer()
    if (!is.null(x$wrong)) return(wrong_text(x))
    shiny::tagList(
      shiny::tags$p(class = "finding", x$said),
      lapply(x$notes, \(note) shiny::tags$p(class = "note", note))
    )
  })
  output[[id("drawn")]] <- shiny::renderUI(answer()$drawn)
  output[[id("table")]] <- shiny::renderUI(answer()$table)
  output[[id("call")]] <- shiny::renderText(answer()$call)
  shiny::observeEvent(input[[id("save")]], ask("save", part, list(), \(x) {
    answers[[id("saved")]] <- x$wrong %||% say("Saved: %s", x$path)
  }))
  output[[id("saved")]] <- shiny::renderText(shiny::req(answers[[id("saved")]]))
  output[[id("behind")]] <- shiny::renderUI(answers[[paste(part, "behind")]])
}

wrong_text <- function(x) shiny::tags$p(class = "wrong", x$wrong)

knob_values <- function(knobs, input, view) {
  given <- lapply(knobs, \(knob) knob_value(knob, input[[paste(view, knob$id, sep = "_")]]))
  stats::setNames(given, vapply(knobs, `[[`, "", "id"))
}
