// Pareto/NBD: purchases are Poisson(lambda) until an exponential(mu) lifetime ends; lambda ~
// Gamma(r, rate alpha), mu ~ Gamma(s, rate beta), independent (Schmittlein, Morrison & Colombo
// 1987; Fader & Hardie 2005).
#include <algorithm>
#include <cmath>
#include "purchase_model.h"
#include "quadrature.h"
#include "special.h"
#include "survival.h"

namespace nubrek {
namespace {

const double kCut = 40;  // e^-40 is below the rounding of a sum near 1

// phi(d) = N log1p(d / (alpha + t_x)) + s log1p(d / (beta + t_x)) is minus the log of surviving d
// without a purchase. With A = e^-phi(T - t_x) (nothing happened), J (dropout came first) and H (a
// purchase would have come first), A + J + H = 1 exactly, and the density is A + J up to a factor.
struct Problem {
  double N, s, a, b;  // a = alpha + t_x, b = beta + t_x
  double D;           // T - t_x
  double phi(double d) const { return N * std::log1p(d / a) + s * std::log1p(d / b); }
  double slope(double d) const { return N / (a + d) + s / (b + d); }
};

// The d where the integrand has died out (phi = 40), or D when that comes first: Newton on log d
// from below, phi being concave.
double reach(const Problem& q, double whole) {
  if (whole <= kCut) return q.D;
  double d = kCut / q.slope(0);
  for (int i = 0; i < 2; ++i) d *= std::exp((kCut - q.phi(d)) / (q.slope(d) * d));
  return std::min(d, q.D);
}

struct Node {
  double u_a, u_b, w;
};  // log1p(d / a), log1p(d / b), part of J

// Nodes of one panel of v = log1p(d / min(a, b)) in [from, to].
void panel(const Problem& q, const Rule& rule, double from, double to, double& J, double& H,
           std::vector<Node>* nodes) {
  const bool by_a = q.a <= q.b;
  const double scale = by_a ? q.a : q.b, other = by_a ? q.b : q.a;
  for (std::size_t i = 0; i < rule.node.size(); ++i) {
    const double v = from + (to - from) * rule.node[i], d = scale * std::expm1(v),
                 u = std::log1p(d / other);
    const double u_a = by_a ? v : u, u_b = by_a ? u : v;
    const double f = (to - from) * rule.weight[i] * (scale + d) * std::exp(-q.N * u_a - q.s * u_b);
    const double w = f * q.s / (q.b + d);
    J += w;
    H += f * q.N / (q.a + d);
    if (nodes) nodes->push_back({u_a, u_b, w});
  }
}

// As many nodes as the range asks for at first guess; |1 - A - J - H| tells whether they were
// enough.
void integrate(const Problem& q, double end, double A, double& J, double& H,
               std::vector<Node>* nodes) {
  static const Rule rule12(12), rule16(16), rule24(24), rule32(32);
  const Rule& first = end < 0.4 ? rule12 : end < 1.2 ? rule16 : end < 2.5 ? rule24 : rule32;
  for (int panels = 1; panels <= 8; panels *= 2) {
    J = H = 0;
    if (nodes) nodes->clear();
    for (int k = 0; k < panels; ++k)
      panel(q, panels == 1 ? first : rule32, end * k / panels, end * (k + 1) / panels, J, H, nodes);
    if (std::fabs(1 - A - J - H) < 5e-14) return;
  }
}

class ParetoNbd final : public PurchaseModel {
 public:
  ParetoNbd()
      : PurchaseModel("pareto-nbd", "r", "alpha", "s", "beta", Mixing::rate, Mixing::rate, false) {}

  Density density(const double* p, const History& h, Slopes* slopes) const override {
    const double r = p[0], alpha = p[1], s = p[2], beta = p[3];
    const Problem q{r + h.x, s, alpha + h.t_x, beta + h.t_x, h.T - h.t_x};
    const double end_a = std::log1p(q.D / q.a), end_b = std::log1p(q.D / q.b),
                 whole = q.N * end_a + q.s * end_b;
    const double start_a = std::log1p(h.t_x / alpha), start_b = std::log1p(h.t_x / beta);
    const double A = std::exp(-whole);
    double J = 0, H = 0;
    thread_local std::vector<Node> nodes;
    nodes.clear();
    if (q.D > 0) {
      const double end =
          whole <= kCut ? std::max(end_a, end_b) : std::log1p(reach(q, whole) / std::min(q.a, q.b));
      integrate(q, end, A, J, H, slopes ? &nodes : nullptr);
    }
    const Rising rise = rising(r, h.x);
    const double log_B = H < 0.5 ? std::log1p(-H) : std::log(A + J);  // keeps full accuracy near 0
    if (slopes) {
      // each part is that of a customer gone at y (or there at T), u = log1p(y / alpha), w =
      // log1p(y / beta)
      Mixture sum;
      const auto add = [&](double weight, double u, double w, double gone) {
        const double rho = std::exp(-u), kappa = std::exp(-w);
        const double first[4] = {-r * u, r - q.N * rho, gone - s * w, s - (s + gone) * kappa};
        const double second[2][3] = {{-r * u, r * (1 - rho), -q.N * rho * (1 - rho)},
                                     {-s * w, s * (1 - kappa), -(s + gone) * kappa * (1 - kappa)}};
        sum.add(weight, first, second);
      };
      add(A, start_a + end_a, start_b + end_b, 0);
      for (const Node& node : nodes) add(node.w, start_a + node.u_a, start_b + node.u_b, 1);
      sum.finish(*slopes);
      slopes->first[0] += r * rise.first;
      slopes->second[0][0] += r * rise.first + r * r * rise.second;
    }
    return {rise.value - r * start_a - h.x * std::log(q.a) - s * start_b + log_B, A / (A + J)};
  }

  // one rule over the whole range, with fewer nodes, and no check
  double roughly_active(const double* p, const History& h) const override {
    static const Rule rule6(6), rule9(9), rule14(14);
    const Problem q{p[0] + h.x, p[2], p[1] + h.t_x, p[3] + h.t_x, h.T - h.t_x};
    if (!(q.D > 0)) return 1;
    const double end_a = std::log1p(q.D / q.a), end_b = std::log1p(q.D / q.b),
                 whole = q.N * end_a + q.s * end_b;
    const bool by_a = q.a <= q.b;
    const double scale = by_a ? q.a : q.b, other = by_a ? q.b : q.a;
    const double end = whole <= kCut ? std::max(end_a, end_b) : std::log1p(reach(q, whole) / scale);
    const Rule& rule = whole < 1.5 ? rule6 : whole < 6 ? rule9 : rule14;
    double J = 0;
    for (std::size_t i = 0; i < rule.node.size(); ++i) {
      const double v = end * rule.node[i], stretch = std::exp(v), d = scale * (stretch - 1),
                   u = std::log1p(d / other);
      J += rule.weight[i] * stretch * std::exp(-q.N * (by_a ? v : u) - q.s * (by_a ? u : v)) /
           (q.b + d);
    }
    const double A = std::exp(-whole);
    return A / (A + J * end * scale * q.s);
  }

  void update(const double* p, const History& h, double* q) const override {
    q[0] = p[0] + h.x;
    q[1] = p[1] + h.T;
    q[2] = p[2];
    q[3] = p[3] + h.T;
  }

  double expected(const double* q, double horizon, double delta) const override {
    return q[0] / q[1] * survival_integral(q[2], q[3], horizon, delta);
  }

  // counts while there, mixed over the end of the lifetime: NB(k; y) s beta^s (beta + y)^-(s + 1),
  // in v = log1p(y / min(alpha, beta))
  void distribution(const double* q, double horizon, int n, double* out) const override {
    static const Rule rule(24);
    const double r = q[0], alpha = q[1], s = q[2], beta = q[3];
    std::vector<long double> sum(static_cast<std::size_t>(n), 0);
    const auto add = [&](double y, double weight) {
      const double share = y / (alpha + y);
      long double term = weight * std::exp(static_cast<long double>(-r * std::log1p(y / alpha)));
      for (int k = 0; k < n; ++k) {
        sum[static_cast<std::size_t>(k)] += term;
        term *= (r + k) / (k + 1) * share;
      }
    };
    add(horizon, std::exp(-s * std::log1p(horizon / beta)));
    const double scale = std::min(alpha, beta), end = std::log1p(horizon / scale);
    const int panels = static_cast<int>(std::ceil(end));
    for (int j = 0; j < panels; ++j)
      for (std::size_t i = 0; i < rule.node.size(); ++i) {
        const double y = scale * std::expm1(end * (j + rule.node[i]) / panels);
        add(y, end / panels * rule.weight[i] * (scale + y) * s / (beta + y) *
                   std::exp(-s * std::log1p(y / beta)));
      }
    for (int k = 0; k < n; ++k) out[k] = static_cast<double>(sum[static_cast<std::size_t>(k)]);
  }

  double may_buy(const double* q, double horizon) const override {
    return lomax_chance(horizon, q[0], q[1]);
  }

  void draw(const double* q, double horizon, double first, Stream& gen,
            std::vector<double>& times) const override {
    double t = lomax_quantile(first, q[0], q[1]);
    if (t > horizon) return;
    const double end = std::min(horizon, gen.lomax(q[2], q[3]));
    if (t > end) return;
    const double lambda = gen.gamma(q[0] + 1, q[1] + t);
    for (; t <= end; t += gen.exponential(lambda)) times.push_back(t);
  }

  std::vector<std::vector<double>> starts(double rate, double span) const override {
    return {{1, 1 / rate, 0.5, span / 2},
            {0.3, 0.3 / rate, 1, span},
            {0.5, 0.2 / rate, 0.2, span / 10}};
  }
};

const ParetoNbd model;
const KnownPurchases known(model);

}  // namespace
}  // namespace nubrek
