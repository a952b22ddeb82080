# Pictures of the page to explore, written as text in one go: they must follow the hand. Every mark
# names itself when pointed at, and asks for what is behind it when clicked.

# Where marks stand: the place of a value across and up, and the frame with its words. `across` and
# `up` are the ends of the scales; ticks are lists `at`, `text`.
picture_frame <- function(width, height, across, up, across_ticks, up_ticks, left = 64, low = 40) {
  right <- width - 12
  bottom <- height - low
  x <- \(at) left + (at - across[[1L]]) / (across[[2L]] - across[[1L]]) * (right - left)
  y <- \(at) bottom - (at - up[[1L]]) / (up[[2L]] - up[[1L]]) * (bottom - 12)
  rules <- sprintf(
    "<path class=\"rule\" d=\"M%.1f %.1fH%.1f\"/>", left, y(up_ticks$at), right
  )
  list(x = x, y = y, left = left, right = right, bottom = bottom, text = c(
    rules,
    picture_text(left - 8, y(up_ticks$at) + 4, up_ticks$text, "end"),
    picture_text(
      pmin(x(across_ticks$at), width - 4 - 3.7 * nchar(across_ticks$text)), bottom + 18,
      across_ticks$text, "middle"
    )
  ))
}

picture_text <- function(x, y, text, anchor = "start", class = "word") {
  if (length(text) == 0L) return(character())
  sprintf(
    "<text class=\"%s\" x=\"%.1f\" y=\"%.1f\" text-anchor=\"%s\">%s</text>",
    class, x, y, anchor, htmltools::htmlEscape(text)
  )
}

# The picture with its words below; `legend` are colours by what they stand for.
whole_picture <- function(width, height, ..., said, legend = NULL) {
  htmltools::HTML(paste0(
    sprintf(
      "<svg class=\"picture\" viewBox=\"0 0 %d %d\" width=\"%d\" height=\"%d\" role=\"img\">",
      width, height, width, height
    ),
    "<title>", htmltools::htmlEscape(said), "</title>",
    paste(c(...), collapse = "\n"), "</svg>",
    "<p class=\"basis\">", htmltools::htmlEscape(said),
    sprintf(
      " <span><i style=\"background:%s\"></i> %s</span>", legend,
      htmltools::htmlEscape(names(legend))
    ) |> paste(collapse = ""),
    "</p>"
  ))
}

# Marks with what they say, and the keys of what is behind them.
picture_marks <- function(view, shape, attributes, said, keys = NULL) {
  asks <- if (is.null(keys)) "" else paste0(" ", pick_attributes(view, keys))
  sprintf(
    "<%s%s %s><title>%s</title></%s>",
    shape, asks, attributes, htmltools::htmlEscape(said), shape
  )
}

picture_dots <- function(view, x, y, said, keys) {
  at <- sprintf(
    "cx=\"%.1f\" cy=\"%.1f\" r=\"5\" fill=\"%s\" stroke=\"#fff\"", x, y, palette_of[["ochre"]]
  )
  picture_marks(view, "circle", at, said, keys)
}

# So many round numbers on a scale.
round_ticks <- function(ends, most = 5L) {
  at <- pretty(ends, most)
  at <- at[at >= ends[[1L]] & at <= ends[[2L]]]
  list(at = at, text = written(at, format = "fg", big.mark = "\u202f"))
}

# As many names as have room, the last one among them.
named_ticks <- function(names, room) {
  widest <- 7.5 * max(nchar(names), 1L) + 10
  step <- max(1L, ceiling(length(names) * widest / room))
  at <- rev(seq(length(names), 1L, by = -step))
  list(at = at, text = names[at])
}

# Bars that stand on each other: `parts` are columns of numbers by name, `names` stand below.
picture_bars <- function(view, parts, names, colours, said, keys, width, title) {
  height <- 300L
  n <- length(names)
  above <- Reduce(`+`, lapply(parts, \(x) pmax(0, x)), accumulate = TRUE)
  top <- max(unlist(above), 1e-9)
  frame <- picture_frame(
    width, height, c(0.4, n + 0.6), c(0, 1.02 * top), named_ticks(names, width - 76),
    round_ticks(c(0, top))
  )
  wide <- (frame$right - frame$left) / (n + 0.2)
  marks <- Map(\(x, upper, colour, words, key) {
    high <- frame$y(upper - pmax(0, x)) - frame$y(upper)
    picture_marks(view, "rect", sprintf(
      "x=\"%.1f\" y=\"%.1f\" width=\"%.1f\" height=\"%.1f\" fill=\"%s\"",
      frame$x(seq_len(n)) - 0.42 * wide, frame$y(upper), 0.84 * wide, high, colour
    ), words, key)[high > 0]
  }, parts, above, colours, said, keys)
  whole_picture(
    width, height, frame$text, unlist(marks), said = title,
    legend = if (length(parts) > 1L) colours
  )
}

# Strips from the left, one or two a row, with the names of the rows above them.
picture_strips <- function(view, parts, names, colours, said, keys, width, title) {
  n <- length(names)
  deep <- 14 * length(parts)
  place <- (seq_len(n) - 1) * (deep + 26)
  top <- max(unlist(parts), 1e-9)
  marks <- Map(\(x, k, colour, words, key) picture_marks(view, "rect", sprintf(
    "x=\"0\" y=\"%.1f\" width=\"%.1f\" height=\"12\" fill=\"%s\"",
    place + 20 + 14 * (k - 1), pmax(1, (width - 12) * x / top), colour
  ), words, key), parts, seq_along(parts), colours, said, list(keys))
  room <- floor(width / 7.5)
  short <- ifelse(nchar(names) > room, paste0(substr(names, 1L, room - 1L), "\u2026"), names)
  whole_picture(
    width, as.integer(n * (deep + 26)), picture_text(0, place + 14, short), unlist(marks),
    said = title, legend = if (length(parts) > 1L) colours
  )
}

# A line with its interval, and a level to reach.
picture_line <- function(view, x, y, lower, upper, level, said, keys, width, title) {
  height <- 300L
  ends <- range(0, x)
  frame <- picture_frame(
    width, height, c(ends[[1L]] - 0.5, ends[[2L]] + 0.5), range(0, y, upper, level, na.rm = TRUE),
    round_ticks(ends, 8L), round_ticks(range(0, y, upper, level, na.rm = TRUE))
  )
  at <- \(x, y) paste(sprintf("%.1f %.1f", frame$x(x), frame$y(y)), collapse = "L")
  there <- !is.na(lower) & !is.na(upper)
  whole_picture(
    width, height, frame$text,
    if (sum(there) > 1L) {
      sprintf("<path class=\"band\" d=\"M%sL%sZ\"/>", at(x[there], upper[there]),
        at(rev(x[there]), rev(lower[there])))
    },
    sprintf("<path class=\"line\" d=\"M%s\"/>", at(x, y)),
    sprintf("<path class=\"level\" d=\"M%.1f %.1fH%.1f\"/>", frame$left, frame$y(level),
      frame$right),
    picture_dots(view, frame$x(x), frame$y(y), said, keys),
    said = title
  )
}

# Cells of a plane with shades from 0 to 1; `lines` are limits across and up, `points` single marks.
picture_plane <- function(
  view, x, y, shade, said, keys, ends, across_ticks, up_ticks, width, title, lines = NULL,
  points = NULL, text = NULL
) {
  height <- 380L
  frame <- picture_frame(
    width, height, c(0.5, ends[[1L]] + 0.5), c(0.5, ends[[2L]] + 0.5), across_ticks, up_ticks, 104
  )
  wide <- (frame$right - frame$left) / ends[[1L]]
  deep <- (frame$bottom - 12) / ends[[2L]]
  fill <- grid_fill(shade)
  whole_picture(
    width, height, frame$text,
    picture_marks(view, "rect", sprintf(
      "x=\"%.1f\" y=\"%.1f\" width=\"%.1f\" height=\"%.1f\" fill=\"%s\"",
      frame$x(x - 0.5), frame$y(y + 0.5), wide, deep, fill
    ), said, keys),
    if (!is.null(text)) {
      sprintf(
        paste0(
          "<text x=\"%.1f\" y=\"%.1f\" text-anchor=\"middle\" fill=\"%s\" ",
          "pointer-events=\"none\">%s</text>"
        ),
        frame$x(x), frame$y(y) + 5, ink_on(fill), htmltools::htmlEscape(text)
      )
    },
    if (!is.null(lines)) {
      c(
        sprintf("<path class=\"level\" d=\"M%.1f 12V%.1f\"/>", frame$x(lines[[1L]]), frame$bottom),
        sprintf("<path class=\"level\" d=\"M%.1f %.1fH%.1f\"/>", frame$left,
          frame$y(lines[[2L]]), frame$right)
      )
    },
    if (!is.null(points)) {
      picture_dots(view, frame$x(points$x), frame$y(points$y), points$said, points$keys)
    },
    said = title
  )
}
