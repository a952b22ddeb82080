# The desk: what the page asks is worked on in a process of its own, so that the page never freezes
# and long work can be stopped. Of what waits only the newest question of each kind is asked.

new_desk <- function(study) {
  desk <- new.env()
  desk$study <- study
  desk$waiting <- list()
  desk$now <- NULL
  open_desk(desk)
  desk
}

open_desk <- function(desk) {
  desk$worker <- callr::r_session$new(wait = TRUE)
  put_desk(desk, list(slot = "open", ask = list(what = "open", study = desk$study), done = \(x) {
    desk$start <- x
  }))
}

close_desk <- function(desk) desk$worker$close(grace = 0)

# The ledger is open; until then it says what it is doing.
desk_start <- function(desk) {
  while (desk_busy(desk)) {
    desk$worker$poll_process(200)
    desk_step(desk)
    if (!is.null(desk$now$step)) signal_progress(desk$now$step, desk$now$share)
  }
  if (inherits(desk$start$error, "nubrek_error")) rlang::cnd_signal(desk$start$error)
  desk$start
}

desk_ask <- function(desk, slot, ask, done) {
  desk$waiting[[slot]] <- list(slot = slot, ask = ask, done = done)
  # long work that nobody waits for any more makes room
  if (identical(desk$now$slot, slot) && desk_seconds(desk) > 1) desk_stop(desk)
}

desk_busy <- function(desk) !is.null(desk$now) || length(desk$waiting) > 0L

desk_seconds <- function(desk) {
  if (is.null(desk$now)) 0 else as.double(Sys.time() - desk$now$since, units = "secs")
}

put_desk <- function(desk, question) {
  desk$now <- c(question, list(since = Sys.time()))
  desk$worker$call(
    function(ask) asNamespace("nubrek")$work_on(ask), list(question$ask), package = FALSE
  )
}

# What has come is taken, and the next question put.
desk_step <- function(desk) {
  while (!is.null(desk$now)) {
    desk$worker$poll_process(0)
    said <- desk$worker$read()
    if (is.null(said)) break
    if (said$code == 301L) {
      desk$now[c("step", "share")] <- said$message[c("step", "share")]
    } else {
      desk_take(desk, said)
    }
  }
  if (!is.null(desk$now$stopped) && Sys.time() - desk$now$stopped > 3) reopen_desk(desk)
  if (is.null(desk$now) && length(desk$waiting) > 0L) {
    question <- desk$waiting[[1L]]
    desk$waiting[[1L]] <- NULL
    put_desk(desk, question)
  }
}

desk_take <- function(desk, said) {
  question <- desk$now
  desk$now <- NULL
  if (said$code >= 500L) {
    if (question$slot == "open") abort_nubrek("The ledger could not be opened again.", "worker")
    return(reopen_desk(desk, question))
  }
  question$done(said$result %||% list(wrong = if (is.null(question$stopped)) {
    conditionMessage(said$error)
  } else {
    say("Stopped; nothing is changed.")
  }))
}

desk_stop <- function(desk) {
  if (is.null(desk$now) || !is.null(desk$now$stopped)) return()
  desk$now$stopped <- Sys.time()
  desk$worker$interrupt()
}

# A worker that does not listen, or is gone, is replaced; its question is lost.
reopen_desk <- function(desk, question = desk$now) {
  desk$now <- NULL
  desk$worker$kill()
  open_desk(desk)
  question$done(list(wrong = say("The work was ended; the ledger is opened again.")))
}

# What is going on, once it takes longer than a glance.
desk_words <- function(desk) {
  if (desk_seconds(desk) < 0.5) return(NULL)
  if (!is.null(desk$now$stopped)) return(say("stopping\u2026"))
  doing <- progress_text(desk$now$step %||% say("computing"), desk$now$share %||% NA)
  sprintf("%s (%.0f s)", doing, desk_seconds(desk))
}

# In the worker ------------------------------------------------------------------------------------

desk_work <- new.env()

# The answer to a question, as plain text and marks; an error of ours is an answer too.
work_on <- function(ask) {
  told <- Sys.time()
  withCallingHandlers(
    tryCatch(
      switch(ask$what,
        open = {
          desk_work$state <- new_exploration(ask$study)
          explore_start(desk_work$state)
        },
        answer = explored_answer(desk_work$state, ask),
        behind = explored_behind(desk_work$state, ask),
        save = list(path = save_explored(
          desk_work$state, explore_views()[[ask$part]], ask$values, ask$lines
        ))
      ),
      nubrek_error = \(e) {
        e$trace <- NULL
        list(wrong = cli::ansi_strip(conditionMessage(e)), error = e)
      }
    ),
    nubrek_progress = \(p) {
      if (Sys.time() - told < 0.2) return()
      told <<- Sys.time()
      signalCondition(structure(
        class = c("callr_message", "condition"),
        list(message = "", step = p$step, share = p$share)
      ))
    }
  )
}

# What the page needs to know before anything is asked.
explore_start <- function(state) {
  list(
    title = state$study$study %||% say("Customers and repeat buying"),
    basis = basis_line(audit(state$ledger)),
    filters = filter_columns(state$ledger),
    knobs = lapply(explore_views(), \(view) view$knobs(state$study, state$ledger))
  )
}

explored_answer <- function(state, ask) {
  view <- explore_views()[[ask$part]]
  call <- paste(c(
    explored_call(state, view, ask$values, ask$lines), "",
    yaml::as.yaml(explored_section(state, view, ask$values, ask$lines))
  ), collapse = "\n")
  tryCatch(
    {
      x <- explored_result(state, view, ask$values, ask$lines)
      width <- as.integer(min(1000, max(280, ask$width)))
      list(
        said = describe(x)$finding,
        notes = notes_of(explored_notes(state), view$part),
        drawn = if (!is.null(view$drawn)) view$drawn(view, x, width),
        table = explored_table(view$show(x, ask$values), view),
        call = call
      )
    },
    nubrek_error = \(e) list(wrong = cli::ansi_strip(conditionMessage(e)), call = call)
  )
}

# The notes of the study, once.
explored_notes <- function(state) {
  if (is.null(state$study$notes)) return(NULL)
  kept_or(state, "notes", \() study_notes(state$study, state$ledger))
}

# Who is behind a number, and their orders; ids of customers stay text.
explored_behind <- function(state, ask) {
  view <- explore_views()[[ask$part]]
  picked <- lapply(jsonlite::fromJSON(ask$key), \(x) x %||% NA)
  other <- names(picked) != "customer"
  picked[other] <- lapply(picked[other], utils::type.convert, as.is = TRUE)
  orders <- explored_orders(state, view, ask$values, ask$lines, picked)
  people <- as.data.table(plain_table(orders))[,
    .(orders = .N, sales = sum(sales), last_order = max(day)), keyby = customer
  ]
  data.table::setorderv(people, c("sales", "customer"), c(-1L, 1L))
  shown <- \(rows) {
    rows <- utils::head(rows, 50L)
    if (people_shown(state$study) == "pseudonyms") {
      rows$customer <- pseudonyms(as.character(rows$customer), state$study$outputs$key)
    }
    explored_table(plain_rows(rows), list(pick = character()))
  }
  tags <- htmltools::tags
  list(html = tags$section(
    class = "behind",
    tags$h2(say("Behind it")),
    tags$p(class = "finding", describe(orders)$finding),
    tags$h3(say("Customers (highest sales first, 50 at most)")),
    shown(side_table(people, "people_behind", orders)),
    tags$h3(say("Orders (the first 50)")),
    shown(orders)
  ))
}
