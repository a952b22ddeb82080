#include <Rcpp.h>
#include <algorithm>
#include "simulate_value.h"

namespace {
// Quantile of type 7 of a sorted array.
double quantile7(const std::vector<double>& sorted, double level) {
  const double place = level * (sorted.size() - 1);
  const std::size_t below = static_cast<std::size_t>(place);
  if (below + 1 >= sorted.size()) return sorted.back();
  return sorted[below] + (place - below) * (sorted[below + 1] - sorted[below]);
}
}  // namespace

// `draws` is a matrix of parameter draws with columns r alpha s beta p q gamma; every draw serves `individual` draws of each
// customer. Gives per-customer quantiles and the draws of the total. `customers` holds x t_x T amounts total.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_simulate_value(Rcpp::List customers, Rcpp::NumericMatrix draws, int individual, double horizon, double delta, double lower,
                              double upper, double seed) {
  Rcpp::NumericVector x = customers["x"], t_x = customers["t_x"], T = customers["T"], amounts = customers["amounts"], total = customers["total"];
  const R_xlen_t n = x.size();
  const int n_draws = draws.nrow();
  Rcpp::NumericVector low(n), high(n);
  Rcpp::NumericVector totals(n_draws * individual);
  std::vector<double> values(n_draws * individual);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (i % 256 == 0) Rcpp::checkUserInterrupt();
    nubrek::Stream gen(static_cast<std::uint64_t>(seed), static_cast<std::uint64_t>(i));
    const nubrek::History h{x[i], t_x[i], T[i]};
    for (int d = 0; d < n_draws; ++d) {
      const nubrek::ParetoNbd m{draws(d, 0), draws(d, 1), draws(d, 2), draws(d, 3)};
      const nubrek::SpendDraw z{draws(d, 4), draws(d, 5), draws(d, 6)};
      const double active = nubrek::pareto_density(m, h, nullptr, false).active;
      for (int k = 0; k < individual; ++k) {
        const double v = nubrek::draw_value(gen, m, z, h, active, amounts[i], total[i], horizon, delta);
        values[d * individual + k] = v;
        totals[d * individual + k] += v;
      }
    }
    std::sort(values.begin(), values.end());
    low[i] = quantile7(values, lower);
    high[i] = quantile7(values, upper);
  }
  return Rcpp::List::create(Rcpp::_["lower"] = low, Rcpp::_["upper"] = high, Rcpp::_["totals"] = totals);
}
