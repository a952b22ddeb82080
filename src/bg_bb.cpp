// BG/BB: at each of n occasions a customer leaves for good with probability theta, and one who is
// still there buys with probability p; p ~ Beta(alpha, beta), theta ~ Beta(gamma, delta),
// independent (Fader, Hardie & Shang 2010). A history has x occasions with a purchase, the last
// t_x, of n = T.
#include <cmath>
#include "purchase_model.h"
#include "special.h"

namespace nubrek {
namespace {

class BgBb final : public PurchaseModel {
 public:
  BgBb()
      : PurchaseModel("bg-bb", "alpha", "beta", "gamma", "delta", Mixing::share, Mixing::share,
                      true) {}

  // Who left before occasion m + 1 (m = t_x, ..., n - 1), and who is there after n; each by what
  // leaving before t_x + 1 would be.
  Density density(const double* p, const History& h, Slopes* slopes) const override {
    const double a = p[0], b = p[1], c = p[2], d = p[3], x = h.x, n = h.T;
    const Rising bought = rising(a, x);
    Rising missed = rising(b, h.t_x - x), both = rising(a + b, h.t_x), stayed = rising(d, h.t_x),
           either = rising(c + d, h.t_x);
    const double at_last =
        bought.value + missed.value - both.value + stayed.value - either.value;  // there after t_x
    const auto step = [](Rising& rise, double at) {
      const double one = 1 / at;
      rise.first += one;
      rise.second -= one * one;
    };
    Mixture sum;
    const auto add = [&](double weight, const Rising& any, double gone) {
      const double first[4] = {a * (bought.first - both.first), b * (missed.first - both.first),
                               gone - c * any.first, d * (stayed.first - any.first)};
      const double second[2][3] = {
          {first[0] + a * a * (bought.second - both.second), -a * b * both.second,
           first[1] + b * b * (missed.second - both.second)},
          {-c * any.first - c * c * any.second, -c * d * any.second,
           first[3] + d * d * (stayed.second - any.second)}};
      sum.add(weight, first, second);
    };
    double there = 1,
           total =
               0;  // the probability of the string and of being there after m, by that after t_x
    for (double m = h.t_x; m < n; ++m) {
      const double gone = there * c / (c + d + m);
      total += gone;
      Rising any = either;
      step(any, c + d + m);  // one more occasion of leaving: Gamma(c + d + m + 1)
      if (slopes) add(gone, any, 1);
      there *= (b + m - x) / (a + b + m) * ((d + m) / (c + d + m));
      step(missed, b + m - x);
      step(both, a + b + m);
      step(stayed, d + m);
      either = any;
    }
    total += there;
    if (slopes) {
      add(there, either, 0);
      sum.finish(*slopes);
    }
    return {at_last + std::log(total), there / total * ((d + n) / (c + d + n))};
  }

  // known to be there at the next occasion
  void update(const double* p, const History& h, double* q) const override {
    q[0] = p[0] + h.x;
    q[1] = p[1] + h.T - h.x;
    q[2] = p[2];
    q[3] = p[3] + h.T + 1;
  }

  double expected(const double* q, double horizon, double delta) const override {
    const double c = q[2], d = q[3], buys = q[0] / (q[0] + q[1]);
    if (std::isinf(horizon) && !(delta > 0)) return c > 1 ? buys * (1 + d / (c - 1)) : INFINITY;
    if (horizon <= 1000) {
      double sum = 0, there = 1;
      for (double j = 0; j < horizon; ++j) {
        sum += there * std::exp(-delta * (j + 1));
        there *= (d + j) / (c + d + j);
      }
      return buys * sum;
    }
    // the geometric series of e^-delta (1 - theta), over theta
    const double far = std::isinf(horizon) ? -std::log(delta) : std::log(horizon);
    return buys * std::exp(-delta) * beta_mean(c, d, far, [&](double theta) {
             const double fall = delta - std::log1p(-theta);
             if (!(fall > 0)) return horizon;
             return std::expm1(-fall * horizon) / std::expm1(-fall);
           });
  }

  // purchases are beta-binomial in the m occasions at which the customer is there
  void distribution(const double* q, double horizon, int n, double* out) const override {
    const double a = q[0], b = q[1], c = q[2], d = q[3];
    const int h = static_cast<int>(horizon);
    std::vector<double> last(static_cast<std::size_t>(h) + 1,
                             0);  // probability that m is the last occasion of being there
    double there = 1;
    for (int m = 1; m <= h; ++m) {
      const double go = c / (c + d + m - 1);
      last[static_cast<std::size_t>(m)] = m < h ? there * go : there;
      there *= (d + m - 1) / (c + d + m - 1);
    }
    if (h == 0) last[0] = 1;
    long double all = 1;  // beta-binomial probability of k in k
    for (int k = 0; k < n; ++k) {
      long double sum = 0, term = all;
      for (int m = k; m <= h; ++m) {
        sum += last[static_cast<std::size_t>(m)] * term;
        term *= static_cast<long double>(m + 1) / (m + 1 - k) * (b + m - k) / (a + b + m);
      }
      out[k] = static_cast<double>(sum);
      all *= (a + k) / (a + b + k);
    }
  }

  void draw(const double* q, double horizon, double, Stream& gen,
            std::vector<double>& times) const override {
    const double p = gen.beta(q[0], q[1]), theta = gen.beta(q[2], q[3]);
    for (double j = 1; j <= horizon; ++j) {
      if (gen.unit() < p) times.push_back(j);
      if (gen.unit() < theta) return;
    }
  }

  std::vector<std::vector<double>> starts(double rate, double) const override {
    const double p = std::fmin(0.9, std::fmax(0.02, rate));
    return {{p, 1 - p, 0.5, 2}, {3 * p, 3 * (1 - p), 0.5, 5}, {p / 2, (1 - p) / 2, 1, 10}};
  }
};

const BgBb model;
const KnownPurchases known(model);

}  // namespace
}  // namespace nubrek
