# Completion of words on the command line, written from the records.

completion_shells <- c("bash", "zsh")

# A script for a shell: verbs, then what each verb knows (parts, figures, sections, groups, options
# and their words); everything else is a file.
completion_script <- function(shell) {
  verbs <- names(command_verbs)
  words <- vapply(verbs, \(verb) paste(verb_words(verb), collapse = " "), "")
  options <- vapply(verbs, \(verb) paste(option_flags(verb), collapse = " "), "")
  values <- list(
    "--format" = names(shown_formats),
    "--view" = c("age", "calendar"),
    "--measure" = c(names(grid_measures), names(wait_measures))
  )
  case <- \(names, values) sprintf("    %s) words=\"%s\" ;;", names, values)
  c(
    if (shell == "zsh") c("#compdef nubrek", "autoload -U +X bashcompinit && bashcompinit"),
    "_nubrek() {",
    "  local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD-1]}",
    "  local verb=${COMP_WORDS[1]} words=\"\"",
    "  COMPREPLY=()",
    "  case $before in",
    case(names(values), vapply(values, paste, "", collapse = " ")),
    "  esac",
    "  if [ -z \"$words\" ] && [ \"$COMP_CWORD\" -eq 1 ]; then",
    sprintf("    words=\"%s --help --version\"", paste(verbs, collapse = " ")),
    "  elif [ -z \"$words\" ] && [ \"${word#-}\" != \"$word\" ]; then",
    "    case $verb in",
    paste0("  ", case(verbs, options)),
    "    esac",
    "  elif [ -z \"$words\" ] && [ \"$COMP_CWORD\" -eq 2 ]; then",
    "    case $verb in",
    paste0("  ", case(verbs[nzchar(words)], words[nzchar(words)])),
    "    esac",
    "  fi",
    "  if [ -n \"$words\" ]; then COMPREPLY=($(compgen -W \"$words\" -- \"$word\")); fi",
    "}",
    "complete -o default -F _nubrek nubrek"
  )
}

# What may stand first after a verb.
verb_words <- function(verb) {
  switch(verb,
    show = ,
    list = shown_parts(),
    draw = figure_parts(),
    keys = names(study_schema()),
    parts = names(report_sections),
    completion = completion_shells,
    character()
  )
}

option_flags <- function(verb) {
  c(vapply(command_options(verb), \(option) option@long_flag, ""), "--help")
}
