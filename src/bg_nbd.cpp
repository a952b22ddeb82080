// BG/NBD and its variant: purchases are Poisson(lambda) while the customer is there; after every
// repeat purchase (in the variant after the first one too) the customer leaves for good with
// probability p; lambda ~ Gamma(r, rate alpha), p ~ Beta(a, b), independent (Fader, Hardie & Lee
// 2005; Batislam, Denizel & Filiztekin 2007).
#include <Rmath.h>
#include <cmath>
#include "purchase_model.h"
#include "special.h"
#include "survival.h"

namespace nubrek {
namespace {

class BgNbd final : public PurchaseModel {
 public:
  // `after_first`: may a customer leave right after the first purchase?
  BgNbd(const char* name, bool after_first)
      : PurchaseModel(name, "r", "alpha", "a", "b", Mixing::rate, Mixing::share, false),
        extra_(after_first ? 1 : 0) {}

  Density density(const double* p, const History& h, Slopes* slopes) const override {
    const double r = p[0], alpha = p[1], a = p[2], b = p[3];
    const double n = h.x + extra_,
                 N = r + h.x;  // n occasions at which the customer might have left
    const double stretch = std::log1p((h.T - h.t_x) / (alpha + h.t_x)),
                 all_time = std::log1p(h.T / alpha);
    // gone by leave / stay = a / (b + n - 1) ((alpha + T) / (alpha + t_x))^(r + x); without an
    // occasion nobody is gone
    const double odds = n > 0 ? std::log(a / (b + n - 1)) + N * stretch : -INFINITY;
    const double fall = std::exp(-std::fabs(odds));  // of the less likely by the more likely
    const double gone = odds > 0 ? 1 / (1 + fall) : fall / (1 + fall),
                 there = odds > 0 ? fall / (1 + fall) : 1 / (1 + fall);
    const Rising rise = rising(r, h.x), stay = rising(b, n), any = rising(a + b, n);
    if (slopes) {
      // without leaving, then the odds of having left
      const double rho = alpha / (alpha + h.T), rho_last = alpha / (alpha + h.t_x),
                   share = n > 0 ? b / (b + n - 1) : 0;
      const double odds_1[4] = {r * stretch, N * (rho - rho_last), 1, -share};
      const double odds_2[4] = {r * stretch, N * (rho * (1 - rho) - rho_last * (1 - rho_last)), 0,
                                -share * (1 - share)};
      const double first[4] = {r * (rise.first - all_time), r - N * rho, -a * any.first,
                               b * (stay.first - any.first)};
      for (int i = 0; i < 4; ++i) slopes->first[i] = first[i] + gone * odds_1[i];
      for (int i = 0; i < 4; ++i)
        for (int j = i; j < 4; ++j) slopes->second[i][j] = gone * there * odds_1[i] * odds_1[j];
      slopes->second[0][0] += first[0] + r * r * rise.second + gone * odds_2[0];
      slopes->second[0][1] += r * (1 - rho) + gone * r * (rho - rho_last);
      slopes->second[1][1] += -N * rho * (1 - rho) + gone * odds_2[1];
      slopes->second[2][2] += first[2] - a * a * any.second;
      slopes->second[2][3] += -a * b * any.second;
      slopes->second[3][3] += first[3] + b * b * (stay.second - any.second) + gone * odds_2[3];
    }
    const double either = odds > 0 ? odds + std::log1p(fall) : std::log1p(fall);
    return {
        rise.value - r * all_time - h.x * std::log(alpha + h.T) + (stay.value - any.value) + either,
        there};
  }

  void update(const double* p, const History& h, double* q) const override {
    q[0] = p[0] + h.x;
    q[1] = p[1] + h.T;
    q[2] = p[2];
    q[3] = p[3] + h.x + extra_;
  }

  double expected(const double* q, double horizon, double delta) const override {
    if (!(horizon > 0)) return 0;
    // without end and discount: a customer with chance p of leaving buys 1 / p times more
    if (std::isinf(horizon) && !(delta > 0)) return q[2] > 1 ? 1 + q[3] / (q[2] - 1) : INFINITY;
    const double r = q[0], alpha = q[1], z = horizon / alpha;
    const double far = std::log1p((std::isinf(horizon) ? 1 / delta : horizon) / alpha);
    // given p: (r / alpha) times the integral of (1 + p u / alpha)^-(r + 1) e^(-delta u); without
    // discount [1 - (1 + p h / alpha)^-r] / p
    return beta_mean(q[2], q[3], far, [&](double p) {
      if (delta > 0) return r / alpha * survival_integral(r + 1, alpha / p, horizon, delta);
      const double fall = r * std::log1p(p * z);
      return fall < 1e-300 ? r * z : -std::expm1(-fall) / p;
    });
  }

  // B(a, b + k) / B(a, b) NB(k) + [k > 0] B(a + 1, b + k - 1) / B(a, b) P(NB >= k)
  void distribution(const double* q, double horizon, int n, double* out) const override {
    const double r = q[0], a = q[2], b = q[3], share = horizon / (q[1] + horizon);
    std::vector<double> count(static_cast<std::size_t>(n));
    long double term = std::exp(static_cast<long double>(-r * std::log1p(horizon / q[1])));
    for (int k = 0; k < n; ++k) {
      count[static_cast<std::size_t>(k)] = static_cast<double>(term);
      term *= (r + k) / (k + 1) * share;
    }
    double tail = horizon > 0 ? Rf_pbeta(share, n, r, 1, 0) : 0;  // P(NB >= n), then downwards
    for (int k = n - 1; k >= 0; --k) {
      tail += count[static_cast<std::size_t>(k)];
      out[k] = tail;
    }
    double stay = 1;  // B(a, b + k) / B(a, b)
    for (int k = 0; k < n; ++k) {
      const double gone = k > 0 ? stay * a / (b + k - 1) : 0;
      out[k] = stay * count[static_cast<std::size_t>(k)] + gone * out[k];
      stay *= (b + k) / (a + b + k);
    }
  }

  double may_buy(const double* q, double horizon) const override {
    return lomax_chance(horizon, q[0], q[1]);
  }

  void draw(const double* q, double horizon, double first, Stream& gen,
            std::vector<double>& times) const override {
    double t = lomax_quantile(first, q[0], q[1]);
    if (t > horizon) return;
    const double lambda = gen.gamma(q[0] + 1, q[1] + t), p = gen.beta(q[2], q[3]);
    for (; t <= horizon; t += gen.exponential(lambda)) {
      times.push_back(t);
      if (gen.unit() < p) return;
    }
  }

  std::vector<std::vector<double>> starts(double rate, double) const override {
    return {{1, 1 / rate, 0.5, 2}, {0.3, 0.3 / rate, 1, 5}, {0.5, 0.3 / rate, 0.2, 0.5}};
  }

 private:
  double extra_;
};

const BgNbd bg_nbd("bg-nbd", false), mbg_nbd("mbg-nbd", true);
const KnownPurchases known(bg_nbd), known_variant(mbg_nbd);

}  // namespace
}  // namespace nubrek
