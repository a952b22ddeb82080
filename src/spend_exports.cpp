#include "model_exports.h"
#include <algorithm>
#include "threads.h"

using nubrek::spend_model;
using nubrek::SpendModel;
using nubrek::Spends;

// Names and parameters of every spend model.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_spend_models() {
  Rcpp::List out;
  for (const SpendModel* model : nubrek::spend_models()) {
    Rcpp::CharacterVector parameters(3);
    Rcpp::LogicalVector positive(3);
    for (int i = 0; i < 3; ++i) {
      parameters[i] = model->parameters[i];
      positive[i] = model->positive[i];
    }
    out.push_back(
        Rcpp::List::create(Rcpp::_["parameters"] = parameters, Rcpp::_["positive"] = positive,
                           Rcpp::_["by_logs"] = model->by_logs),
        model->name);
  }
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_spend_density(std::string name, Rcpp::NumericVector parameters,
                                      Rcpp::List spends) {
  const SpendModel& model = spend_model(name);
  const Spends a(spends);
  Rcpp::NumericVector out(a.rows);
  for (R_xlen_t i = 0; i < a.rows; ++i)
    out[i] = model.density(parameters.begin(), a.of(i), nullptr, nullptr);
  return out;
}

// Weighted log-likelihood with gradient and Hessian in the fitted parameters.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_spend_sum(std::string name, Rcpp::NumericVector parameters, Rcpp::List spends,
                         Rcpp::NumericVector count, int threads) {
  const SpendModel& model = spend_model(name);
  const Spends a(spends);
  struct Sum {
    double value = 0, first[3] = {}, second[3][3] = {};
  };
  std::vector<Sum> parts(nubrek::chunks_of(a.rows));
  const double *p = parameters.begin(), *counts = count.begin();
  nubrek::run_tasks(parts.size(), threads, [&](std::size_t chunk) {
    Sum& sum = parts[chunk];
    double g[3], h[3][3];
    const R_xlen_t from = static_cast<R_xlen_t>(chunk) * nubrek::kChunk,
                   to = std::min(a.rows, from + nubrek::kChunk);
    for (R_xlen_t i = from; i < to; ++i) {
      sum.value += counts[i] * model.density(p, a.of(i), g, h);
      for (int k = 0; k < 3; ++k) {
        sum.first[k] += counts[i] * g[k];
        for (int l = k; l < 3; ++l) sum.second[k][l] += counts[i] * h[k][l];
      }
    }
  });
  double value = 0;
  Rcpp::NumericVector gradient(3);
  Rcpp::NumericMatrix hessian(3, 3);
  for (const Sum& sum : parts) {
    value += sum.value;
    for (int k = 0; k < 3; ++k) {
      gradient[k] += sum.first[k];
      for (int l = k; l < 3; ++l) hessian(k, l) = hessian(l, k) = hessian(k, l) + sum.second[k][l];
    }
  }
  return Rcpp::List::create(Rcpp::_["log_lik"] = value, Rcpp::_["gradient"] = gradient,
                            Rcpp::_["hessian"] = hessian);
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_spend_expected(std::string name, Rcpp::NumericVector parameters,
                                       Rcpp::List spends) {
  const SpendModel& model = spend_model(name);
  const Spends a(spends);
  Rcpp::NumericVector out(a.rows);
  for (R_xlen_t i = 0; i < a.rows; ++i) {
    out[i] = model.expected(parameters.begin(), a.of(i));
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
    const double level = model.draw_level(parameters.begin(), {0, 0, 0, 0}, gen);
    double sum = 0, logs = 0, squares = 0;
    for (int k = 0; k < n[i]; ++k) {
      const double amount = model.draw_amount(parameters.begin(), level, gen),
                   off = std::log(amount) - logs;
      sum += amount;
      logs += off / (k + 1);
      squares += off * (std::log(amount) - logs);
    }
    mean[i] = n[i] > 0 ? sum / n[i] : NA_REAL;
    log_mean[i] = n[i] > 0 ? logs : NA_REAL;
    spread[i] = n[i] > 0 ? squares : NA_REAL;
  }
  return Rcpp::List::create(Rcpp::_["spend"] = mean, Rcpp::_["log_spend"] = log_mean,
                            Rcpp::_["log_spread"] = spread);
}

// Mean and spread (sum of squared deviations) of the logs of each customer's amounts after the
// first; rows by customer and day.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_log_amounts(Rcpp::IntegerVector customer, Rcpp::NumericVector sales, double unit,
                           int n_customers) {
  Rcpp::NumericVector log_mean(n_customers, NA_REAL), spread(n_customers, NA_REAL);
  std::vector<int> seen(static_cast<std::size_t>(n_customers), 0);
  for (R_xlen_t i = 0; i < customer.size(); ++i) {
    const int c = customer[i] - 1;
    const int k = seen[static_cast<std::size_t>(c)]++;
    if (k == 0) continue;
    const double one = std::log(sales[i] / unit);
    if (k == 1) {
      log_mean[c] = one;
      spread[c] = 0;
      continue;
    }
    const double off = one - log_mean[c];
    log_mean[c] += off / k;
    spread[c] += off * (one - log_mean[c]);
  }
  return Rcpp::List::create(Rcpp::_["log_spend"] = log_mean, Rcpp::_["log_spread"] = spread);
}
