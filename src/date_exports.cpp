#include <Rcpp.h>
#include "date_kernels.h"
#include "lazy_text.h"

namespace {
nubrek::DateText element(const nubrek::TextView& text, R_xlen_t at) {
  const std::size_t i = static_cast<std::size_t>(at);
  return text.missing(i) ? nubrek::DateText() : nubrek::read_date(text[i].data(), text[i].size());
}
}  // namespace

// `order` is "year-first", "day-first" or "month-first"; texts that begin with a year are read in
// any of them.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_read_days(SEXP texts, std::string order) {
  const nubrek::TextView text(texts);
  const nubrek::DateOrder reading = order == "day-first"     ? nubrek::DateOrder::day_first
                                    : order == "month-first" ? nubrek::DateOrder::month_first
                                                             : nubrek::DateOrder::year_first;
  const R_xlen_t n = static_cast<R_xlen_t>(text.size());
  Rcpp::IntegerVector day(n);
  Rcpp::NumericVector seconds(n), offset(n, NA_REAL);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (i % 65536 == 0) Rcpp::checkUserInterrupt();
    const nubrek::DateText t = element(text, i);
    const int d = nubrek::day_of(t, reading);
    day[i] = d == nubrek::kNoDay ? NA_INTEGER : d;
    seconds[i] = t.seconds;
    if (t.has_offset) offset[i] = t.offset;
  }
  return Rcpp::List::create(Rcpp::_["day"] = day, Rcpp::_["seconds"] = seconds,
                            Rcpp::_["offset"] = offset);
}

// How many texts are days when read each way (texts that begin with a year are counted apart), and
// a first example of one that only one reading explains.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_date_orders(SEXP texts) {
  const nubrek::TextView text(texts);
  nubrek::OrderCounts n;
  for (R_xlen_t i = 0; i < static_cast<R_xlen_t>(text.size()); ++i)
    n.add(element(text, i), static_cast<int>(i) + 1);
  return Rcpp::List::create(Rcpp::_["year_first"] = n.year_first,
                            Rcpp::_["day_first"] = n.day_first,
                            Rcpp::_["month_first"] = n.month_first, Rcpp::_["both"] = n.both,
                            Rcpp::_["only_day"] = n.only_day, Rcpp::_["only_month"] = n.only_month,
                            Rcpp::_["first_both"] = n.first_both);
}
