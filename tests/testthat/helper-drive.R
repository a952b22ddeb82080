# A real browser, driven over its debugging port: enough of the protocol to open a page and run
# scripts in it.

# A process in the background, ended with the test; its output goes to a file.
in_background <- function(command, arguments, .local_envir = parent.frame()) {
  log <- withr::local_tempfile(.local_envir = .local_envir)
  started <- paste(shQuote(c(command, arguments)), collapse = " ")
  pid <- system(sprintf("%s > %s 2>&1 & echo $!", started, shQuote(log)), intern = TRUE)
  withr::defer(tools::pskill(as.integer(pid)), envir = .local_envir)
  log
}

# The first value that is not NULL.
wait_for <- function(look, seconds = patience) {
  until <- Sys.time() + seconds
  while (Sys.time() < until) {
    found <- tryCatch(look(), error = \(e) NULL)
    if (!is.null(found)) return(found)
    Sys.sleep(0.1)
  }
  stop("nothing came in ", seconds, " seconds")
}

drive_browser <- function(address, .local_envir = parent.frame()) {
  home <- withr::local_tempdir(.local_envir = .local_envir)
  in_background(chromium(), c(
    "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-quic",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    paste0("--user-data-dir=", home), "--remote-debugging-port=0", "--window-size=1280,800",
    address
  ), .local_envir)
  port <- wait_for(\() {
    file <- file.path(home, "DevToolsActivePort")
    if (file.exists(file)) as.integer(readLines(file, n = 1L, warn = FALSE))
  })
  target <- wait_for(\() {
    list <- jsonlite::fromJSON(sprintf("http://127.0.0.1:%d/json/list", port))
    page <- list[list$type == "page", ]
    if (nrow(page) > 0L) sub("^ws://[^/]*", "", page$webSocketDebuggerUrl[[1L]])
  })
  socket <- socketConnection("127.0.0.1", port, open = "r+b", blocking = TRUE, timeout = patience)
  withr::defer(close(socket), envir = .local_envir)
  writeBin(charToRaw(paste0(
    "GET ", target, " HTTP/1.1\r\nHost: 127.0.0.1:", port, "\r\nUpgrade: websocket\r\n",
    "Connection: Upgrade\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\n",
    "Sec-WebSocket-Version: 13\r\n\r\n"
  )), socket)
  read_head(socket)
  number <- 0L
  ask <- function(method, params) {
    number <<- number + 1L
    send_frame(socket, jsonlite::toJSON(
      list(id = number, method = method, params = params), auto_unbox = TRUE
    ))
    repeat {
      said <- jsonlite::fromJSON(read_frame(socket), simplifyVector = FALSE)
      if (identical(said$id, number)) return(said$result)
    }
  }
  # a script's value, which may be a promise; or a picture, into a file; or a window of another size
  function(script, picture = NULL, width = NULL, height = 800L) {
    if (!is.null(width)) {
      return(ask("Emulation.setDeviceMetricsOverride", list(
        width = width, height = height, deviceScaleFactor = 1, mobile = width < 500
      )))
    }
    if (!is.null(picture)) {
      taken <- ask("Page.captureScreenshot", list(format = "png"))
      return(writeBin(jsonlite::base64_dec(taken$data), picture))
    }
    said <- ask("Runtime.evaluate", list(
      expression = script, awaitPromise = TRUE, returnByValue = TRUE
    ))
    wrong <- said$exceptionDetails
    if (!is.null(wrong)) stop(wrong$exception$description %||% wrong$text)
    said$result$value
  }
}

read_head <- function(socket) {
  seen <- raw()
  while (!identical(utils::tail(seen, 4L), charToRaw("\r\n\r\n"))) {
    seen <- c(seen, readBin(socket, "raw", 1L))
  }
}

big_end <- function(n, bytes) as.raw((n %/% 256^((bytes - 1L):0)) %% 256)

# Text frames of RFC 6455, masked with zeros.
send_frame <- function(socket, text) {
  body <- charToRaw(enc2utf8(text))
  n <- length(body)
  size <- if (n < 126) {
    as.raw(128 + n)
  } else if (n < 65536) {
    c(as.raw(128 + 126), big_end(n, 2L))
  } else {
    c(as.raw(128 + 127), big_end(n, 8L))
  }
  writeBin(c(as.raw(0x81), size, raw(4L), body), socket)
}

read_exactly <- function(socket, n) {
  got <- raw()
  while (length(got) < n) got <- c(got, readBin(socket, "raw", n - length(got)))
  got
}

read_frame <- function(socket) {
  body <- raw()
  repeat {
    head <- as.integer(read_exactly(socket, 2L))
    size <- head[[2L]] %% 128L
    wide <- c(`126` = 2L, `127` = 8L)[as.character(size)]
    if (!is.na(wide)) {
      size <- sum(as.integer(read_exactly(socket, wide)) * 256^((wide - 1L):0))
    }
    body <- c(body, read_exactly(socket, size))
    if (head[[1L]] >= 128L) break
  }
  text <- rawToChar(body)
  Encoding(text) <- "UTF-8"
  text
}
