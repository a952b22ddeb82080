// Columns of histories and of parameters as the exports get them from R. The vectors are kept
// because those of whole numbers are converted ones.
#pragma once
#include <Rcpp.h>
#include "purchase_kernels.h"
#include "spend_kernels.h"

namespace nubrek {

// A list of the distinct `sets`, columns of a matrix, and the `set` of each row (none: the first).
struct SetColumns {
  Rcpp::NumericMatrix sets;
  Rcpp::IntegerVector set;
  ParameterSets rows;
  explicit SetColumns(const Rcpp::List& own) : SetColumns(own["sets"], own["set"]) {}
  SetColumns(const Rcpp::NumericMatrix& sets, const Rcpp::IntegerVector& set)
      : sets(sets), set(set), rows{sets.begin(), set.size() > 0 ? set.begin() : nullptr} {
    if (sets.nrow() != 4) Rcpp::stop("a parameter set has four parameters");
    for (const int one : set)
      if (one < 1 || one > sets.ncol()) Rcpp::stop("a row names a parameter set that is not there");
  }
};

struct HistoryColumns {
  Rcpp::NumericVector repeats, last, span;
  Histories rows;
  explicit HistoryColumns(const Rcpp::List& h)
      : repeats(h["repeats"]),
        last(h["last"]),
        span(h["span"]),
        rows{repeats.begin(), last.begin(), span.begin(),
             static_cast<std::size_t>(repeats.size())} {}
};

struct SpendColumns {
  Rcpp::NumericVector repeats, spend, log_spend, spread;
  Spends rows;
  explicit SpendColumns(const Rcpp::List& h)
      : repeats(h["repeats"]),
        spend(h["spend"]),
        log_spend(h["log_spend"]),
        spread(h["log_spread"]),
        rows{repeats.begin(), spend.begin(), log_spend.begin(), spread.begin(),
             static_cast<std::size_t>(repeats.size())} {}
};

// Square and symmetric.
inline Rcpp::NumericMatrix square(const std::vector<double>& values, std::size_t wide) {
  return Rcpp::NumericMatrix(static_cast<int>(wide), static_cast<int>(wide), values.begin());
}

}  // namespace nubrek
