// A fifth model of purchases, compiled and added by a test: the one of "mbg-nbd", written plainly,
// with slopes by differences and expectations by the midpoint rule.
#include <Rinternals.h>
#include <algorithm>
#include <cmath>
#include "purchase_model.h"

namespace {

double log_beta(double a, double b) { return std::lgamma(a) + std::lgamma(b) - std::lgamma(a + b); }

class Plain final : public nubrek::PurchaseModel {
 public:
  Plain()
      : PurchaseModel("plain", "r", "alpha", "a", "b", nubrek::Mixing::rate, nubrek::Mixing::share,
                      false) {}

  nubrek::Density density(const double* p, const nubrek::History& h,
                          nubrek::Slopes* slopes) const override {
    const nubrek::Density out = plain(p, h);
    if (!slopes) return out;
    const auto moved = [&](int i, double di, int j, double dj) {
      double q[4] = {p[0], p[1], p[2], p[3]};
      q[i] *= std::exp(di);
      q[j] *= std::exp(dj);
      return plain(q, h).log_lik;
    };
    const double e = 1e-3;
    for (int i = 0; i < 4; ++i) {
      const auto slope = [&](double d) { return (moved(i, d, i, 0) - moved(i, -d, i, 0)) / d / 2; };
      slopes->first[i] = (4 * slope(e / 2) - slope(e)) / 3;
      for (int j = i; j < 4; ++j)
        slopes->second[i][j] = (moved(i, e, j, e) - moved(i, e, j, -e) - moved(i, -e, j, e) +
                                moved(i, -e, j, -e)) /
                               (4 * e * e);
    }
    return out;
  }

  void update(const double* p, const nubrek::History& h, double* q) const override {
    q[0] = p[0] + h.x;
    q[1] = p[1] + h.T;
    q[2] = p[2];
    q[3] = p[3] + h.x + 1;
  }

  double expected(const double* q, double horizon, double) const override {
    const int n = 20000;
    double sum = 0;
    for (int i = 0; i < n; ++i) {
      const double u = (i + 0.5) / n, p = u * u * u * u;
      const double weight = std::exp((q[2] - 1) * std::log(p) + (q[3] - 1) * std::log1p(-p));
      sum += weight * 4 * u * u * u * (1 - std::pow(1 + p * horizon / q[1], -q[0])) / p;
    }
    return sum / n / std::exp(log_beta(q[2], q[3]));
  }

  void distribution(const double*, double, int n, double* out) const override {
    std::fill(out, out + n, 0.0);
  }

  void draw(const double* q, double horizon, double, nubrek::Stream& gen,
            std::vector<double>& times) const override {
    const double rate = gen.gamma(q[0], q[1]), p = gen.beta(q[2], q[3]);
    for (double t = gen.exponential(rate); t <= horizon; t += gen.exponential(rate)) {
      times.push_back(t);
      if (gen.unit() < p) return;
    }
  }

  std::vector<std::vector<double>> starts(double rate, double) const override {
    return {{1, 1 / rate, 0.5, 2}};
  }

 private:
  static nubrek::Density plain(const double* p, const nubrek::History& h) {
    const double r = p[0], a = p[2], b = p[3], all = r + h.x;
    const double rate = std::lgamma(all) - std::lgamma(r) + r * std::log(p[1]) - log_beta(a, b);
    const double there = log_beta(a, b + h.x + 1) - all * std::log(p[1] + h.T);
    const double gone = log_beta(a + 1, b + h.x) - all * std::log(p[1] + h.t_x);
    const double most = std::max(there, gone);
    const double sum = most + std::log(std::exp(there - most) + std::exp(gone - most));
    return {rate + sum, std::exp(there - sum)};
  }
};

const Plain model;

}  // namespace

extern "C" SEXP plain_model() {
  return R_MakeExternalPtr(const_cast<Plain*>(&model), R_NilValue, R_NilValue);
}
