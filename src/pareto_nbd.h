// Pareto/NBD: purchases are Poisson(lambda) until an exponential(mu) lifetime ends; lambda ~ Gamma(r, rate alpha),
// mu ~ Gamma(s, rate beta), independent (Schmittlein, Morrison & Colombo 1987; Fader & Hardie 2005).
// A history is (x repeat purchases, the last at t_x, observed to T), times since the first purchase in one unit.
#pragma once

namespace nubrek {

struct ParetoNbd { double r, alpha, s, beta; };
struct History { double x, t_x, T; };

// Log of the density of the purchase epochs, and the probability of still being a customer at T. `gradient`
// (4 values: r, alpha, s, beta) may be null. Exact to rounding when `thorough`; otherwise as many quadrature nodes are
// used as the error indicator of each history asks for (about 1e-11).
struct Density { double log_lik, active; };
Density pareto_density(const ParetoNbd& m, const History& h, double* gradient, bool thorough);

// Integral of (1 + u / scale)^-s e^(-delta u) over (0, horizon]; horizon may be infinite when delta > 0.
double survival_integral(double s, double scale, double horizon, double delta);

}  // namespace nubrek
