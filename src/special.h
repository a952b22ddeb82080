// Special functions, from R's own library; the kernels see only these two names.
#pragma once
namespace nubrek {
double log_gamma(double x);
double psi(double x);
}  // namespace nubrek
