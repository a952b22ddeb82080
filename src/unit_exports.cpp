#include <Rcpp.h>
#include "unit_kernels.h"

// Numbers distinct pairs of codes from 1, in order of appearance.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_number_pairs(Rcpp::IntegerVector a, Rcpp::IntegerVector b) {
  Rcpp::IntegerVector unit(a.size());
  const std::size_t n = nubrek::number_pairs(a.begin(), b.begin(), a.size(), unit.begin());
  for (R_xlen_t i = 0; i < unit.size(); ++i) ++unit[i];
  return Rcpp::List::create(Rcpp::_["unit"] = unit, Rcpp::_["n"] = static_cast<int>(n));
}

// Per unit (1-based): the first row, the smallest of `time` (in seconds), the sum of `sales` and the number of rows. Only rows
// with `entry` decide the first row and the time.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_unit_sums(Rcpp::IntegerVector unit, int n_units, Rcpp::NumericVector time, Rcpp::NumericVector sales, Rcpp::LogicalVector entry) {
  Rcpp::IntegerVector first(n_units, NA_INTEGER), rows(n_units);
  Rcpp::NumericVector start(n_units, R_PosInf), last(n_units, R_NegInf), total(n_units);
  for (R_xlen_t i = 0; i < unit.size(); ++i) {
    const int u = unit[i] - 1;
    total[u] += sales[i];
    ++rows[u];
    if (!entry[i]) continue;
    if (first[u] == NA_INTEGER) first[u] = static_cast<int>(i + 1);
    if (time[i] < start[u]) start[u] = time[i];
    if (time[i] > last[u]) last[u] = time[i];
  }
  return Rcpp::List::create(Rcpp::_["first"] = first, Rcpp::_["start"] = start, Rcpp::_["last"] = last, Rcpp::_["sales"] = total, Rcpp::_["rows"] = rows);
}
