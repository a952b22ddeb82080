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
  Rcpp::IntegerVector out = Rcpp::no_init(rank.size());
  nubrek::rows_by_rank(rank.begin(), static_cast<std::size_t>(rank.size()), out.begin());
  return out;
}

// The rank of each row within its `group` (from 1), the highest value first, by `ties`: 0
// competition, 1 dense, 2 row; missing values have none; those above `most` are only known to be
// so.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_rank_in_groups(SEXP value, Rcpp::IntegerVector group, int n_groups,
                                       int ties, double most, int threads) {
  const std::size_t n = static_cast<std::size_t>(Rf_xlength(value));
  Rcpp::IntegerVector rank(static_cast<R_xlen_t>(n), NA_INTEGER);
  const auto how = static_cast<nubrek::Ties>(ties);
  const std::size_t enough = most < static_cast<double>(n) ? static_cast<std::size_t>(most) : n;
  if (TYPEOF(value) == INTSXP) {
    nubrek::rank_in_groups(
        INTEGER(value), group.begin(), n, static_cast<std::size_t>(n_groups),
        [](int x) { return x != NA_INTEGER; }, how, enough, threads, rank.begin());
  } else {
    const Rcpp::NumericVector x(value);
    nubrek::rank_in_groups(
        x.begin(), group.begin(), n, static_cast<std::size_t>(n_groups),
        [](double v) { return !std::isnan(v); }, how, enough, threads, rank.begin());
  }
  return rank;
}

// 1 + (bands x number strictly worse) div n, and the lowest value from each band up (infinite where
// nobody is).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_bands(Rcpp::NumericVector value, Rcpp::IntegerVector worse, int bands) {
  Rcpp::IntegerVector band = Rcpp::no_init(value.size());
  Rcpp::NumericVector lowest(bands, R_PosInf);
  nubrek::cut_bands(value.begin(), worse.begin(), static_cast<std::size_t>(value.size()), bands,
                    band.begin(), lowest.begin());
  return Rcpp::List::create(Rcpp::_["band"] = band, Rcpp::_["lowest"] = lowest);
}
