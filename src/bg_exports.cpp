#include <Rcpp.h>
#include "bg_nbd.h"

namespace {
nubrek::BgNbd model_of(const Rcpp::NumericVector& p, bool after_first) { return {p["r"], p["alpha"], p["a"], p["b"], after_first}; }
}  // namespace

// Log-density and probability of being active of each history.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_bg_density(Rcpp::NumericVector parameters, bool after_first, Rcpp::NumericVector x, Rcpp::NumericVector t_x, Rcpp::NumericVector T) {
  const nubrek::BgNbd m = model_of(parameters, after_first);
  Rcpp::NumericVector log_lik(x.size()), active(x.size());
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    const nubrek::Density d = nubrek::bg_density(m, {x[i], t_x[i], T[i]}, nullptr);
    log_lik[i] = d.log_lik;
    active[i] = d.active;
  }
  return Rcpp::List::create(Rcpp::_["log_lik"] = log_lik, Rcpp::_["active"] = active);
}

// Weighted sum of the log-likelihood and its gradient in the parameters.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_bg_sum(Rcpp::NumericVector parameters, bool after_first, Rcpp::NumericVector x, Rcpp::NumericVector t_x, Rcpp::NumericVector T, Rcpp::NumericVector count) {
  const nubrek::BgNbd m = model_of(parameters, after_first);
  double total = 0;
  Rcpp::NumericVector gradient(4);
  double g[4];
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (i % 4096 == 0) Rcpp::checkUserInterrupt();
    total += count[i] * nubrek::bg_density(m, {x[i], t_x[i], T[i]}, g).log_lik;
    for (int k = 0; k < 4; ++k) gradient[k] += count[i] * g[k];
  }
  return Rcpp::List::create(Rcpp::_["log_lik"] = total, Rcpp::_["gradient"] = gradient);
}

// Expected (discounted) purchases of customers who are there, with Gamma(r, rate alpha) and Beta(a, b) each; vectorised over r, alpha and b.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_bg_purchases(Rcpp::NumericVector r, Rcpp::NumericVector alpha, double a, Rcpp::NumericVector b, double horizon, double delta) {
  Rcpp::NumericVector out(r.size());
  for (R_xlen_t i = 0; i < r.size(); ++i) {
    if (i % 256 == 0) Rcpp::checkUserInterrupt();
    out[i] = nubrek::bg_purchases(r[i], alpha[i], a, b[i], horizon, delta);
  }
  return out;
}
