// What is asked of a purchase model for many customers at once: plain arrays, no R. Rows are done
// in chunks of a fixed size, so that no sum depends on the number of threads.
#pragma once
#include <algorithm>
#include <cstddef>
#include <vector>
#include "purchase_model.h"
#include "threads.h"

namespace nubrek {

constexpr std::size_t kChunk = 2048;
inline std::size_t chunks_of(std::size_t n) {
  return (n + kChunk - 1) / kChunk;
}

template <class Row>
void each_row(std::size_t n, int threads, const Row& row) {
  run_tasks(chunks_of(n), threads, [&](std::size_t chunk) {
    const std::size_t from = chunk * kChunk, to = std::min(n, from + kChunk);
    for (std::size_t i = from; i < to; ++i) row(i);
  });
}

// Four parameters for each set; `set` tells that of each row, from 1 (null: all have the first).
struct ParameterSets {
  const double* sets;
  const int* set;
  const double* of(std::size_t row) const {
    return sets + (set ? 4 * static_cast<std::size_t>(set[row] - 1) : 0);
  }
};

struct Histories {
  const double *x, *t_x, *T;
  std::size_t n;
  History of(std::size_t row) const { return {x[row], t_x[row], T[row]}; }
};

// Covariates: a column of `columns` for each set, its first `buying` rows for the rate of buying,
// the others for leaving; `effects` of each. Rows of histories should stand in the order of sets.
struct Design {
  const double* columns;
  const double* effects;
  std::size_t wide, buying;
  const int* set;
};

// The weighted log-likelihood with gradient and (symmetric) Hessian in the logs of the base
// parameters and in the effects.
struct LogLikelihood {
  double value;
  std::vector<double> gradient, hessian;
};
LogLikelihood sum_log_likelihood(const PurchaseModel& model, const double* base,
                                 const Design& design, const Histories& h, const double* count,
                                 int threads);

// Expected purchases in (0, horizon], a horizon for all or one for each row, discounted at one
// rate.
void expected_purchases(const PurchaseModel& model, const ParameterSets& sets, const Histories& h,
                        const std::vector<double>& horizon, double delta, int threads, double* out);

// Probability of still being a customer, and the expected purchases: a column of `expected` for
// each horizon with its rate.
void purchases_ahead(const PurchaseModel& model, const ParameterSets& sets, const Histories& h,
                     const std::vector<double>& horizons, const std::vector<double>& deltas,
                     int threads, double* active, double* expected);

// Probabilities of 0, 1, ..., wide - 1 purchases in (0, horizon]: a column each.
void purchase_distribution(const PurchaseModel& model, const ParameterSets& sets,
                           const Histories& h, const std::vector<double>& horizon, std::size_t wide,
                           int threads, double* out);

// Purchase times of new customers, each seen for `span`.
std::vector<std::vector<double>> draw_purchases(const PurchaseModel& model,
                                                const ParameterSets& sets, const double* span,
                                                std::size_t n, std::uint64_t seed, int threads);

}  // namespace nubrek
