# Currencies: the codes of ISO 4217, and columns that hold them.

iso_currencies <- strsplit(
  paste(
    paste0(paste0(
      "AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BGN BHD BIF BMD BND BOB BRL BSD BTN ",
      "BWP "
    ), "BYN BZD"),
    paste0(paste0(
      "CAD CDF CHF CLP CNY COP CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL ",
      "GHS "
    ), "GIP GMD"),
    paste0(paste0(
      "GNF GTQ GYD HKD HNL HRK HTG HUF IDR ILS INR IQD IRR ISK JMD JOD JPY KES KGS KHR KMF KPW ",
      "KRW "
    ), "KWD KYD"),
    paste0(paste0(
      "KZT LAK LBP LKR LRD LSL LYD MAD MDL MGA MKD MMK MNT MOP MRU MUR MVR MWK MXN MYR MZN NAD ",
      "NGN "
    ), "NIO NOK"),
    paste0(paste0(
      "NPR NZD OMR PAB PEN PGK PHP PKR PLN PYG QAR RON RSD RUB RWF SAR SBD SCR SDG SEK SGD SHP ",
      "SLE "
    ), "SOS SRD"),
    paste0(paste0(
      "SSP STN SVC SYP SZL THB TJS TMT TND TOP TRY TTD TWD TZS UAH UGX USD UYU UZS VED VES VND ",
      "VUV "
    ), "WST XAF"),
    "XCD XOF XPF YER ZAR ZMW ZWL"
  ),
  " "
)[[1L]]

currency_decimals <- function(currency) {
  if (currency %in% c("JPY", "KRW", "ISK", "CLP", "VND", "XAF", "XOF")) return(0L)
  if (currency %in% c("BHD", "KWD", "OMR", "TND", "JOD")) return(3L)
  2L
}

# The currency codes that a column of cells holds, the most frequent first; none where less than 99
# % of what is said there are codes (definition 5).
currencies_in <- function(cells) {
  text <- levels(cells)
  if (length(text) == 0L || length(text) > 5000L) return(character())
  code <- toupper(trim_text(text))
  filled <- !is_blank(text)
  known <- filled & code %in% iso_currencies
  if (!any(known)) return(character())
  times <- tabulate(cells, length(text))
  if (sum(times[known]) < 0.99 * sum(times[filled])) return(character())
  counts <- sort(tapply(times[known], code[known], sum), decreasing = TRUE)
  names(counts)[counts > 0]
}

# Amounts of several currencies must not be added up unseen: a column that holds their codes is
# mapped, or the user insists that the amounts are of one.
check_one_currency <- function(cells, map, meaning, call) {
  if (has_role(map, "currency") || meaning$currencies == "one") return(invisible())
  roles <- unname(unclass(map)[intersect(names(map), column_roles)])
  for (name in setdiff(names(cells), roles)) {
    found <- currencies_in(cells[[name]])
    if (length(found) < 2L) next
    abort_nubrek(c(
      "The amounts may be of several currencies.",
      "x" = "Column {.field {name}} holds {.val {utils::head(found, 5L)}} and is not mapped.",
      "i" = paste0(
        "Map it ({.code column_map(currency = \"{name}\")}, in a study {.code currency: {name}}) ",
        "and name the home currency."
      ),
      "i" = "If all amounts are of one currency, say {.code currencies = \"one\"} in the meanings."
    ), "currency", columns = name, currencies = found, call = call)
  }
}
