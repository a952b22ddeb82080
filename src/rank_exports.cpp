#include <Rcpp.h>
#include "rank_kernels.h"

// How many of the values are strictly less (or, with `more`, strictly more) than each; no missing
// values.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_count_others(SEXP values, bool more) {
  const R_xlen_t n = Rf_xlength(values);
  Rcpp::IntegerVector out = Rcpp::no_init(n);
  const nubrek::RankCounts counts{more ? nullptr : out.begin(), more ? out.begin() : nullptr};
  if (TYPEOF(values) == INTSXP) {
    if (nubrek::count_by_value(INTEGER(values), static_cast<std::size_t>(n), counts)) return out;
  } else if (nubrek::count_by_value(REAL(values), static_cast<std::size_t>(n), counts))
    return out;
  const Rcpp::NumericVector x(values);
  nubrek::count_by_sorting(x.begin(), static_cast<std::size_t>(n), counts);
  return out;
}

// The rows from rank 1 down, equal ranks in their order; `rank` is 1 + the number strictly better.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_rows_by_rank(Rcpp::IntegerVector rank) {
  const R_xlen_t n = rank.size();
  Rcpp::IntegerVector out = Rcpp::no_init(n);
  std::vector<int> next(static_cast<std::size_t>(n) + 1,
                        0);  // how many of the rank have been placed
  for (R_xlen_t i = 0; i < n; ++i) out[rank[i] - 1 + next[rank[i]]++] = static_cast<int>(i) + 1;
  return out;
}

// 1 + (bands x number strictly worse) div n, and the lowest value from each band up (infinite where
// nobody is).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_bands(Rcpp::NumericVector value, Rcpp::IntegerVector worse, int bands) {
  const R_xlen_t n = value.size();
  Rcpp::IntegerVector band = Rcpp::no_init(n);
  Rcpp::NumericVector lowest(bands, R_PosInf);
  for (R_xlen_t i = 0; i < n; ++i) {
    const int b = static_cast<int>(static_cast<std::int64_t>(bands) * worse[i] / n);
    band[i] = b + 1;
    if (value[i] < lowest[b]) lowest[b] = value[i];
  }
  for (int b = bands - 1; b > 0; --b)
    if (lowest[b] < lowest[b - 1]) lowest[b - 1] = lowest[b];
  return Rcpp::List::create(Rcpp::_["band"] = band, Rcpp::_["lowest"] = lowest);
}
