// BG/NBD and its variant: purchases are Poisson(lambda) while the customer is there; after every repeat purchase (in the variant after the first one too) the
// customer leaves for good with probability p; lambda ~ Gamma(r, rate alpha), p ~ Beta(a, b), independent (Fader, Hardie & Lee 2005; Batislam, Denizel &
// Filiztekin 2007). Histories as in pareto_nbd.h.
#pragma once
#include "pareto_nbd.h"

namespace nubrek {

struct BgNbd {
  double r, alpha, a, b;
  bool after_first;        // may a customer leave right after the first purchase?
};

// Log of the density of the purchase epochs, and the probability of still being a customer at T. `gradient` (4 values: r, alpha, a, b) may be null.
Density bg_density(const BgNbd& m, const History& h, double* gradient);

// Expected purchases in (0, horizon] of a customer with lambda ~ Gamma(r, rate alpha) and p ~ Beta(a, b) who is there at 0, discounted at rate delta; the
// horizon may be infinite when delta > 0.
double bg_purchases(double r, double alpha, double a, double b, double horizon, double delta);

}  // namespace nubrek
