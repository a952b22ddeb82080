# Libraries that a broken file can bring down do their work in a process of their own.

# What `code` gives in a forked child, where the system can fork; NULL where the child broke down,
# asked for all memory or found no end. `size` is that of the file at hand.
apart <- function(code, size) {
  if (.Platform$OS.type != "unix") return(code)
  room <- max(2^30, 200 * size)
  child <- parallel::mcparallel(
    {
      cpp_risk_process(room)
      code
    },
    silent = TRUE
  )
  on.exit({
    tools::pskill(child$pid, tools::SIGKILL)
    suppressWarnings(parallel::mccollect(child))
  })
  suppressWarnings(parallel::mccollect(child, wait = FALSE, timeout = 60 + size / 1e6))[[1L]]
}
