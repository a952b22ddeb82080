# The records of all parts, in the order an analyst works.

part_records <- function() {
  records <- c(
    run_change_parts, data_parts, repeat_parts, cohort_parts, rank_parts, tier_parts,
    audience_parts, discover_parts, campaign_parts, forecast_parts, worth_parts, trust_parts,
    proof_parts
  )
  stats::setNames(records, vapply(records, `[[`, "", "name"))
}

part_record <- function(name) part_records()[[name]]

# Names of the parts for which something holds.
parts_with <- function(holds) names(Filter(holds, part_records()))

shown_parts <- function() parts_with(\(part) part$shown)
figure_parts <- function() parts_with(\(part) part$shown && !is.null(part$figure))
wanted_parts <- function(study) parts_with(\(part) part$wanted(study))

# The height of a part's figure in inches.
figure_height <- function(part, x) if (is.function(part$figure)) part$figure(x) else part$figure

# A key that a part cannot do without.
wanted_key <- function(study, section, key) {
  study[[section]][[key]] %||%
    abort_study(
      study$source,
      if (!is.null(study[[section]])) section,
      "This part needs {.field {key}} in the section {.field {section}}.",
      key = key,
      section = section
    )
}

# Keys of a section that go to the function as they stand.
settings_of <- function(study, section, keys) {
  told <- study[[section]]
  told[intersect(names(told), keys)]
}

# Words given to an option, with commas between them.
words_given <- function(text) if (!is.null(text)) trimws(strsplit(text, ",", fixed = TRUE)[[1L]])
