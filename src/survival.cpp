#include "survival.h"
#include <cmath>
#include "quadrature.h"

namespace nubrek {

double survival_integral(double s, double scale, double horizon, double delta) {
  static const Rule rule24(24), rule32(32), rule48(48);
  const double cut = 40;  // e^-40 is below the rounding of the sum
  if (!(horizon > 0)) return 0;
  if (scale > 1e300)
    return delta > 0 ? -std::expm1(-delta * horizon) / delta : horizon;  // nobody leaves
  const double full = std::log1p(horizon / scale);
  if (delta <= 0) {
    if (std::isinf(horizon)) return s > 1 ? scale / (s - 1) : INFINITY;
    const double z = (1 - s) * full;
    return std::fabs(z) < 1e-300 ? scale * full : scale * full * std::expm1(z) / z;
  }
  // in v = log1p(u / scale) the integrand is exp((1 - s) v - delta scale expm1(v)); find about
  // where it has died out
  double low = 0, high = std::isfinite(full) ? full : 700;
  const double steep = delta * scale;
  auto fall = [&](double v) { return steep * std::expm1(v) + (s - 1) * v; };
  if (fall(high) > cut) {
    high = std::fmin(high,
                     std::log1p((cut + 700 * std::fmax(0, 1 - s)) / steep));  // where it surely has
    for (int i = 0; i < 60 && high - low > 0.02 * high; ++i) {
      const double mid = (low + high) / 2;
      (fall(mid) > cut ? high : low) = mid;
    }
  }
  // the smoother the shorter the range
  const Rule& rule = high < 1 ? rule24 : high < 3 ? rule32 : rule48;
  const int panels = high < 10 ? 1 : 2;
  double sum = 0;
  for (int k = 0; k < panels; ++k)
    for (std::size_t i = 0; i < rule.node.size(); ++i) {
      const double v = high * (k + rule.node[i]) / panels;
      sum += rule.weight[i] * std::exp((1 - s) * v - steep * std::expm1(v));
    }
  sum *= high / panels;
  return scale * sum;
}

}  // namespace nubrek
