// What each customer may still bring: draws from the posterior of a Pareto/NBD customer with gamma-gamma spend.
#pragma once
#include <cstdint>
#include <random>
#include "pareto_nbd.h"

namespace nubrek {

// A small generator with one stream per customer, so that results do not depend on the order of work.
class Stream {
 public:
  using result_type = std::uint64_t;
  explicit Stream(std::uint64_t seed, std::uint64_t customer) : state_(seed * 0x9E3779B97F4A7C15ULL ^ (customer + 1) * 0xD1B54A32D192ED03ULL) {}
  static constexpr result_type min() { return 0; }
  static constexpr result_type max() { return ~result_type(0); }
  result_type operator()() {     // splitmix64
    std::uint64_t z = (state_ += 0x9E3779B97F4A7C15ULL);
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
    return z ^ (z >> 31);
  }
 private:
  std::uint64_t state_;
};

struct SpendDraw { double p, q, gamma; };

// One draw of the discounted spend of a customer in (T, T + horizon]. `active` is the probability of still being one;
// `amounts` repeat purchases came to `total` money.
template <class Generator>
double draw_value(Generator& gen, const ParetoNbd& m, const SpendDraw& z, const History& h, double active, double amounts, double total,
                  double horizon, double delta) {
  std::uniform_real_distribution<double> unit(0, 1);
  if (unit(gen) >= active) return 0;
  const double lambda = std::gamma_distribution<double>(m.r + h.x, 1 / (m.alpha + h.T))(gen);
  const double mu = std::gamma_distribution<double>(m.s, 1 / (m.beta + h.T))(gen);
  const double nu = std::gamma_distribution<double>(z.p * amounts + z.q, 1 / (z.gamma + total))(gen);
  const double life = mu > 0 ? -std::log1p(-unit(gen)) / mu : horizon;
  const double span = life < horizon ? life : horizon;
  const double mean = lambda * span;
  if (!(mean > 0) || !(nu > 0)) return 0;
  const int purchases = std::poisson_distribution<int>(mean)(gen);
  std::gamma_distribution<double> spend(z.p, 1 / nu);
  double value = 0;
  for (int i = 0; i < purchases; ++i) value += spend(gen) * std::exp(-delta * span * unit(gen));
  return value;
}

}  // namespace nubrek
