// Special functions. All are free of global state, so that threads may call them.
#pragma once
namespace nubrek {

double log_gamma(double x);
double log_beta(double a, double b);
double psi(double x);        // first derivative of log_gamma
double psi_slope(double x);  // second

// Log of c (c + 1) ... (c + n - 1) = Gamma(c + n) / Gamma(c) for whole n, with its first two
// derivatives in c.
struct Rising {
  double value, first, second;
};
Rising rising(double c, double n);

// Mean of f(p) over p ~ Beta(a, b), by the trapezoid rule in v, the log-odds of p being their mode
// + width sinh(v): smooth, and falling doubly exponentially at both ends. `far` is how far from
// log-odds 0 the nearest singularity of f lies; the step follows it. The same rule gives the norm,
// so that nothing cancels however large a and b are.
template <class F>
double beta_mean(double a, double b, double far, const F& f);

}  // namespace nubrek

#include <cmath>
#include <initializer_list>

template <class F>
double nubrek::beta_mean(double a, double b, double far, const F& f) {
  const double mode = std::log(a) - std::log(b), width = std::fmin(1, std::sqrt(1 / a + 1 / b));
  const double step = 0.17 / (1 + 0.25 * std::fmax(std::fabs(mode), std::fabs(mode + far)));
  const double top_p = -std::log1p(b / a), top_q = -std::log1p(a / b);
  double sum = f(a / (a + b)), norm = 1;  // at v = 0
  for (const int side : {-1, 1}) {
    for (int k = 1; k < 100000; ++k) {
      const double v = side * k * step, u = mode + width * std::sinh(v);
      const double log_p = u > 0 ? -std::log1p(std::exp(-u)) : u - std::log1p(std::exp(u)),
                   log_q = log_p - u;
      const double fall = a * (log_p - top_p) + b * (log_q - top_q);
      if (fall < -745) break;
      const double weight = std::exp(fall) * std::cosh(v), term = weight * f(std::exp(log_p));
      norm += weight;
      sum += term;
      if (term <= 1e-16 * sum && weight <= 1e-16 * norm) break;
    }
  }
  return sum / norm;
}
