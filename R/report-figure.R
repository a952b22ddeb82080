# Drawings inside a page: their styles and colours become classes of the page, so that it can be
# dark.

# A figure with its title and caption. Where there is nothing to draw, what is known of it.
html_figure <- function(page, figure, said = NULL) {
  tags <- htmltools::tags
  picture <- figure$picture
  if (is.null(picture$lines)) {
    return(tags$p(describe(figure$x)$finding %||% say("There is nothing to draw yet.")))
  }
  tags$figure(
    if (!identical(picture$title, said)) tags$h4(picture$title),
    tags$p(class = "shows", paste0(sub("[.]$", "", capital(picture$shows)), ".")),
    tags$div(class = "drawn", picture_of(page, picture)),
    if (!is.null(picture$caption)) tags$figcaption(picture$caption)
  )
}

picture_of <- function(page, picture) {
  page$figures <- page$figures + 1L
  told <- paste(c(picture$title, picture$shows), collapse = ". ")
  # letters as outlines: a picture of its own
  if (is.null(picture$styles)) return(htmltools::tags$img(src = picture$lines, alt = told))
  htmltools::HTML(page_svg(page, picture, told))
}

# The drawing as an element of the page. What it holds was escaped by the device that wrote it.
page_svg <- function(page, picture, told) {
  if (!plain_markup(picture)) {
    abort_nubrek("A drawing holds more than shapes and text.", "internal", call = NULL)
  }
  page$styles <- union(page$styles, picture$styles)
  classes <- c(paste0("class='s", match(picture$styles, page$styles), "'"), "")
  text <- paste0(picture$lines, classes, collapse = "")
  say(
    "<svg class=\"figure\" viewBox=\"%s\" role=\"img\" aria-label=\"%s\">\n%s",
    gsub(".00", "", picture$box, fixed = TRUE),
    htmltools::htmlEscape(told, attribute = TRUE),
    short_ids(text, paste0("f", page$figures, "c"))
  )
}

# What a device drew as a page takes it: the text of the element, cut where a style stands, and the
# styles. The text is one piece longer.
picture_pieces <- function(lines) {
  box <- sub(".*viewBox='([^']*)'.*", "\\1", grep("viewBox=", lines, value = TRUE)[[1L]])
  start <- grep("</style>", lines, fixed = TRUE)[[1L]] + 2L # behind </defs>
  inside <- lines[start:length(lines)]
  inside <- inside[!grepl("^<rect width='100%'", inside)]
  text <- thin_lines(short_numbers(paste(trimws(inside), collapse = "\n")))
  # the size of tiles and the anchor of text are style
  text <- gsub("text-anchor='([a-z]+)' style='", "style='text-anchor:\\1;", text)
  text <- gsub(
    "(<rect [^>]*)width='([0-9.]+)' height='([0-9.]+)' style='",
    "\\1style='width:\\2px;height:\\3px;",
    text
  )
  text <- gsub("' />", "'/>", text, fixed = TRUE)
  # large drawings have many lines: whole points are fine enough for them
  if (nchar(gsub("style='[^']*'", "class='s00'", text)) > 38000L) {
    text <- each_points(text, \(p) gsub("[.][0-9]+", "", p))
  }
  found <- gregexpr("style='[^']*'", text)
  styles <- substring(regmatches(text, found)[[1L]], 8L)
  styles <- gsub("font-family:[^;]*;|'$", "", styles)
  list(
    box = box,
    lines = regmatches(text, found, invert = TRUE)[[1L]],
    styles = gsub("; *", ";", trimws(styles))
  )
}

# One decimal is fine enough for places and sizes; what is written in the figure stays as it is.
short_numbers <- function(text) {
  found <- gregexpr("<[^>]*>", text)
  tags <- gsub("([0-9]+[.][0-9])[0-9]+", "\\1", regmatches(text, found)[[1L]])
  regmatches(text, found) <- list(gsub("([0-9])[.]0(?=[^0-9])", "\\1", tags, perl = TRUE))
  text
}

# Ids are one figure's own: of two that are alike the one in a closed fold would win.
short_ids <- function(text, stem) {
  ids <- unique(regmatches(text, gregexpr("(?<= id=')[^']*", text, perl = TRUE))[[1L]])
  for (i in seq_along(ids)) {
    text <- gsub(ids[[i]], paste0(stem, i), text, fixed = TRUE)
  }
  text
}

# Points of lines and areas that nobody can tell apart are left out.
thin_lines <- function(text) each_points(text, \(all) vapply(all, thin_points, ""))

each_points <- function(text, change) {
  found <- gregexpr("(?<=points=')[^']*", text, perl = TRUE)
  regmatches(text, found) <- list(change(regmatches(text, found)[[1L]]))
  text
}

thin_points <- function(points) {
  pairs <- strsplit(trimws(points), " +")[[1L]]
  if (length(pairs) < 40L) return(points)
  near <- max(0.8, length(pairs) / 200)
  place <- vapply(strsplit(pairs, ",", fixed = TRUE), as.double, c(0, 0))
  kept <- place[, 1L]
  keep <- logical(length(pairs))
  for (i in seq_along(pairs)) {
    if (i %in% c(1L, length(pairs)) || max(abs(place[, i] - kept)) >= near) {
      keep[[i]] <- TRUE
      kept <- place[, i]
    }
  }
  paste(pairs[keep], collapse = " ")
}

# The classes as a style sheet; colours of the palette by their names, which dark pages change.
style_sheet <- function(styles) {
  if (length(styles) == 0L) return("")
  named <- styles
  for (name in names(page_colours)) {
    named <- gsub(page_colours[[name]], paste0("var(--", name, ")"), named, ignore.case = TRUE)
  }
  paste0(".s", seq_along(styles), "{", named, "}", collapse = "\n")
}

page_colours <- c(
  palette_of[c("ink", "petrol", "ochre", "brick", "moss", "mauve", "paper", "rule")],
  quiet = "#5d6a74"
)

# What a drawing may hold: shapes and text with places, sizes and styles; nothing that runs, links
# or fetches.
picture_elements <- c(
  "circle", "clipPath", "defs", "ellipse", "g", "line", "linearGradient", "path", "polygon",
  "polyline", "rect", "stop", "svg", "text", "tspan"
)
picture_attributes <- c(
  "class", "clip-path", "cx", "cy", "d", "dx", "dy", "fill", "height", "id", "lengthAdjust",
  "points", "r", "rx", "ry", "stroke", "text-anchor", "textLength", "transform", "width", "x", "x1",
  "x2", "y", "y1", "y2"
)

plain_markup <- function(picture) {
  lines <- picture$lines
  styles <- picture$styles
  if (length(lines) == 0L) return(TRUE)
  if (is.null(styles)) return(all(grepl("^data:image/svg[+]xml;base64,[A-Za-z0-9+/=]*$", lines)))
  text <- paste0(lines, c(rep("class='s'", length(lines) - 1L), ""), collapse = "")
  tags <- regmatches(text, gregexpr("<[^>]*>", text))[[1L]]
  attribute <- paste0(
    "\\s+(", paste(picture_attributes, collapse = "|"), ")\\s*=\\s*('[^'<>&\"]*'|\"[^'<>&\"]*\")"
  )
  form <- paste0(
    "^<(/(", paste(picture_elements, collapse = "|"), ")\\s*|(",
    paste(picture_elements, collapse = "|"), ")(", attribute, ")*\\s*/?)>$"
  )
  reaches <- "javascript|expression|@|\\\\|[<>]|url\\s*\\(\\s*[\"']?(?!#)"
  all(grepl(form, tags, perl = TRUE)) && !grepl("<", gsub("<[^>]*>", "", text), fixed = TRUE) &&
    !any(grepl(reaches, styles, perl = TRUE)) &&
    !any(grepl("url\\s*\\(\\s*[\"']?(?!#)", tags, perl = TRUE)) &&
    all(grepl("^[-0-9. ]*$", picture$box))
}
