#include "model_exports.h"

using nubrek::Moments;
using nubrek::spend_model;
using nubrek::SpendColumns;
using nubrek::SpendModel;

// Parameters of every spend model.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_spend_models() {
  Rcpp::List out;
  for (const SpendModel* model : nubrek::spend_models())
    out.push_back(
        Rcpp::List::create(
            Rcpp::_["parameters"] = Rcpp::CharacterVector(model->parameters, model->parameters + 3),
            Rcpp::_["positive"] = Rcpp::LogicalVector(model->positive, model->positive + 3),
            Rcpp::_["by_logs"] = model->by_logs),
        model->name);
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_spend_density(std::string name, Rcpp::NumericVector parameters,
                                      Rcpp::List spends) {
  const SpendModel& model = spend_model(name);
  const SpendColumns a(spends);
  Rcpp::NumericVector out(a.repeats.size());
  for (R_xlen_t i = 0; i < out.size(); ++i)
    out[i] =
        model.density(parameters.begin(), a.rows.of(static_cast<std::size_t>(i)), nullptr, nullptr);
  return out;
}

// Weighted log-likelihood with gradient and Hessian in the fitted parameters.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_spend_sum(std::string name, Rcpp::NumericVector parameters, Rcpp::List spends,
                         Rcpp::NumericVector count, int threads) {
  const auto sum = nubrek::sum_log_likelihood(spend_model(name), parameters.begin(),
                                              SpendColumns(spends).rows, count.begin(), threads);
  return Rcpp::List::create(Rcpp::_["log_lik"] = sum.value,
                            Rcpp::_["gradient"] = Rcpp::NumericVector(sum.first, sum.first + 3),
                            Rcpp::_["hessian"] = Rcpp::NumericMatrix(3, 3, &sum.second[0][0]));
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_spend_expected(std::string name, Rcpp::NumericVector parameters,
                                       Rcpp::List spends) {
  const SpendModel& model = spend_model(name);
  const SpendColumns a(spends);
  Rcpp::NumericVector out(a.repeats.size());
  for (R_xlen_t i = 0; i < out.size(); ++i) {
    out[i] = model.expected(parameters.begin(), a.rows.of(static_cast<std::size_t>(i)));
    if (R_IsNaN(out[i])) out[i] = NA_REAL;
  }
  return out;
}

// Drawn amounts of customers nothing is known of: for each row the mean of `n` of them, and the
// mean and spread of their logs.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_simulate_spend(std::string name, Rcpp::NumericVector parameters,
                              Rcpp::NumericVector n, double seed) {
  const SpendModel& model = spend_model(name);
  Rcpp::NumericVector mean(n.size()), log_mean(n.size()), spread(n.size());
  for (R_xlen_t i = 0; i < n.size(); ++i) {
    nubrek::Stream gen(static_cast<std::uint64_t>(seed), static_cast<std::uint64_t>(i));
    const auto drawn = nubrek::draw_amounts(model, parameters.begin(), n[i], gen);
    mean[i] = n[i] > 0 ? drawn.sum / n[i] : NA_REAL;
    log_mean[i] = n[i] > 0 ? drawn.logs.mean : NA_REAL;
    spread[i] = n[i] > 0 ? drawn.logs.spread : NA_REAL;
  }
  return Rcpp::List::create(Rcpp::_["spend"] = mean, Rcpp::_["log_spend"] = log_mean,
                            Rcpp::_["log_spread"] = spread);
}

// Mean and spread (sum of squared deviations) of the logs of each customer's amounts after the
// first; rows by customer and day.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_log_amounts(Rcpp::IntegerVector customer, Rcpp::NumericVector sales, double unit,
                           int n_customers) {
  const auto moments = nubrek::log_moments(customer.begin(), sales.begin(), unit,
                                           static_cast<std::size_t>(customer.size()),
                                           static_cast<std::size_t>(n_customers));
  Rcpp::NumericVector log_mean(n_customers, NA_REAL), spread(n_customers, NA_REAL);
  for (R_xlen_t c = 0; c < n_customers; ++c) {
    const Moments& one = moments[static_cast<std::size_t>(c)];
    if (one.n == 0) continue;
    log_mean[c] = one.mean;
    spread[c] = one.spread;
  }
  return Rcpp::List::create(Rcpp::_["log_spend"] = log_mean, Rcpp::_["log_spread"] = spread);
}
