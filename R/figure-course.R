# Money by age against what winning the customers cost: what the figures of payback and worth share.

# The group of each row, as one text.
row_group <- function(table, by) {
  if (length(by) == 0L) return(rep("", nrow(table)))
  do.call(paste, c(lapply(table[by], as.character), sep = ", "))
}

# All groups from the largest on, and the nine that a figure shows.
largest_groups <- function(table) {
  total <- names(sort(tapply(table$size, table$group, max), decreasing = TRUE))
  list(all = total, shown = utils::head(total, 9L))
}

largest_words <- function(groups) {
  if (length(groups$all) > length(groups$shown)) {
    say(" The %d largest of %d groups.", length(groups$shown), length(groups$all))
  }
}

# The first age of each group at which the money has reached the cost.
first_crossed <- function(course) {
  by_group <- split(course, course$group)
  do.call(rbind, lapply(by_group, \(one) utils::head(one[which(one$value >= one$cost), ], 1L)))
}

# Names of the panels: the group, and the age at payback where it is known.
payback_strips <- function(shown, crossed, known) {
  age <- crossed$age[match(shown, crossed$group)]
  names <- shortened(as.character(shown), if (length(shown) > 4L) 21L else 32L)
  paste0(names, if (known) ifelse(is.na(age), ": not yet", paste0(say(": age "), age)))
}

in_strips <- function(table, shown, strips) {
  if (NROW(table) > 0L) table$group <- factor(strips[match(table$group, shown)], strips)
  table
}

money_tone <- function(margin) if (margin) palette_of[["moss"]] else palette_of[["petrol"]]

cost_line <- function() {
  ggplot2::geom_line(
    ggplot2::aes(y = .data$cost),
    colour = palette_of[["brick"]],
    linetype = "42",
    linewidth = 0.8,
    na.rm = TRUE
  )
}

cost_words <- function(last, x, vjust) {
  if (nrow(last) == 0L) return(NULL)
  ggplot2::geom_text(
    data = last,
    ggplot2::aes(x = x, y = .data$cost, label = .data$label),
    colour = palette_of[["brick"]],
    hjust = 1,
    vjust = vjust,
    size = 4
  )
}

crossed_points <- function(crossed, tone) {
  if (NROW(crossed) == 0L) return(NULL)
  ggplot2::geom_point(
    data = crossed, colour = palette_of[["ink"]], fill = tone, shape = 21L, size = 3.4
  )
}

# Said of a single course; panels say it in their names.
crossed_words <- function(crossed, by, words, hjust, vjust) {
  if (NROW(crossed) == 0L || length(by) > 0L) return(NULL)
  ggplot2::annotate(
    "text",
    x = crossed$age,
    y = crossed$value,
    label = sprintf(words, crossed$age),
    hjust = hjust,
    vjust = vjust,
    size = 4.2,
    colour = palette_of[["ink"]]
  )
}
