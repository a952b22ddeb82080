#include "bg_nbd.h"
#include <cmath>
#include <initializer_list>
#include "special.h"

namespace nubrek {

Density bg_density(const BgNbd& m, const History& h, double* gradient) {
  const double n = h.x + (m.after_first ? 1 : 0);        // occasions at which the customer might have left
  const double stretch = std::log1p((h.T - h.t_x) / (m.alpha + h.t_x));
  // gone by leave / stay = a / (b + n - 1) ((alpha + T) / (alpha + t_x))^(r + x); without an occasion nobody is gone
  const double odds = n > 0 ? std::log(m.a) - std::log(m.b + n - 1) + (m.r + h.x) * stretch : -INFINITY;
  const double gone = odds > 0 ? 1 / (1 + std::exp(-odds)) : std::exp(odds) / (1 + std::exp(odds));
  const double either = odds > 0 ? odds + std::log1p(std::exp(-odds)) : std::log1p(std::exp(odds));
  const double stayed = (log_gamma(m.b + n) - log_gamma(m.b)) - (log_gamma(m.a + m.b + n) - log_gamma(m.a + m.b));
  const double log_lik = log_gamma(m.r + h.x) - log_gamma(m.r) - m.r * std::log1p(h.T / m.alpha) - h.x * std::log(m.alpha + h.T) + stayed + either;
  if (gradient) {
    const double all = psi(m.a + m.b) - psi(m.a + m.b + n);
    gradient[0] = psi(m.r + h.x) - psi(m.r) - std::log1p(h.T / m.alpha) + gone * stretch;
    gradient[1] = m.r / m.alpha - (m.r + h.x) / (m.alpha + h.T) - gone * (m.r + h.x) * (h.T - h.t_x) / ((m.alpha + h.T) * (m.alpha + h.t_x));
    gradient[2] = all + gone / m.a;
    gradient[3] = psi(m.b + n) - psi(m.b) + all - (n > 0 ? gone / (m.b + n - 1) : 0);
  }
  return {log_lik, odds > 0 ? std::exp(-odds) / (1 + std::exp(-odds)) : 1 / (1 + std::exp(odds))};
}

namespace {

// What a customer with a given p buys: (r / alpha) times the integral of (1 + p u / alpha)^-(r + 1) e^(-delta u); without discount [1 - (1 + p h / alpha)^-r] / p.
double given_p(double p, double r, double alpha, double horizon, double delta) {
  if (delta > 0) return r / alpha * survival_integral(r + 1, alpha / p, horizon, delta);
  const double z = horizon / alpha;
  const double fall = r * std::log1p(p * z);
  return fall < 1e-300 ? r * z : -std::expm1(-fall) / p;
}

}  // namespace

// The mean over p by the trapezoid rule in v, the log-odds of p being their mode + sinh(v): smooth, and falling doubly exponentially at both ends. The step
// follows how far from the mode the nearest singularity lies, at the log-odds -log(1 + h / alpha).
double bg_purchases(double r, double alpha, double a, double b, double horizon, double delta) {
  if (!(horizon > 0)) return 0;
  const double mode = std::log(a) - std::log(b);
  const double norm = log_gamma(a + b) - log_gamma(a) - log_gamma(b);
  const double far = std::fmax(std::fabs(mode), std::fabs(mode + std::log1p((std::isinf(horizon) ? 1 / delta : horizon) / alpha)));
  const double step = 0.17 / (1 + 0.25 * far);
  const auto at = [&](double v) {
    const double u = mode + std::sinh(v);
    const double log_p = u > 0 ? -std::log1p(std::exp(-u)) : u - std::log1p(std::exp(u)), log_q = log_p - u;
    const double weight = norm + a * log_p + b * log_q;
    return weight < -745 ? 0 : std::exp(weight) * std::cosh(v) * given_p(std::exp(log_p), r, alpha, horizon, delta);
  };
  double sum = at(0);
  for (const int side : {-1, 1}) {
    for (int k = 1; k < 100000; ++k) {
      const double term = at(side * k * step);
      sum += term;
      if (term <= 1e-18 * sum) break;
    }
  }
  return sum * step;
}

}  // namespace nubrek
