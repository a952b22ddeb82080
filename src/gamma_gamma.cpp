// Gamma-gamma spend: every amount of a customer is Gamma(p, rate nu), nu ~ Gamma(q, rate gamma)
// (Colombo & Jiang 1999; Fader, Hardie & Lee 2005). `x` amounts with mean `mean`.
#include <Rcpp.h>
#include <cmath>

// Log density of each customer's mean amount.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_gamma_gamma_density(Rcpp::NumericVector parameters, Rcpp::NumericVector x, Rcpp::NumericVector mean) {
  const double p = parameters["p"], q = parameters["q"], gamma = parameters["gamma"];
  Rcpp::NumericVector out(x.size());
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    const double px = p * x[i], total = x[i] * mean[i];
    // x log-ratios instead of logs of products: nothing cancels when gamma or the total is large
    out[i] = -R::lbeta(px, q) - std::log(mean[i]) - q * std::log1p(total / gamma) - px * std::log1p(gamma / total);
  }
  return out;
}

// Weighted sum of the log-likelihood and its gradient.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_gamma_gamma_sum(Rcpp::NumericVector parameters, Rcpp::NumericVector x, Rcpp::NumericVector mean, Rcpp::NumericVector count) {
  const double p = parameters["p"], q = parameters["q"], gamma = parameters["gamma"];
  const Rcpp::NumericVector each = cpp_gamma_gamma_density(parameters, x, mean);
  double total = 0;
  Rcpp::NumericVector gradient(3);
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    const double px = p * x[i], sum = x[i] * mean[i], both = R::digamma(px + q);
    total += count[i] * each[i];
    gradient[0] += count[i] * x[i] * (both - R::digamma(px) - std::log1p(gamma / sum));
    gradient[1] += count[i] * (both - R::digamma(q) - std::log1p(sum / gamma));
    gradient[2] += count[i] * (q / gamma - (px + q) / (gamma + sum));
  }
  return Rcpp::List::create(Rcpp::_["log_lik"] = total, Rcpp::_["gradient"] = gradient);
}
