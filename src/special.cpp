#include "special.h"
#include <Rmath.h>

namespace nubrek {

double log_gamma(double x) {
  return Rf_lgammafn(x);
}
double log_beta(double a, double b) {
  return Rf_lbeta(a, b);
}

// Upwards by recurrence to where the asymptotic series (Abramowitz & Stegun 6.3.18, 6.4.12) is
// exact to rounding.
double psi(double x) {
  double low = 0;
  for (; x < 10; ++x) low += 1 / x;
  const double z = 1 / (x * x);
  return std::log(x) - 0.5 / x -
         z * (1.0 / 12 -
              z * (1.0 / 120 -
                   z * (1.0 / 252 -
                        z * (1.0 / 240 - z * (1.0 / 132 - z * (691.0 / 32760 - z / 12)))))) -
         low;
}

double psi_slope(double x) {
  double low = 0;
  for (; x < 10; ++x) low += 1 / (x * x);
  const double z = 1 / (x * x);
  return 1 / x + 0.5 * z +
         z / x *
             (1.0 / 6 -
              z * (1.0 / 30 -
                   z * (1.0 / 42 -
                        z * (1.0 / 30 - z * (5.0 / 66 - z * (691.0 / 2730 - z * 7.0 / 6)))))) +
         low;
}

Rising rising(double c, double n) {
  if (n > 24)
    return {log_gamma(c + n) - log_gamma(c), psi(c + n) - psi(c), psi_slope(c + n) - psi_slope(c)};
  double product = 1, first = 0, second = 0;
  for (int i = 0; i < n; ++i) {
    const double one = 1 / (c + i);
    product *= c + i;
    first += one;
    second -= one * one;
  }
  return {std::log(product), first, second};
}

}  // namespace nubrek
