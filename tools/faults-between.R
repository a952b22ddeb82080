# What lies between runs, under trouble: single bytes of every data file of a study changed, older
# kept parts put back, a draw killed. After each, the lists are byte for byte those of a clean run.
# Usage: Rscript tools/faults-between.R [EDITS] [SEED]
args <- commandArgs(TRUE)
edits <- if (length(args) > 0L) as.integer(args[[1L]]) else 60L
set.seed(if (length(args) > 1L) as.integer(args[[2L]]) else 1L)
library(nubrek)
Sys.setenv(R_USER_DATA_DIR = tempfile("user-"))
root <- tempfile("between-")
dir.create(root)
troubles <- 0L
claim <- function(what, holds) {
  if (isTRUE(holds)) return(invisible())
  troubles <<- troubles + 1L
  cat("NOT SO:", what, "\n")
}

n <- 900L
ids <- sprintf("K%03d", 1:120)
put <- function(table, name) data.table::fwrite(table, file.path(root, name))
put(data.frame(
  who = sample(ids, n, TRUE), receipt = seq_len(n), shop = sample(c("Mill", "Quay"), n, TRUE),
  day = as.Date("2024-01-03") + sort(sample(600L, n, TRUE)), sku = sample(sprintf("S%d", 1:9), n, TRUE),
  paid = sprintf("%.2f", runif(n, 1, 90)), coin = sample(c("EUR", "DKK"), n, TRUE, c(0.9, 0.1))
), "orders.csv")
put(data.frame(id = ids, town = sample(c("Carrow", "Stell"), 120L, TRUE), ok = "yes"), "people.csv")
put(data.frame(sku = sprintf("S%d", 1:9), group = rep(c("Yarn", "Kits", "Tools"), 3L)), "goods.csv")
put(data.frame(id = c("K001", "K002"), main = c("K003", "K003")), "aliases.csv")
put(data.frame(month = c("2024-03", "2024-09"), spend = c(120, 340)), "spend.csv")
put(data.frame(date = c("2024-01-01", "2025-01-01"), currency = "DKK", rate = c("0.134", "0.135")), "rates.csv")
put(data.frame(
  customer = sample(ids, 60L), day = "2025-02-01", campaign = "letter"
), "contacts.csv")
files <- list.files(root)
study <- file.path(root, "study.yaml")
writeLines(c(
  "data:", "  orders:", "    files: orders.csv",
  "    columns: {customer: who, order: receipt, date: day, sales: paid, product: sku, channel: shop, currency: coin}",
  "  keep: ledger",
  "  customers: {files: people.csv, key: id, attributes: [town, ok]}",
  "  products: {files: goods.csv, key: sku, attributes: {category: group}}",
  "  aliases: {files: aliases.csv, key: id, same_as: main}",
  "  rates: {files: rates.csv}",
  "  contacts: {files: contacts.csv, columns: {customer: customer, day: day, campaign: campaign}}",
  "meanings: {currency: EUR, consent: ok}",
  "economics: {margin_rate: 0.4}",
  "payback: {spend: {files: spend.csv, period: month, amount: spend}}",
  "tiers: {shares: {best: 20, other: 80}}",
  "repeat: {by: [town]}", "sales: {by: [channel, category]}",
  "audiences: {written to: {rule: contacted(last = 400)}}",
  "campaigns: {winter: {audience: written to, share: 0.4, days: 30, day: 2025-06-01, cost_per_contact: 1, file: winter.json}}",
  "outputs: {report: no}"
), study)

# The lists of a run, or the words of its error.
lists_of <- function(...) {
  told <- tryCatch(
    suppressMessages(suppressWarnings(run_study(study, ...))), error = function(e) e
  )
  if (inherits(told, "nubrek_error")) return(class(told)[[1L]])
  if (inherits(told, "error")) return(paste("base error:", conditionMessage(told)))
  paths <- told$files[basename(told$files) != "changes.csv"]
  stats::setNames(tools::md5sum(paths), basename(paths))
}
clean <- function() {
  before <- Sys.getenv("R_USER_DATA_DIR")
  Sys.setenv(R_USER_DATA_DIR = tempfile("user-"))
  kept <- file.path(root, "ledger")
  aside <- paste0(kept, "-aside")
  if (dir.exists(kept)) file.rename(kept, aside)
  on.exit({
    Sys.setenv(R_USER_DATA_DIR = before)
    unlink(kept, recursive = TRUE)
    if (dir.exists(aside)) file.rename(aside, kept)
  })
  lists_of(tempfile("out-", root))
}

invisible(lists_of())
same <- 0L
for (i in seq_len(edits)) {
  path <- file.path(root, files[[1L + i %% length(files)]])
  good <- readBin(path, "raw", file.size(path))
  stamp <- file.mtime(path)
  at <- sample(length(good), 1L)
  new <- good
  new[[at]] <- charToRaw(sample(c("0", "7", "a", ",", "-"), 1L))
  writeBin(new, path)
  Sys.setFileTime(path, stamp)
  here <- lists_of()
  there <- clean()
  claim(paste("a byte of", basename(path), "at", at, "gave", here[[1L]]), !any(grepl("^base", here)))
  claim(paste("a byte of", basename(path), "at", at, "left stale lists"), identical(here, there))
  same <- same + identical(here, there)
  writeBin(good, path)
  Sys.setFileTime(path, stamp)
}
cat(sprintf("%d edits of a byte, times kept: %d as a clean run\n", edits, same))

# Kept parts and the kept ledger of other data put back.
kept <- c(file.path(root, "nubrek-results", "runs"), file.path(root, "ledger"))
old <- file.path(root, "old-runs")
invisible(lists_of())
invisible(file.copy(kept[[1L]], root, recursive = TRUE, copy.date = TRUE))
invisible(file.rename(file.path(root, "runs"), old))
dir.create(file.path(root, "hold-ledger"))
invisible(file.copy(kept[[2L]], file.path(root, "hold-ledger"), recursive = TRUE, copy.date = TRUE))
orders <- file.path(root, "orders.csv")
text <- readLines(orders)
writeLines(text[-(2:30)], orders)
invisible(lists_of())
unlink(kept, recursive = TRUE)
invisible(file.rename(old, kept[[1L]]))
invisible(file.rename(file.path(root, "hold-ledger", "ledger"), kept[[2L]]))
claim("older parts and an older ledger put back are believed", identical(lists_of(), clean()))
writeLines(text, orders)

# A draw that is killed leaves no campaign or a whole one.
command <- c(file.path(R.home("bin"), "Rscript"), system.file("exec", "nubrek", package = "nubrek"))
campaign <- file.path(root, "winter.json")
whole <- 0L
for (i in 1:15) {
  unlink(Sys.glob(file.path(root, "winter*")))
  line <- paste(shQuote(c(command, "hold", "winter", study)), collapse = " ")
  group <- as.integer(system(paste("setsid", line, ">/dev/null 2>&1 & echo $!"), intern = TRUE))
  Sys.sleep(runif(1L, 0.3, 2.5))
  system(paste0("kill -9 -", group, " 2>/dev/null"))
  Sys.sleep(0.1)
  if (!file.exists(campaign)) next
  opened <- tryCatch(open_campaign(campaign), error = function(e) NULL)
  claim(paste("a killed draw left a broken campaign, the", i), !is.null(opened))
  whole <- whole + !is.null(opened)
}
cat(sprintf("15 draws killed: %d campaigns, each whole\n", whole))

# A refresh that is killed leaves the ledger as it was, and the next one is that of all rows.
base <- file.path(root, "till.sqlite")
folder <- file.path(root, "till")
till <- data.frame(
  who = sample(ids, 20000L, TRUE), receipt = seq_len(20000L), paid = runif(20000L, 1, 90),
  day = format(as.Date("2024-01-03") + sort(sample(600L, 20000L, TRUE)))
)
map <- column_map("who", "day", order = "receipt", sales = "paid")
con <- DBI::dbConnect(RSQLite::SQLite(), base)
DBI::dbWriteTable(con, "sold", till)
in_till <- function() db_table(con, "sold", added = "receipt")
save_ledger(open_ledger(in_till(), map, meanings(currency = "EUR"), workspace = "main"), folder)
refresh <- tempfile(fileext = ".R", tmpdir = root)
writeLines(c(
  "library(nubrek)", sprintf("con <- DBI::dbConnect(RSQLite::SQLite(), '%s')", base),
  sprintf("ledger <- refresh_ledger(open_ledger('%s', connection = con))", folder),
  sprintf("save_ledger(ledger, '%s')", folder)
), refresh)
right <- 0L
for (i in 1:12) {
  more <- transform(till[sample(nrow(till), 400L), ], receipt = 100000L * i + 1:400, day = "2026-01-02")
  DBI::dbWriteTable(con, "sold", more, append = TRUE)
  line <- paste(shQuote(c(command[[1L]], refresh)), collapse = " ")
  group <- as.integer(system(paste("setsid", line, ">/dev/null 2>&1 & echo $!"), intern = TRUE))
  Sys.sleep(runif(1L, 0.5, 2.5))
  system(paste0("kill -9 -", group, " 2>/dev/null"))
  Sys.sleep(0.1)
  told <- tryCatch(
    {
      old <- open_ledger(folder, connection = con)
      fresh <- refresh_ledger(old)
      whole <- open_ledger(DBI::dbReadTable(con, "sold"), map, meanings(currency = "EUR"))
      same <- isTRUE(all.equal(customers(fresh), customers(whole))) && all(prove_totals(fresh)$exact)
      save_ledger(fresh, folder)
      if (fresh$db$mark != old$db$mark) close_ledger(old)
      same
    },
    error = function(e) conditionMessage(e)
  )
  claim(paste("a killed refresh left something wrong, the", i, told), isTRUE(told))
  right <- right + isTRUE(told)
}
left <- setdiff(DBI::dbListTables(con), "sold")
cat(sprintf("12 refreshes killed: %d right afterwards; %d tables beside the rows\n", right, length(left)))
DBI::dbDisconnect(con)
unlink(root, recursive = TRUE)
cat(if (troubles == 0L) "All as promised.\n" else paste(troubles, "not as promised.\n"))
quit(status = as.integer(troubles > 0L))
