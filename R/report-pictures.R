# The pictures of a page: its figures as SVG.

page_width <- 10.6 # inches, of all figures

has_svglite <- function() requireNamespace("svglite", quietly = TRUE)

# The words and the lines of a figure, drawn with its text as text and without the words around it,
# which the page says itself. Without lines where there is nothing to draw.
draw_picture <- function(figure) {
  drawing <- tryCatch(
    do.call(ggplot2::autoplot, c(list(figure$x), figure$face)),
    nubrek_error_no_purchases = \(e) NULL
  )
  if (is.null(drawing)) return(list())
  words <- figure_said(drawing)
  drawing <- drawing +
    ggplot2::labs(title = NULL, subtitle = NULL, caption = NULL) +
    ggplot2::theme(plot.background = ggplot2::element_blank())
  path <- tempfile(fileext = ".svg")
  on.exit(unlink(path))
  drawn <- if (has_svglite()) {
    svglite::svglite(path, page_width, figure$height, bg = "transparent", fix_text_size = FALSE)
    tryCatch(print_figure(drawing), finally = grDevices::dev.off())
    picture_pieces(readLines(path, encoding = "UTF-8", warn = FALSE))
  } else {
    write_figure(drawing, path, page_width, figure$height)
    picture <- jsonlite::base64_enc(readBin(path, "raw", file.size(path)))
    list(lines = paste0("data:image/svg+xml;base64,", gsub("\n", "", picture, fixed = TRUE)))
  }
  c(Filter(Negate(is.null), words), drawn)
}

# Children draw what they know from the start, so nothing but the drawings goes between processes.
draw_pictures <- function(figures) {
  workers <- min(reading_threads(), length(figures))
  if (.Platform$OS.type != "unix" || workers < 2L) return(lapply(figures, draw_picture))
  drawn <- parallel::mclapply(
    figures, \(figure) tryCatch(draw_picture(figure), error = identity),
    mc.cores = workers, mc.set.seed = FALSE
  )
  # of a child that was killed nothing came back
  for (i in which(!vapply(drawn, is.list, NA))) drawn[[i]] <- draw_picture(figures[[i]])
  failed <- Filter(\(one) inherits(one, "error"), drawn)
  if (length(failed) > 0L) stop(failed[[1L]])
  drawn
}
