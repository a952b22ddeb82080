# Small figures beside sentences: a share, two numbers, a course.

small_size <- c(132, 34)

small_svg <- function(...) {
  htmltools::tags$svg(
    viewBox = paste("0 0", small_size[[1L]], small_size[[2L]]), `aria-hidden` = "true", ...
  )
}

small_bar <- function(x, y, width, height, tone) {
  htmltools::tags$rect(
    x = round(x, 1), y = round(y, 1), width = round(max(0, width), 1),
    height = round(max(0, height), 1), fill = paste0("var(--", tone, ")")
  )
}

# A share of the whole, with its interval if there is one.
small_share <- function(share, lower = NA, upper = NA, tone = "petrol") {
  full <- small_size[[1L]]
  share <- min(1, max(0, share))
  small_svg(
    small_bar(0, 9, full, 16, "rule"),
    small_bar(0, 9, full * share, 16, tone),
    if (!is.na(lower)) small_bar(full * lower, 15.5, full * (upper - lower), 3, "ink")
  )
}

# Two numbers of one kind, the second the newer.
small_pair <- function(before, now, tones = c("rule", "petrol")) {
  top <- max(abs(c(before, now)), 1e-9)
  full <- small_size[[1L]]
  small_svg(
    small_bar(0, 4, full * abs(before) / top, 11, tones[[1L]]),
    small_bar(0, 19, full * abs(now) / top, 11, tones[[2L]])
  )
}

# A course over time; its last part may be expected.
small_course <- function(values, expected = 0L) {
  values <- values[!is.na(values)]
  if (length(values) < 2L) return(NULL)
  top <- max(values, 1e-9)
  step <- small_size[[1L]] / length(values)
  tall <- small_size[[2L]] - 4
  small_svg(lapply(seq_along(values), \(i) {
    height <- tall * max(0, values[[i]]) / top
    small_bar(
      (i - 1) * step, 2 + tall - height, step * 0.8, height,
      if (i > length(values) - expected) "ochre" else "petrol"
    )
  }))
}
