// Log-normal spend with random effects: the log of every amount of a customer is normal around a
// level of his own with standard deviation sigma, the levels are normal around mu with standard
// deviation tau (one-way random effects: Searle, Casella & McCulloch 1992, chapter 3). The density
// is that of all amounts.
#include <cmath>
#include "spend_model.h"

namespace nubrek {
namespace {

class LogNormal final : public SpendModel {
 public:
  LogNormal() : SpendModel("log-normal", "mu", "sigma", "tau", false, true, true, true) {}

  double density(const double* p, const Amounts& a, double* first,
                 double (*second)[3]) const override {
    const double s2 = p[1] * p[1], nt = a.n * p[2] * p[2], v = s2 + nt,
                 d = a.log_mean - p[0];  // v / n is the variance of the mean log
    if (first) {
      const double by_v = 0.5 * (a.n * d * d / v - 1) / v,
                   by_vv = (0.5 - a.n * d * d / v) / (v * v), vs = 2 * s2, vt = 2 * nt;
      first[0] = a.n * d / v;
      first[1] = a.log_spread / s2 - (a.n - 1) + by_v * vs;
      first[2] = by_v * vt;
      second[0][0] = -a.n / v;
      second[0][1] = -a.n * d / (v * v) * vs;
      second[0][2] = -a.n * d / (v * v) * vt;
      second[1][1] = -2 * a.log_spread / s2 + by_v * 2 * vs + by_vv * vs * vs;
      second[1][2] = by_vv * vs * vt;
      second[2][2] = by_v * 2 * vt + by_vv * vt * vt;
    }
    const double log_two_pi = 1.8378770664093454836;
    return -0.5 * a.n * log_two_pi - (a.n - 1) * std::log(p[1]) - 0.5 * std::log(v) -
           0.5 * a.log_spread / s2 - 0.5 * a.n * d * d / v - a.n * a.log_mean;
  }

  // the level given the amounts is normal with this mean and variance
  static double level_mean(const double* p, const Amounts& a) {
    const double nt = a.n * p[2] * p[2];
    return a.n > 0 ? (p[1] * p[1] * p[0] + nt * a.log_mean) / (p[1] * p[1] + nt) : p[0];
  }
  static double level_variance(const double* p, const Amounts& a) {
    return p[1] * p[1] * p[2] * p[2] / (p[1] * p[1] + a.n * p[2] * p[2]);
  }

  double expected(const double* p, const Amounts& a) const override {
    return std::exp(level_mean(p, a) + 0.5 * (level_variance(p, a) + p[1] * p[1]));
  }
  double draw_level(const double* p, const Amounts& a, Stream& gen) const override {
    return level_mean(p, a) + std::sqrt(level_variance(p, a)) * gen.normal();
  }
  double draw_amount(const double* p, double level, Stream& gen) const override {
    return std::exp(level + p[1] * gen.normal());
  }
};

const LogNormal model;
const KnownSpend known(model);

}  // namespace
}  // namespace nubrek
