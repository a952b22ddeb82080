# The parts of a ledger on daemons: R processes on this machine or on others, each with a part at a
# time.

#' Go through the parts of a ledger all at once
#'
#' Whatever is asked of the ledger from then on goes to the daemons of the package mirai that are
#' connected, one part to each at a time: more processors, or more machines. Start them yourself,
#' with your own launcher and, between machines, over TLS. Each needs this package, and the folder
#' of the ledger under the same path.
#'
#' A daemon that dies or does not answer in time has its parts run on another, which a warning tells
#' (`nubrek_warning_daemon`); no answer is ever made of fewer parts than there are. What a question
#' needs to know goes with it: in most cases the ids and attributes of the customers.
#'
#' @param ledger `[nubrek_ledger]` One in parts, from [split_ledger()] or its folder. To go
#'   without daemons again, open its folder again.
#' @param seconds `[numeric(1)]` How long one part may take. Default 600.
#' @param compute `[character(1)]` The profile of the daemons; default theirs.
#' @return The ledger.
#' @section Errors: `nubrek_error_daemons`: none is connected (any more), or a part was lost three
#'   times.
#' @examples
#' \dontrun{
#' mirai::daemons(2)
#' ledger <- on_daemons(open_ledger("ledger"))
#' cohort_grid(ledger)
#' mirai::daemons(0)
#' }
#' @export
on_daemons <- function(ledger, seconds = 600, compute = NULL) {
  check_ledger(ledger)
  check_number(seconds, lower = 0.1)
  check_text(compute, null = TRUE)
  if (is.null(ledger$folder)) {
    abort_nubrek(c(
      "Only a ledger in parts goes to daemons.", "i" = "{.fn split_ledger} makes one."
    ), "argument")
  }
  if (!requireNamespace("mirai", quietly = TRUE)) {
    abort_nubrek(c(
      "Daemons are those of the package {.pkg mirai}.",
      "i" = "Install it with {.code install.packages(\"mirai\")}."
    ), "package")
  }
  ledger$daemons <- list(seconds = seconds, compute = compute)
  check_daemons(ledger$daemons, rlang::current_env())
  ledger
}

# How many daemons are connected.
daemons_now <- function(daemons) {
  found <- mirai::status(.compute = daemons$compute)$connections
  if (is.numeric(found)) as.integer(found) else 0L
}

check_daemons <- function(daemons, call = NULL) {
  if (daemons_now(daemons) > 0L) return(invisible())
  abort_nubrek(c(
    "No daemon is connected.",
    "i" = paste0(
      "Start some, such as by {.code mirai::daemons(2)}, or open the folder of the ledger again ",
      "to go without."
    )
  ), "daemons", call = call)
}

# Parts wait until a daemon is free; what is lost is run again.
pass_by_daemons <- function(ledger, pass, take) {
  n <- length(ledger$parts)
  waiting <- seq_len(n)
  lost <- integer(n)
  running <- list()
  answers <- vector("list", n)
  while (length(waiting) > 0L || length(running) > 0L) {
    free <- max(1L, daemons_now(ledger$daemons)) - length(running)
    for (k in utils::head(waiting, max(0L, free))) {
      check_daemons(ledger$daemons)
      running[[as.character(k)]] <- send_part(ledger, k, pass)
      waiting <- setdiff(waiting, k)
    }
    done <- names(running)[!vapply(running, mirai::unresolved, NA)]
    if (length(done) == 0L) Sys.sleep(0.002)
    for (k in as.integer(done)) {
      found <- running[[as.character(k)]]$data
      running[[as.character(k)]] <- NULL
      if (inherits(found, "errorValue") && !inherits(found, "miraiError")) {
        lost[[k]] <- lost[[k]] + 1L
        waiting <- c(waiting, k)
        tell_lost(ledger, k, lost[[k]], found)
        next
      }
      if (inherits(found, "miraiError")) {
        abort_nubrek(c(
          "A daemon could not do part {k} of the ledger.", "x" = "It says: {.emph {found}}"
        ), "daemons", call = NULL)
      }
      if (!is.null(found$fault)) stop(found$fault)
      # one after the other, as they stand
      answers[[k]] <- list(found$answer)
    }
    signal_progress("going through the parts", (n - length(waiting) - length(running)) / n)
  }
  lapply(seq_len(n), \(k) take(answers[[k]][[1L]], ledger$parts[[k]]$codes))
}

send_part <- function(ledger, k, pass) {
  mirai::mirai(
    asNamespace("nubrek")$pass_afar(closed, pass, version),
    closed = closed_part(ledger, k),
    pass = pass,
    version = as.character(utils::packageVersion("nubrek")),
    .timeout = ledger$daemons$seconds * 1000,
    .compute = ledger$daemons$compute
  )
}

# What a daemon does. Our own errors come back as they are.
pass_afar <- function(closed, pass, version) {
  own <- as.character(utils::packageVersion("nubrek"))
  if (own != version) stop("it has version ", own, " of this package, not ", version)
  tryCatch(
    list(answer = pass(open_part(closed), closed$codes)), nubrek_error = \(e) list(fault = e)
  )
}

tell_lost <- function(ledger, k, times, found) {
  if (times >= 3L || daemons_now(ledger$daemons) == 0L) {
    check_daemons(ledger$daemons)
    abort_nubrek(c(
      "Part {k} of the ledger was lost {times} times.",
      "x" = "The daemons that had it died, or took longer than {ledger$daemons$seconds} seconds.",
      "i" = "Give them more time ({.arg seconds}) or memory."
    ), "daemons", call = NULL)
  }
  why <- if (unclass(found) == 5L) "took too long" else "died"
  rlang::warn(
    sprintf("A daemon %s; part %d of the ledger is run again on another.", why, k),
    class = c("nubrek_warning_daemon", "nubrek_warning")
  )
}
