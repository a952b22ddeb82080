#include <Rcpp.h>
#include <algorithm>
#include "simulate_value.h"

// Measures of each customer over the days from `from` to `until`; rows sorted by customer and day.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_span_measures(Rcpp::List orders, Rcpp::List purchases, int from, int until, int n_customers) {
  Rcpp::IntegerVector order_customer = orders["customer"], order_day = orders["day"], customer = purchases["customer"], day = purchases["day"];
  Rcpp::NumericVector order_sales = orders["sales"];
  Rcpp::IntegerVector n_orders(n_customers), n_purchases(n_customers), first(n_customers, NA_INTEGER), last(n_customers, NA_INTEGER);
  Rcpp::NumericVector sales(n_customers);
  for (R_xlen_t i = 0; i < order_day.size(); ++i) {
    if (order_day[i] < from || order_day[i] > until) continue;
    ++n_orders[order_customer[i] - 1];
    sales[order_customer[i] - 1] += order_sales[i];
  }
  for (R_xlen_t i = 0; i < day.size(); ++i) {
    if (day[i] < from || day[i] > until) continue;
    const int c = customer[i] - 1;
    if (n_purchases[c]++ == 0) first[c] = day[i];
    last[c] = day[i];
  }
  return Rcpp::List::create(Rcpp::_["purchases"] = n_purchases, Rcpp::_["orders"] = n_orders, Rcpp::_["first"] = first, Rcpp::_["last"] = last, Rcpp::_["sales"] = sales);
}

// Orders of two parts of time dealt anew between them: each stays with its customer and falls into the second part with that customer's share of the time. Gives
// the two sums of money and counts of orders worth at least `least`. `which` is 1 or 2 (0: not moved, first part; -1: not moved, second part).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_deal_orders(Rcpp::IntegerVector customer, Rcpp::NumericVector sales, Rcpp::IntegerVector which, Rcpp::NumericVector share_second, double least, int n_customers, double seed,
                           double draw) {
  Rcpp::NumericVector first(n_customers), second(n_customers);
  Rcpp::IntegerVector n_first(n_customers), n_second(n_customers);
  for (R_xlen_t i = 0; i < customer.size(); ++i) {
    const int c = customer[i] - 1;
    bool later = which[i] < 0;
    if (which[i] > 0) {
      nubrek::Stream gen(static_cast<std::uint64_t>(seed) * 1000003ULL + static_cast<std::uint64_t>(draw), static_cast<std::uint64_t>(i));
      later = std::uniform_real_distribution<double>(0, 1)(gen) < share_second[c];
    }
    (later ? second : first)[c] += sales[i];
    if (sales[i] >= least) ++(later ? n_second : n_first)[c];
  }
  return Rcpp::List::create(Rcpp::_["sales_first"] = first, Rcpp::_["sales_second"] = second, Rcpp::_["purchases_first"] = n_first, Rcpp::_["purchases_second"] = n_second);
}

// The share of draws of each customer's coming sales that fall between the limits: row = customer, column = tier, the last one without any purchase. `limits`
// fall from the best tier down.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_simulate_tiers(Rcpp::List customers, Rcpp::NumericMatrix draws, int individual, double horizon, Rcpp::NumericVector limits, double kept, double seed) {
  Rcpp::NumericVector x = customers["x"], t_x = customers["t_x"], T = customers["T"], amounts = customers["amounts"], total = customers["total"];
  const R_xlen_t n = x.size();
  const int tiers = limits.size();
  Rcpp::NumericMatrix out(n, tiers + 1);
  const double weight = 1.0 / (static_cast<double>(draws.nrow()) * individual);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (i % 256 == 0) Rcpp::checkUserInterrupt();
    nubrek::Stream gen(static_cast<std::uint64_t>(seed), static_cast<std::uint64_t>(i));
    const nubrek::History h{x[i], t_x[i], T[i]};
    for (int d = 0; d < draws.nrow(); ++d) {
      const nubrek::ParetoNbd m{draws(d, 0), draws(d, 1), draws(d, 2), draws(d, 3)};
      const nubrek::SpendDraw z{draws(d, 4), draws(d, 5), draws(d, 6)};
      const double active = nubrek::pareto_density(m, h, nullptr, false).active;
      for (int k = 0; k < individual; ++k) {
        const double v = kept * nubrek::draw_value(gen, m, z, h, active, amounts[i], total[i], horizon, 0);
        int tier = tiers;
        if (v > 0) for (tier = 0; tier < tiers - 1 && v < limits[tier]; ++tier) {}
        out(i, tier) += weight;
      }
    }
  }
  return out;
}
