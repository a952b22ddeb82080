// Integral of (1 + u / scale)^-s e^(-delta u) over (0, horizon]: the expected (discounted) time
// that a customer stays, s and scale being those of the rate of leaving. The horizon may be
// infinite when delta > 0.
#pragma once
namespace nubrek {
double survival_integral(double s, double scale, double horizon, double delta);
}  // namespace nubrek
