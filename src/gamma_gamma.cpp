// Gamma-gamma spend: every amount of a customer is Gamma(p, rate nu), nu ~ Gamma(q, rate gamma)
// (Colombo & Jiang 1999; Fader, Hardie & Lee 2005). The density is that of the mean amount.
#include <cmath>
#include <limits>
#include "special.h"
#include "spend_model.h"

namespace nubrek {
namespace {

class GammaGamma final : public SpendModel {
 public:
  GammaGamma() : SpendModel("gamma-gamma", "p", "q", "gamma", true, true, true, false) {}

  double density(const double* par, const Amounts& a, double* first,
                 double (*second)[3]) const override {
    const double p = par[0], q = par[1], gamma = par[2], px = p * a.n, total = a.n * a.mean;
    // logs of ratios instead of logs of products: nothing cancels when gamma or the total is large
    const double by_gamma = std::log1p(total / gamma), by_total = std::log1p(gamma / total);
    if (first) {
      const double both = psi(px + q), both_2 = psi_slope(px + q), rest = gamma / (gamma + total);
      first[0] = px * (both - psi(px) - by_total);
      first[1] = q * (both - psi(q) - by_gamma);
      first[2] = q - (px + q) * rest;
      second[0][0] = first[0] + px * px * (both_2 - psi_slope(px));
      second[0][1] = px * q * both_2;
      second[0][2] = -px * rest;
      second[1][1] = first[1] + q * q * (both_2 - psi_slope(q));
      second[1][2] = q * (1 - rest);
      second[2][2] = -(px + q) * rest * (1 - rest);
    }
    return -log_beta(px, q) - std::log(a.mean) - q * by_gamma - px * by_total;
  }

  double expected(const double* p, const Amounts& a) const override {
    const double shape = p[0] * a.n + p[1];
    return shape > 1 ? p[0] * (p[2] + total(a)) / (shape - 1)
                     : std::numeric_limits<double>::quiet_NaN();
  }

  double draw_level(const double* p, const Amounts& a, Stream& gen) const override {
    return gen.gamma(p[0] * a.n + p[1], p[2] + total(a));
  }
  double draw_amount(const double* p, double nu, Stream& gen) const override {
    return nu > 0 ? gen.gamma(p[0], nu) : 0;
  }

 private:
  static double total(const Amounts& a) { return a.n > 0 ? a.n * a.mean : 0; }
};

const GammaGamma model;
const KnownSpend known(model);

}  // namespace
}  // namespace nubrek
