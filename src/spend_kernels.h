// What is asked of a spend model for many customers at once: plain arrays, no R.
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>
#include "spend_model.h"

namespace nubrek {

struct Spends {
  const double *count, *mean, *log_mean, *log_spread;
  std::size_t n;
  Amounts of(std::size_t row) const {
    return {count[row], mean[row], log_mean[row], log_spread[row]};
  }
};

// The weighted log-likelihood with gradient and (symmetric) Hessian in the fitted parameters.
struct SpendLikelihood {
  double value = 0, first[3] = {}, second[3][3] = {};
};
SpendLikelihood sum_log_likelihood(const SpendModel& model, const double* parameters,
                                   const Spends& spends, const double* weight, int threads);

// Mean and sum of squared deviations of numbers that come one by one.
struct Moments {
  double n = 0, mean = 0, spread = 0;
  void add(double x) {
    const double off = x - mean;
    n += 1;
    mean += off / n;
    spread += off * (x - mean);
  }
};

// What a customer nothing is known of spends in `n` purchases: their sum, and the moments of logs.
struct DrawnAmounts {
  double sum = 0;
  Moments logs;
};
DrawnAmounts draw_amounts(const SpendModel& model, const double* parameters, double n, Stream& gen);

// The moments of the logs of each customer's amounts after the first; rows by customer (from 1) and
// day. Who has but one has none.
std::vector<Moments> log_moments(const int* customer, const double* sales, double unit,
                                 std::size_t rows, std::size_t customers);

}  // namespace nubrek
