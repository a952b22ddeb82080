# The site, without the network: help pages and vignettes by pkgdown; it opens with the questions.
# Its home page and news would ask elsewhere and are left out. Run by `make site`.
pkg <- pkgdown::as_pkgdown(".", override = list(destination = "site"))
pkgdown::init_site(pkg)
pkgdown::build_reference(pkg, examples = FALSE, preview = FALSE, devel = FALSE)
pkgdown::build_articles(pkg, preview = FALSE)
writeLines(c(
  "<!DOCTYPE html>",
  "<meta charset=\"utf-8\">",
  "<meta http-equiv=\"refresh\" content=\"0; url=articles/how-do-i.html\">",
  "<title>nubrek</title>",
  "<a href=\"articles/how-do-i.html\">How do I …?</a>"
), "site/index.html", useBytes = TRUE)

# Every link inside leads somewhere.
pages <- list.files("site", "[.]html$", recursive = TRUE)
dead <- unlist(lapply(pages, function(page) {
  text <- paste(readLines(file.path("site", page), encoding = "UTF-8", warn = FALSE), collapse = "\n")
  links <- regmatches(text, gregexpr("(?<=href=\")[^\"#?]+", text, perl = TRUE))[[1L]]
  links <- unique(links[!grepl("^[a-z]+:|^//", links)])
  there <- file.exists(file.path("site", dirname(page), links))
  if (any(!there)) paste(page, "->", links[!there])
}))
dead <- dead[!grepl("-> (.*news/|.*LICENSE|.*authors)", dead)]
cat(length(pages), "pages\n")
if (length(dead) > 0L) stop("dead links:\n", paste(utils::head(dead, 20L), collapse = "\n"))
