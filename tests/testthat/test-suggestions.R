# What Nubrek tells people to write must work when they write it.

# All that the texts of the sources give as code, and commands on a study.
suggested <- function() {
  folder <- test_path("../../R")
  skip_if_not(dir.exists(folder), "sources not at hand")
  texts <- unlist(lapply(list.files(folder, "[.]R$", full.names = TRUE), \(file) {
    data <- utils::getParseData(parse(file, keep.source = TRUE, encoding = "UTF-8"), TRUE)
    vapply(data$text[data$token == "STR_CONST"], \(x) eval(parse(text = x)), "")
  }))
  code <- unlist(regmatches(
    texts, gregexpr("(?<=[{][.]code )([^{}]|[{][^{}]*[}])*(?=[}])", texts, perl = TRUE)
  ))
  ticked <- unlist(regmatches(texts, gregexpr("(?<=`)nubrek [a-z]+[^`]*(?=`)", texts, perl = TRUE)))
  unique(c(code, ticked, grep("^nubrek [a-z]+ .*STUDY", texts, value = TRUE)))
}

# What stands for something of the reader's own.
filled <- function(text, gap = "repeat") {
  text <- gsub("[{][^{}]*[}]|%s", gap, text)
  for (gap in names(reader_words)) text <- gsub(gap, reader_words[[gap]], text)
  trimws(text)
}
reader_words <- c(
  "\\bSTUDY\\b" = "study.yaml", "\\bTIER\\b" = "wool", "\\bTIERS\\b" = "wool", "\\bFILE\\b" = "x",
  "\\bPART\\b" = "repeat", " \\.\\.\\. " = " repeat study.yaml "
)

test_long("every command that a message names is one, with options that it has", {
  commands <- filled(grep("^nubrek [a-z]", suggested(), value = TRUE))
  expect_gt(length(commands), 10L)
  for (command in commands) {
    words <- strsplit(command, " +")[[1L]][-1L]
    words <- words[!grepl("^\\[|\\]$", words)]
    verb <- words[[1L]]
    expect_true(verb %in% names(command_verbs), label = command)
    known <- command_flags(verb)
    expect_identical(
      setdiff(grep("^--", words, value = TRUE), known), character(), label = command
    )
  }
})

test_long("every option, key and call that a message names is there", {
  code <- filled(suggested(), "each")
  code <- code[!grepl("^nubrek |^openssl|^each|SELECT", code)]
  flags <- setdiff(unlist(regmatches(code, gregexpr("^--[a-z-]+", code))), "--each")
  known <- unlist(lapply(names(verb_options), command_flags))
  expect_gt(length(flags), 2L)
  expect_identical(setdiff(flags, known), character())
  # `key: value` of a study
  keyed <- grep("^[a-z_]+: ?[^:]", code, value = TRUE)
  keys <- unique(unlist(strsplit(gsub("[^a-z_: ].*$", "", keyed), ": ?")))
  expect_gt(length(keyed), 3L)
  told <- c(names(study_schema()), unlist(strsplit(study_keys()$key, "[: ,.]+")))
  expect_identical(setdiff(sub(":.*", "", keyed), told), character())
  # calls of R, with arguments that they have
  calls <- Filter(\(text) grepl("^[a-z_.:]+[(]", text), code)
  calls <- calls[!grepl("...", calls, fixed = TRUE)]
  expect_gt(length(calls), 15L)
  for (text in calls) {
    call <- parse(text = text)[[1L]]
    if (grepl("^(c|list|data[.]frame)[(]", text)) next # values, named as one likes
    if (is.call(call[[1L]])) next # of another package
    name <- as.character(call[[1L]])
    name <- name[[length(name)]]
    if (name %in% names(c(measure_calls, contact_calls, date_calls))) next # a word of rules
    made <- get(name, asNamespace("nubrek"), mode = "function")
    arguments <- setdiff(as.character(names(as.list(call))[-1L]), "")
    if (!"..." %in% names(formals(made))) {
      expect_identical(setdiff(arguments, names(formals(made))), character(), label = text)
    }
  }
})

test_long("what a shown part suggests can be added to its command", {
  run <- pellmere()
  for (part in intersect(shown_parts(), names(run))) {
    withr::local_options(nubrek.command = command_flags("show"))
    text <- paste(utils::capture.output(print(run[[part]])), collapse = " ")
    for (option in unlist(regmatches(text, gregexpr("(?<= |^)--[a-z-]+", text, perl = TRUE)))) {
      expect_true(
        command_takes(option) || grepl(paste("nubrek [a-z]+ .*", option), text),
        label = paste(part, option)
      )
    }
    for (command in unlist(regmatches(text, gregexpr("nubrek [a-z]+ [a-z]+ STUDY[^.]*", text)))) {
      expect_type(command_parse(strsplit(sub("^nubrek ", "", filled(command)), " +")[[1L]]), "list")
    }
  }
})

test_long("a print of 80 columns keeps what its headline speaks of", {
  withr::local_options(width = 80)
  run <- pellmere()
  kept <- 0L
  for (part in intersect(shown_parts(), names(run))) {
    answers <- describe(run[[part]])$answers
    text <- utils::capture.output(print(run[[part]]))
    rule <- grep("^\u2500", text)
    if (is.null(answers) || length(rule) == 0L) next
    heads <- strsplit(text[[rule[[1L]] - 1L]], " +")[[1L]]
    expect_identical(setdiff(answers, heads), character(), label = part)
    kept <- kept + 1L
  }
  expect_gt(kept, 5L)
})

test_long("the rule of a found group can be counted, and is the same people", {
  run <- pellmere()
  found <- attr(run$discover, "found")[[1L]]
  for (k in seq_len(min(3L, nrow(found)))) {
    job <- command_parse(c("count", found$rule[[k]], demo_run()$study, "--format", "csv"))
    counted <- utils::read.csv(text = utils::capture.output(command_do(job)()))
    expect_identical(counted$customers[[nrow(counted)]], nrow(as_audience(found, k, run$ledger)))
  }
})
