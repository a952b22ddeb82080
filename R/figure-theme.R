# One theme, one palette, one way of saying things. A concept keeps its colour everywhere.

palette_of <- c(
  ink = "#22313f", petrol = "#1f6f78", ochre = "#c98a1b", brick = "#b4472f", moss = "#6b8e3d",
  mauve = "#7d5a86", paper = "#faf7f2", rule = "#d9d2c5"
)

new_colours <- c(
  new = palette_of[["ochre"]],
  returning = palette_of[["petrol"]],
  reactivated = palette_of[["mauve"]]
)

# What a change comes through.
change_colours <- c(
  definitions = palette_of[["mauve"]],
  corrected = palette_of[["brick"]],
  time = palette_of[["ochre"]],
  `new orders` = palette_of[["petrol"]]
)

# Groups of the user's own, in the order they are named.
strip_colours <- palette_of[c("petrol", "ochre", "mauve", "moss", "brick", "ink")]

# What was seen, and what a model says.
model_colours <- c(came = palette_of[["ink"]], expected = "#2e8a94")

theme_nubrek <- function(base = 13) {
  ink <- palette_of[["ink"]]
  ggplot2::theme_minimal(base_size = base) +
    ggplot2::theme(
      text = ggplot2::element_text(colour = ink),
      axis.text = ggplot2::element_text(colour = ink, size = ggplot2::rel(0.85)),
      plot.title = ggplot2::element_text(
        face = "bold", size = ggplot2::rel(1.25), margin = ggplot2::margin(b = 4)
      ),
      plot.title.position = "plot",
      plot.subtitle = ggplot2::element_text(
        colour = ink, size = ggplot2::rel(0.9), margin = ggplot2::margin(b = 10)
      ),
      plot.caption = ggplot2::element_text(
        hjust = 0, size = ggplot2::rel(0.8), colour = "#5d6a74", margin = ggplot2::margin(t = 10)
      ),
      plot.caption.position = "plot",
      plot.background = ggplot2::element_rect(fill = palette_of[["paper"]], colour = NA),
      plot.margin = ggplot2::margin(14, 18, 10, 14),
      panel.grid.minor = ggplot2::element_blank(),
      panel.grid.major = ggplot2::element_line(colour = palette_of[["rule"]], linewidth = 0.3),
      legend.position = "none"
    )
}

# Title = the finding, subtitle = what is shown, caption = what is left out and what to mind.
figure_words <- function(
  x, shows, title = describe(x)$finding %||% describe(x)$heading, caption = NULL, marks = FALSE
) {
  if (marks) caption <- paste(c(caption, event_words(x)), collapse = " ")
  notes <- remarks(x)$remark
  if (is_part(x)) title <- describe(x)$heading
  basis <- basis_line(x)
  subtitle <- wrap_words(paste0(paste(c(shows, basis[nzchar(basis)]), collapse = "; "), "."), 122)
  ggplot2::labs(
    title = wrap_words(title, 76),
    subtitle = structure(subtitle, said = list(title = title, shows = shows, caption = caption)),
    caption = wrap_words(paste(c(caption, notes), collapse = " "), 138),
    x = NULL,
    y = NULL
  )
}

# The words of a figure, where they are said beside it: without basis and remarks, which a page says
# once.
figure_said <- function(drawing) attr(drawing$labels$subtitle, "said")

# Names of at most so many characters; those that would be cut alike keep their ends.
shortened <- function(names, most) {
  every <- unique(as.character(names))
  long <- !is.na(every) & nchar(every) > most
  short <- ifelse(long, paste0(trim_text(substr(every, 1L, most - 1L)), "\u2026"), every)
  alike <- long & short %in% short[duplicated(short)]
  ends <- substr(every, nchar(every) - 8L, nchar(every))
  short[alike] <- paste0(substr(every, 1L, most - 10L), "\u2026", ends)[alike]
  short[match(names, every)]
}

# Names beside bars and over panels, shortened where they would push the marks aside.
name_axis <- function(most = 36L) {
  ggplot2::scale_y_discrete(labels = \(names) shortened(names, most))
}
short_strips <- function(most) ggplot2::as_labeller(\(names) shortened(names, most))

wrap_words <- function(text, width) {
  if (is.null(text) || !nzchar(text)) {
    NULL
  } else {
    paste(strwrap(text, width), collapse = "\n")
  }
}

# The one-hue ramp of grids, for values from 0 to 1; nothing is the palest.
grid_fill <- function(place) {
  place <- pmin(1, pmax(0, place))^0.8
  hue <- grDevices::colorRamp(c("#e9efe9", "#8fb8b5", palette_of[["petrol"]], "#123f46"))
  grDevices::rgb(hue(ifelse(is.na(place), 0, place)), maxColorValue = 255)
}

# Cells that stand on few customers are pale, whatever they say.
with_ink <- function(cells, few) {
  few <- few %in% TRUE
  cells$few <- few
  cells$fill[few] <- "#f3efe7"
  cells$ink <- ifelse(few, "#5d6a74", ink_on(cells$fill))
  cells
}

few_words <- function(cells) if (any(cells$few)) say(" Pale: fewer than 30 customers.")

# Cells of a table with their text; a dashed frame stands around those observed in part.
cell_layers <- function(partial, size, width, height) {
  list(
    ggplot2::geom_tile(ggplot2::aes(fill = .data$fill), width = 0.96, height = 0.92),
    ggplot2::geom_tile(
      data = partial,
      fill = NA,
      colour = palette_of[["brick"]],
      linetype = "22",
      linewidth = 0.4,
      width = width,
      height = height
    ),
    ggplot2::geom_text(ggplot2::aes(label = .data$text, colour = .data$ink), size = size),
    ggplot2::scale_fill_identity(),
    ggplot2::scale_colour_identity()
  )
}

# Dark or white, whichever is read better on a colour. The dark is not the palette's ink, which a
# dark page turns light.
ink_on <- function(fill) {
  light <- colSums(grDevices::col2rgb(fill) * c(0.299, 0.587, 0.114)) / 255
  ifelse(light > 0.55, "#22313e", "#ffffff")
}

#' Draw a result
#'
#' Every figure says its finding in the title, what is shown in the subtitle, and what to mind in
#' the caption.
#'
#' @eval figure_page_object()
#' @param ... Not used (grid: passed on to the measure).
#' @param fold_from `[integer(1)]` Customers with this many purchases or more share the last bar.
#' @return A ggplot.
#' @examples
#' ggplot2::autoplot(order_counts(example_ledger()))
#' ggplot2::autoplot(cohort_grid(example_ledger(), "quarter"))
#' @name autoplot.nubrek
NULL

# What the help page says of the results that have a figure.
figure_page_object <- function() {
  classes <- sub("^autoplot[.]", "", ls(topenv(), pattern = "^autoplot[.]nubrek_"))
  paste0("@param object A result: ", paste0("`", classes, "`", collapse = ", "), ".")
}

# Axes are written with the decimal sign of the study, too.
print_figure <- function(figure) {
  before <- options(OutDec = decimal_sign())
  on.exit(options(before))
  print(figure)
}

#' Write a figure to a file
#'
#' @param x A result that has a figure, or a ggplot.
#' @param path `[character(1)]` Ending in `.png` or `.svg`.
#' @param width,height `[numeric(1)]` In inches.
#' @return The path, invisibly. The file is there whole, or not at all.
#' @examples
#' write_figure(order_counts(example_ledger()), tempfile(fileext = ".png"))
#' @export
write_figure <- function(x, path, width = 11, height = 6.5) {
  check_text(path)
  figure <- if (inherits(x, "ggplot")) x else ggplot2::autoplot(x)
  ending <- tolower(tools::file_ext(path))
  check_choice(ending, c("png", "svg"), arg = "path")
  write_whole(
    path,
    \(to) {
      if (ending == "svg") {
        grDevices::svg(to, width, height, bg = "transparent")
      } else {
        grDevices::png(to, width, height, "in", res = 120, type = "cairo")
      }
      tryCatch(print_figure(figure), finally = grDevices::dev.off())
    },
    \(to) {
      end <- utils::tail(readBin(to, "raw", file.size(to)), 16L)
      if (
        !grepl(if (ending == "svg") "</svg>" else "IEND", rawToChar(end[end > 0L]), useBytes = TRUE)
      ) {
        say("only a part of the picture could be written")
      }
    }
  )
}
