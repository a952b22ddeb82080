#include "special.h"
#include <Rmath.h>

namespace nubrek {
double log_gamma(double x) { return Rf_lgammafn(x); }
double psi(double x) { return Rf_digamma(x); }
}  // namespace nubrek
