# The best, one by one.

#' @rdname autoplot.nubrek
#' @param people `[logical(1)]` Are customers named by their ids, or by their ranks alone?
#' @method autoplot nubrek_ranks
#' @exportS3Method ggplot2::autoplot nubrek_ranks
autoplot.nubrek_ranks <- function(object, ..., people = TRUE, groups = 12L) {
  rlang::check_dots_empty()
  throw_unless(checkmate::check_flag(people), "people", rlang::current_env())
  nothing_to_draw(nrow(object) == 0L, object)
  drawn <- ranked_bars(object, people, groups)
  ggplot2::ggplot(drawn$data, ggplot2::aes(.data$value, .data$label)) +
    ggplot2::geom_col(fill = palette_of[["petrol"]], width = 0.66) +
    ggplot2::geom_text(
      ggplot2::aes(label = .data$text), hjust = -0.05, size = 3.8, colour = palette_of[["ink"]]
    ) +
    ggplot2::scale_y_discrete(labels = \(at) sub("^[^\t]*\t", "", at)) +
    ggplot2::scale_x_continuous(
      # room for the number behind the longest bar: half a page is narrow
      limits = c(
        min(0, drawn$data$value),
        max(0, drawn$data$value) * if (nlevels(drawn$data$group) > 1L) 1.4 else 1.2
      ),
      labels = \(v) format_count(round(v)),
      expand = ggplot2::expansion(0)
    ) +
    (
      if (length(drawn$within) > 0L) {
        ggplot2::facet_wrap(
          ~group, scales = "free_y", ncol = 2L, labeller = short_strips(36L)
        )
      }
    ) +
    figure_words(
      object,
      paste0(
        capital(gsub("_", " ", drawn$measure)), say(" of each"),
        if (length(drawn$within) > 0L) {
          paste0(say(", within "), paste(gsub("_", " ", drawn$within), collapse = " and "))
        },
        say("; the number is the rank")
      ),
      title = describe(object)$heading,
      caption = paste0(
        "n = ", format_count(nrow(object)), say(" rows."),
        if (drawn$left > 0L) say(" %s are not drawn.", n_of(drawn$left, "more row"))
      )
    ) +
    theme_nubrek() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      strip.text = ggplot2::element_text(hjust = 0, size = 12, face = "bold")
    )
}

# What is drawn: the first rows of each of the first groups; labels are unique over groups, what
# stands before the tab is not shown.
ranked_bars <- function(object, people, groups) {
  within <- basis_of(object, "within", NULL)
  measure <- basis_of(object, "by")
  data <- plain_table(object)
  data$value <- as.double(data[[measure]])
  data$group <- if (length(within) == 0L) {
    "all"
  } else {
    do.call(paste,
      c(lapply(data[within], \(x) ifelse(is.na(x), "(missing)", as.character(x))), sep = ", "))
  }
  shown <- utils::head(unique(data$group), groups)
  most <- if (length(shown) > 1L) max(3L, 30L %/% length(shown)) else 20L
  place <- stats::ave(seq_len(nrow(data)), data$group, FUN = seq_along)
  drawn <- data[data$group %in% shown & place <= most, ]
  drawn$group <- factor(drawn$group, shown)
  name <- if (people) paste0(drawn$rank, "  ", drawn$customer) else as.character(drawn$rank)
  drawn$label <- paste0(seq_len(nrow(drawn)), "\t", name)
  drawn$label <- factor(drawn$label, rev(drawn$label))
  money <- kind_of(measure, drawn$value) == "money"
  drawn$text <- if (money) {
    format_money(drawn$value, basis_of(object, "currency"))
  } else {
    format_count(round(drawn$value))
  }
  list(
    data = drawn, within = within, measure = measure, left = nrow(data) - nrow(drawn), most = most
  )
}

ranks_height <- function(x) {
  drawn <- ranked_bars(x, FALSE, 12L)
  rows <- table(drawn$data$group)
  columns <- if (length(rows) > 1L) 2L else 1L
  0.7 + ceiling(length(rows) / columns) * (0.35 + 0.26 * max(rows))
}
