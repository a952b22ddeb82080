#include <Rcpp.h>
#include "pareto_nbd.h"

using nubrek::History;
using nubrek::ParetoNbd;

namespace {
ParetoNbd model_of(const Rcpp::NumericVector& p) { return {p["r"], p["alpha"], p["s"], p["beta"]}; }
}  // namespace

// Log-density, probability of being active and (on request) the gradient of each history.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_pareto_density(Rcpp::NumericVector parameters, Rcpp::NumericVector x, Rcpp::NumericVector t_x, Rcpp::NumericVector T) {
  const ParetoNbd m = model_of(parameters);
  Rcpp::NumericVector log_lik(x.size()), active(x.size());
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (i % 1024 == 0) Rcpp::checkUserInterrupt();
    const nubrek::Density d = nubrek::pareto_density(m, {x[i], t_x[i], T[i]}, nullptr, true);
    log_lik[i] = d.log_lik;
    active[i] = d.active;
  }
  return Rcpp::List::create(Rcpp::_["log_lik"] = log_lik, Rcpp::_["active"] = active);
}

// Weighted sum of the log-likelihood and its gradient in the parameters.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_pareto_sum(Rcpp::NumericVector parameters, Rcpp::NumericVector x, Rcpp::NumericVector t_x, Rcpp::NumericVector T,
                          Rcpp::NumericVector count) {
  const ParetoNbd m = model_of(parameters);
  double total = 0;
  Rcpp::NumericVector gradient(4);
  double g[4];
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (i % 1024 == 0) Rcpp::checkUserInterrupt();
    total += count[i] * nubrek::pareto_density(m, {x[i], t_x[i], T[i]}, g, false).log_lik;
    for (int k = 0; k < 4; ++k) gradient[k] += count[i] * g[k];
  }
  return Rcpp::List::create(Rcpp::_["log_lik"] = total, Rcpp::_["gradient"] = gradient);
}

// Integral of (1 + u / scale)^-s e^(-delta u) over (0, horizon], vectorised over `scale`.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_survival_integral(double s, Rcpp::NumericVector scale, double horizon, double delta) {
  Rcpp::NumericVector out(scale.size());
  for (R_xlen_t i = 0; i < scale.size(); ++i) out[i] = nubrek::survival_integral(s, scale[i], horizon, delta);
  return out;
}
