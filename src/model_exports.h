// Columns of histories and of parameters as the exports get them from R.
#pragma once
#include <Rcpp.h>
#include "purchase_model.h"
#include "spend_model.h"

namespace nubrek {

// Parameter sets are the columns of a matrix; `set` tells that of each row, counted from 1 (empty:
// all have the first).
struct ParameterSets {
  const double* sets;
  const int* set;
  int rows;
  ParameterSets(const Rcpp::NumericMatrix& sets, const Rcpp::IntegerVector& set)
      : sets(sets.begin()), set(set.size() > 0 ? set.begin() : nullptr), rows(sets.nrow()) {
    for (const int one : set)
      if (one < 1 || one > sets.ncol()) Rcpp::stop("a row names a parameter set that is not there");
  }
  const double* of(R_xlen_t row) const {
    return sets + (set ? static_cast<R_xlen_t>(set[row] - 1) * rows : 0);
  }
};

// The vectors are kept because those of whole numbers are converted ones.
struct Histories {
  Rcpp::NumericVector repeats, last, span;
  const double *x, *t_x, *T;
  R_xlen_t n;
  explicit Histories(const Rcpp::List& h)
      : repeats(h["repeats"]),
        last(h["last"]),
        span(h["span"]),
        x(repeats.begin()),
        t_x(last.begin()),
        T(span.begin()),
        n(repeats.size()) {}
  History of(R_xlen_t row) const { return {x[row], t_x[row], T[row]}; }
};

struct Spends {
  Rcpp::NumericVector repeats, spend, log_spend, spread;
  const double *n, *mean, *log_mean, *log_spread;
  R_xlen_t rows;
  explicit Spends(const Rcpp::List& h)
      : repeats(h["repeats"]),
        spend(h["spend"]),
        log_spend(h["log_spend"]),
        spread(h["log_spread"]),
        n(repeats.begin()),
        mean(spend.begin()),
        log_mean(log_spend.begin()),
        log_spread(spread.begin()),
        rows(repeats.size()) {}
  Amounts of(R_xlen_t row) const { return {n[row], mean[row], log_mean[row], log_spread[row]}; }
};

constexpr R_xlen_t kChunk =
    2048;  // rows of a task: fixed, so that sums do not depend on the threads
inline std::size_t chunks_of(R_xlen_t n) {
  return static_cast<std::size_t>((n + kChunk - 1) / kChunk);
}

}  // namespace nubrek
