#include "model_exports.h"
#include <algorithm>
#include "threads.h"

namespace {

// Quantile of type 7 of a sorted array.
double quantile7(const std::vector<double>& sorted, double level) {
  const double place = level * (sorted.size() - 1);
  const std::size_t below = static_cast<std::size_t>(place);
  if (below + 1 >= sorted.size()) return sorted.back();
  return sorted[below] + (place - below) * (sorted[below + 1] - sorted[below]);
}

// Nested draws of what each customer spends in (0, horizon] after what is known: for every draw of the parameters `individual` courses. `draws` has for each
// draw a matrix of purchase parameters (a column per set) and a row of spend parameters.
struct Worlds {
  const nubrek::PurchaseModel& buys;
  const nubrek::SpendModel& spends;
  nubrek::Histories h;
  nubrek::Spends amounts;
  std::vector<nubrek::ParameterSets> purchase;
  Rcpp::NumericMatrix spend;
  int individual;
  double horizon, delta;
  std::uint64_t seed;

  // Visits every draw of customer i with its discounted spend.
  template <class Visit>
  void each(R_xlen_t i, const Visit& visit) const {
    nubrek::Stream gen(seed, static_cast<std::uint64_t>(i));
    std::vector<double> times;
    for (std::size_t d = 0; d < purchase.size(); ++d) {
      const double* p = purchase[d].of(i);
      const double z[3] = {spend(static_cast<int>(d), 0), spend(static_cast<int>(d), 1), spend(static_cast<int>(d), 2)};
      const double active = buys.density(p, h.of(i), nullptr).active;
      double q[4];
      buys.update(p, h.of(i), q);
      for (int k = 0; k < individual; ++k) {
        double value = 0;
        if (gen.unit() < active) {
          times.clear();
          buys.draw(q, horizon, gen, times);
          const double level = spends.draw_level(z, amounts.of(i), gen);
          for (const double t : times) value += spends.draw_amount(z, level, gen) * std::exp(-delta * t);
        }
        visit(static_cast<int>(d) * individual + k, value);
      }
    }
  }
};

Worlds worlds_of(const Rcpp::List& models, const Rcpp::List& histories, const Rcpp::IntegerVector& set, const Rcpp::List& purchase, const Rcpp::NumericMatrix& spend, int individual,
                 double horizon, double delta, double seed) {
  Worlds out{nubrek::purchase_model(Rcpp::as<std::string>(models["purchases"])), nubrek::spend_model(Rcpp::as<std::string>(models["spend"])), nubrek::Histories(histories),
             nubrek::Spends(histories), {}, spend, individual, horizon, delta, static_cast<std::uint64_t>(seed)};
  for (R_xlen_t d = 0; d < purchase.size(); ++d) out.purchase.emplace_back(Rcpp::as<Rcpp::NumericMatrix>(purchase[d]), set);
  return out;
}

}  // namespace

// Per-customer quantiles of the discounted spend, and the draws of its total.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_simulate_value(Rcpp::List models, Rcpp::List histories, Rcpp::IntegerVector set, Rcpp::List purchase, Rcpp::NumericMatrix spend, int individual, double horizon, double delta,
                              double lower, double upper, double seed, int threads) {
  const Worlds worlds = worlds_of(models, histories, set, purchase, spend, individual, horizon, delta, seed);
  const R_xlen_t n = worlds.h.n;
  const std::size_t draws = static_cast<std::size_t>(spend.nrow()) * static_cast<std::size_t>(individual);
  Rcpp::NumericVector low(n), high(n), totals(static_cast<R_xlen_t>(draws));
  double *to_low = low.begin(), *to_high = high.begin();
  // a batch of chunks at a time, so that the user can stop it and the partial totals stay few
  const std::size_t chunks = nubrek::chunks_of(n), batch = 64;
  for (std::size_t from = 0; from < chunks; from += batch) {
    const std::size_t here = std::min(batch, chunks - from);
    std::vector<std::vector<double>> parts(here, std::vector<double>(draws, 0));
    nubrek::run_tasks(here, threads, [&](std::size_t k) {
      std::vector<double> values(draws);
      const R_xlen_t first = static_cast<R_xlen_t>(from + k) * nubrek::kChunk, end = std::min(n, first + nubrek::kChunk);
      for (R_xlen_t i = first; i < end; ++i) {
        worlds.each(i, [&](int draw, double value) { values[static_cast<std::size_t>(draw)] = value; parts[k][static_cast<std::size_t>(draw)] += value; });
        std::sort(values.begin(), values.end());
        to_low[i] = quantile7(values, lower);
        to_high[i] = quantile7(values, upper);
      }
    });
    for (const auto& part : parts) for (std::size_t d = 0; d < draws; ++d) totals[static_cast<R_xlen_t>(d)] += part[d];
    Rcpp::checkUserInterrupt();
  }
  return Rcpp::List::create(Rcpp::_["lower"] = low, Rcpp::_["upper"] = high, Rcpp::_["totals"] = totals);
}

// The share of draws of each customer's coming sales that fall between the limits: row = customer, column = tier, the last one without any purchase. `limits`
// fall from the best tier down.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_simulate_tiers(Rcpp::List models, Rcpp::List histories, Rcpp::IntegerVector set, Rcpp::List purchase, Rcpp::NumericMatrix spend, int individual, double horizon,
                                       Rcpp::NumericVector limits, double kept, double seed, int threads) {
  const Worlds worlds = worlds_of(models, histories, set, purchase, spend, individual, horizon, 0, seed);
  const R_xlen_t n = worlds.h.n;
  const int tiers = static_cast<int>(limits.size());
  Rcpp::NumericMatrix out(static_cast<int>(n), tiers + 1);
  double* to = out.begin();
  const double* edge = limits.begin();
  const double weight = 1.0 / (static_cast<double>(spend.nrow()) * individual);
  nubrek::run_tasks(nubrek::chunks_of(n), threads, [&](std::size_t chunk) {
    const R_xlen_t first = static_cast<R_xlen_t>(chunk) * nubrek::kChunk, end = std::min(n, first + nubrek::kChunk);
    for (R_xlen_t i = first; i < end; ++i)
      worlds.each(i, [&](int, double value) {
        int tier = tiers;
        if (value > 0) for (tier = 0; tier < tiers - 1 && kept * value < edge[tier]; ++tier) {}
        to[i + tier * n] += weight;
      });
  });
  return out;
}
