# The page to explore, served on this machine alone.

#' Explore a study in the browser
#'
#' Cut-offs, clocks, shares, costs, margins, look-backs and rules move by hand, all of a study or
#' only some channels and categories; a click on a number shows the orders behind it; every view
#' shows the R call and the sections of a study that repeat it, and saves them as a study beside the
#' first, which gives the same numbers. Needs the packages shiny and bslib.
#'
#' The page is served on the loopback interface only, on a free port, and answers only to who knows
#' the token in its address. Orders behind a number carry the ids of customers (pseudonyms, if the
#' study says `outputs: people: pseudonyms`), never names or contacts.
#'
#' @param study `[character(1) | nubrek_study]` A study file, or one read by [read_study()].
#' @param port `[integer(1)]` Default a free one.
#' @param address `[character(1)]` Where to listen. Another address than `"127.0.0.1"` lets other
#'   machines see the data, which a warning tells.
#' @param open `[logical(1)]` Open it in the browser?
#' @return Nothing; it ends when stopped.
#' @section Errors: `nubrek_error_package` without shiny and bslib.
#' @examples
#' if (interactive()) {
#'   explore_study(system.file("pellmere", "study.yaml", package = "nubrek"))
#' }
#' @export
explore_study <- function(study, port = NULL, address = "127.0.0.1", open = interactive()) {
  check_whole(port, lower = 1L, null = TRUE)
  check_text(address)
  throw_unless(checkmate::check_flag(open), "open", rlang::current_env())
  for (package in c("shiny", "bslib")) {
    need_package(package, "the page to explore", rlang::current_env())
  }
  if (!inherits(study, "nubrek_study")) study <- read_study(study)
  if (!address %in% c("127.0.0.1", "::1", "localhost")) {
    rlang::warn(say(
      "The page listens on %s: whoever reaches it and knows its address sees the data.", address
    ), class = "nubrek_warning_network")
  }
  token <- secret_token()
  port <- port %||% free_port(address)
  where <- sprintf("http://%s:%d/?token=%s", address, port, token)
  signal_progress("opening the ledger")
  app <- explore_app(new_exploration(study), token)
  rlang::inform(say("Explore at %s (stop with Ctrl-C)", where))
  shiny::runApp(app, port = port, host = address, launch.browser = if (open) {
    \(url) utils::browseURL(where)
  } else {
    FALSE
  }, quiet = TRUE)
  invisible()
}

free_port <- function(address) {
  getExportedValue("httpuv", "randomPort")(host = address)
}

# Nobody can guess it; drawn beside R's own random numbers, which stay as they are.
secret_token <- function() {
  bytes <- tryCatch(
    suppressWarnings(readBin("/dev/urandom", "raw", 16L)), error = \(e) raw()
  )
  if (length(bytes) == 16L) return(paste(format(bytes), collapse = ""))
  rlang::hash(list(Sys.time(), Sys.getpid(), proc.time(), tempfile(), stats::runif))
}

# The page and what answers it; without the token there is nothing.
explore_app <- function(state, token) {
  known <- \(query) identical(shiny::parseQueryString(query %||% "")$token, token)
  page <- NULL
  shiny::shinyApp(
    ui = function(request) {
      if (!known(request$QUERY_STRING)) return(shiny::tags$p("403"))
      if (is.null(page)) page <<- explore_page(state)
      page
    },
    server = function(input, output, session) {
      if (!known(shiny::isolate(session$clientData$url_search))) return(session$close())
      explore_server(state, input, output)
    }
  )
}

explore_server <- function(state, input, output) {
  filters <- names(filter_columns(state$ledger))
  lines <- shiny::reactive(stats::setNames(
    lapply(filters, \(name) input[[paste0("only_", name)]]), filters
  ))
  for (view in explore_views()) {
    local({
      view <- view
      serve_view(state, view, input, output, lines)
    })
  }
}

serve_view <- function(state, view, input, output, lines) {
  id <- \(what) paste(view$part, what, sep = "_")
  knobs <- view$knobs(state$study, state$ledger)
  values <- shiny::reactive({
    given <- lapply(knobs, \(knob) knob_value(knob, input[[id(knob$id)]]))
    stats::setNames(given, vapply(knobs, `[[`, "", "id"))
  })
  # an error of ours is said where the table would stand
  result <- shiny::reactive(tryCatch(
    explored_result(state, view, values(), lines()), nubrek_error = identity
  ))
  output[[id("said")]] <- shiny::renderUI({
    x <- result()
    if (inherits(x, "nubrek_error")) {
      return(shiny::tags$p(class = "wrong", cli::ansi_strip(conditionMessage(x))))
    }
    shiny::tags$p(class = "finding", describe(x)$finding)
  })
  output[[id("table")]] <- shiny::renderUI({
    x <- result()
    if (!inherits(x, "nubrek_error")) explored_table(view$show(x, values()), view)
  })
  output[[id("call")]] <- shiny::renderText(paste(c(
    explored_call(state, view, values(), lines()), "",
    yaml::as.yaml(explored_section(state, view, values(), lines()))
  ), collapse = "\n"))
  output[[id("saved")]] <- shiny::renderText({
    shiny::req(input[[id("save")]] > 0)
    say("Saved: %s", shiny::isolate(save_explored(state, view, values(), lines())))
  })
  output[[id("behind")]] <- shiny::renderUI({
    asked <- input$picked
    shiny::req(identical(asked$view, view$part))
    shiny::isolate(explored_behind(state, view, values(), lines(), asked$key))
  })
}

# A number within its limits; what is no number leaves it as it was.
knob_value <- function(knob, given) {
  if (is.null(given)) return(knob$value)
  if (knob$kind != "number") return(given)
  if (!checkmate::test_number(given, finite = TRUE)) return(knob$value)
  min(knob$high, max(knob$low, given))
}

explored_behind <- function(state, view, values, lines, key) {
  tags <- shiny::tags
  picked <- jsonlite::fromJSON(key)
  picked <- lapply(picked, \(x) if (is.null(x)) NA else utils::type.convert(x, as.is = TRUE))
  orders <- tryCatch(
    explored_orders(state, view, values, lines, picked), nubrek_error = identity
  )
  if (inherits(orders, "nubrek_error")) {
    return(tags$p(class = "wrong", cli::ansi_strip(conditionMessage(orders))))
  }
  shown <- utils::head(orders, 50L)
  if (people_shown(state$study) == "pseudonyms") {
    shown$customer <- pseudonyms(as.character(shown$customer), state$study$outputs$key)
  }
  tags$section(
    class = "behind",
    tags$h2(say("Behind it")),
    tags$p(class = "finding", describe(orders)$finding),
    explored_table(plain_rows(shown), list(pick = character()))
  )
}
