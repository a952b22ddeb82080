#include "pareto_nbd.h"
#include <algorithm>
#include <cmath>
#include <limits>
#include "quadrature.h"
#include "special.h"

namespace nubrek {
namespace {

const Rule kRule24(24), kRule32(32), kRule64(64);
const double kCut = 40;      // e^-40 is below the rounding of a sum near 1

// phi(d) = N log1p(d / (alpha + t_x)) + s log1p(d / (beta + t_x)) is minus the log of surviving d without a purchase.
// With A = e^-phi(T - t_x) (nothing happened), J (dropout came first) and H (a purchase would have come first),
// A + J + H = 1 exactly, and the density is A + J up to a factor.
struct Parts { double A, J, H; };

struct Problem {
  double N, s, a, b;         // a = alpha + t_x, b = beta + t_x
  double D;                  // T - t_x
  double phi(double d) const { return N * std::log1p(d / a) + s * std::log1p(d / b); }
  double slope(double d) const { return N / (a + d) + s / (b + d); }
};

// The d where the integrand has died out (phi = 40), or D when that comes first: Newton on log d from below, phi being concave.
double reach(const Problem& q) {
  if (q.phi(q.D) <= kCut) return q.D;
  double d = kCut / q.slope(0);
  for (int i = 0; i < 2; ++i) d *= std::exp((kCut - q.phi(d)) / (q.slope(d) * d));
  return std::min(d, q.D);
}

// Adds one panel of v = log1p(d / scale) in [from, to]; `visit(d, w)` sees every node's part of J.
template <class Visit>
void panel(const Problem& q, const Rule& rule, double scale, double from, double to, Parts& sum, Visit visit) {
  for (std::size_t i = 0; i < rule.node.size(); ++i) {
    const double d = scale * std::expm1(from + (to - from) * rule.node[i]);
    const double f = (to - from) * rule.weight[i] * (scale + d) * std::exp(-q.phi(d));
    const double w = f * q.s / (q.b + d);
    sum.J += w;
    sum.H += f * q.N / (q.a + d);
    visit(d, w);
  }
}

}  // namespace

Density pareto_density(const ParetoNbd& m, const History& h, double* gradient, bool thorough) {
  const Problem q{m.r + h.x, m.s, m.alpha + h.t_x, m.beta + h.t_x, h.T - h.t_x};
  const double scale = std::min(q.a, q.b);
  const double end = q.D > 0 ? std::log1p(reach(q) / scale) : 0;
  Parts sum{std::exp(-q.phi(q.D)), 0, 0};
  double g_r = 0, g_alpha = 0, g_s = 0, g_beta = 0;
  auto visit = [&](double d, double w) {
    if (!gradient) return;
    const double y = h.t_x + d, log_b = std::log1p(y / m.beta);
    g_r += w * std::log1p(y / m.alpha);
    g_alpha += w * (m.r * y - h.x * m.alpha) / (m.alpha * (m.alpha + y));
    g_s += w * (1 / m.s - log_b);
    g_beta += w * (m.s * y - m.beta) / (m.beta * (m.beta + y));
  };
  if (end > 0) {
    bool good = false;
    if (!thorough) {
      panel(q, kRule24, scale, 0, end, sum, visit);
      good = std::fabs(1 - sum.A - sum.J - sum.H) < 1e-12;
    }
    if (!good) {
      sum.J = sum.H = g_r = g_alpha = g_s = g_beta = 0;
      panel(q, kRule32, scale, 0, end / 2, sum, visit);
      panel(q, kRule32, scale, end / 2, end, sum, visit);
    }
  }
  const double B = sum.A + sum.J;
  const double log_B = sum.H < 0.5 ? std::log1p(-sum.H) : std::log(B);   // keeps full accuracy near 0
  Density out;
  out.log_lik = log_gamma(q.N) - log_gamma(m.r) - m.r * std::log1p(h.t_x / m.alpha) - h.x * std::log(q.a) -
    m.s * std::log1p(h.t_x / m.beta) + log_B;
  out.active = sum.A / B;
  if (gradient) {
    const double T = h.T;
    gradient[0] = psi(q.N) - psi(m.r) - (sum.A * std::log1p(T / m.alpha) + g_r) / B;
    gradient[1] = (sum.A * (m.r * T - h.x * m.alpha) / (m.alpha * (m.alpha + T)) + g_alpha) / B;
    gradient[2] = (-sum.A * std::log1p(T / m.beta) + g_s) / B;
    gradient[3] = (sum.A * m.s * T / (m.beta * (m.beta + T)) + g_beta) / B;
  }
  return out;
}

double survival_integral(double s, double scale, double horizon, double delta) {
  if (!(horizon > 0)) return 0;
  const double full = std::log1p(horizon / scale);
  if (delta <= 0) {
    const double z = (1 - s) * full;
    return std::fabs(z) < 1e-300 ? scale * full : scale * full * std::expm1(z) / z;
  }
  // in v = log1p(u / scale) the integrand is exp((1 - s) v - delta scale expm1(v)); find where it has died out
  double low = 0, high = std::isfinite(full) ? full : 700;
  auto fall = [&](double v) { return delta * scale * std::expm1(v) + (s - 1) * v; };
  if (fall(high) > kCut) {
    for (int i = 0; i < 200 && high - low > 1e-12 * high; ++i) { const double mid = (low + high) / 2; (fall(mid) > kCut ? high : low) = mid; }
  }
  double sum = 0;
  for (int half = 0; half < 2; ++half)
    for (std::size_t i = 0; i < kRule64.node.size(); ++i) {
      const double v = high / 2 * (half + kRule64.node[i]);
      sum += high / 2 * kRule64.weight[i] * std::exp((1 - s) * v - delta * scale * std::expm1(v));
    }
  return scale * sum;
}

}  // namespace nubrek
