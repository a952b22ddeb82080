#include <Rcpp.h>
#include <algorithm>
#include <type_traits>
#include "reduce_kernels.h"

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_customer_measures(Rcpp::List orders, Rcpp::List purchases, int n_customers) {
  Rcpp::IntegerVector order_customer = orders["customer"],
                      purchase_customer = purchases["customer"];
  Rcpp::NumericVector order_sales = orders["sales"], purchase_sales = purchases["sales"];
  Rcpp::IntegerVector purchase_day = purchases["day"];
  Rcpp::IntegerVector n_orders(n_customers), n_purchases(n_customers), n_days(n_customers);
  Rcpp::IntegerVector first(n_customers, NA_INTEGER), last(n_customers, NA_INTEGER);
  Rcpp::NumericVector sales(n_customers), in_purchases(n_customers), in_first(n_customers);
  nubrek::measure_orders(order_customer.begin(), order_sales.begin(), order_sales.size(),
                         n_orders.begin(), sales.begin());
  nubrek::measure_purchases(purchase_customer.begin(), purchase_day.begin(), purchase_sales.begin(),
                            purchase_sales.size(),
                            {n_purchases.begin(), n_days.begin(), first.begin(), last.begin(),
                             in_purchases.begin(), in_first.begin()});
  return Rcpp::List::create(Rcpp::_["purchases"] = n_purchases, Rcpp::_["orders"] = n_orders,
                            Rcpp::_["purchase_days"] = n_days, Rcpp::_["first"] = first,
                            Rcpp::_["last"] = last, Rcpp::_["sales"] = sales,
                            Rcpp::_["sales_purchases"] = in_purchases,
                            Rcpp::_["sales_first"] = in_first);
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_merge_days(Rcpp::IntegerVector customer, Rcpp::IntegerVector day,
                          Rcpp::NumericVector sales) {
  const R_xlen_t n = customer.size();
  Rcpp::IntegerVector out_customer = Rcpp::no_init(n), out_day = Rcpp::no_init(n);
  Rcpp::NumericVector out_sales = Rcpp::no_init(n);
  const std::size_t m =
      nubrek::merge_days(customer.begin(), day.begin(), sales.begin(), n, out_customer.begin(),
                         out_day.begin(), out_sales.begin());
  const auto kept = [m](const auto& x) {
    return static_cast<std::size_t>(x.size()) == m
               ? x
               : std::decay_t<decltype(x)>(x.begin(), x.begin() + static_cast<R_xlen_t>(m));
  };
  return Rcpp::List::create(Rcpp::_["customer"] = kept(out_customer),
                            Rcpp::_["day"] = kept(out_day), Rcpp::_["sales"] = kept(out_sales));
}

// Per customer the row of the largest line of the first order that is `bought`, NA without one;
// lines stand order after order.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_first_lines(Rcpp::List orders, Rcpp::LogicalVector bought,
                                    Rcpp::NumericVector line_sales, int n_customers) {
  Rcpp::IntegerVector customer = orders["customer"], n_lines = orders["n_lines"],
                      out(n_customers, NA_INTEGER);
  nubrek::first_lines({customer.begin(), bought.begin(), n_lines.begin(),
                       static_cast<std::size_t>(customer.size())},
                      line_sales.begin(), out.begin());
  return out;
}

// How many gaps between consecutive purchases (up to the day `until`) are 0, 1, 2 ... periods long.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_gap_counts(Rcpp::List purchases, Rcpp::IntegerVector period_of_day,
                                   int first_day, int until) {
  Rcpp::IntegerVector customer = purchases["customer"], day = purchases["day"];
  const int most = std::max(0, *std::max_element(period_of_day.begin(), period_of_day.end()));
  Rcpp::IntegerVector out(most + 1);
  nubrek::count_gaps(customer.begin(), day.begin(), static_cast<std::size_t>(customer.size()),
                     {period_of_day.begin(), first_day}, until, out.begin());
  return out;
}

// The number of its order for each line, in the order of these.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_order_of_lines(Rcpp::IntegerVector n_lines) {
  R_xlen_t size = 0;
  for (const int n : n_lines) {
    if (n < 0) Rcpp::stop("an order has no number of lines");
    size += n;
  }
  Rcpp::IntegerVector out = Rcpp::no_init(size);
  int* to = out.begin();
  for (R_xlen_t i = 0; i < n_lines.size(); ++i)
    to = std::fill_n(to, n_lines[i], static_cast<int>(i) + 1);
  return out;
}

// Are all there, within two limits, and in order where that is asked for?
// [[Rcpp::export(rng = false)]]
bool cpp_all_within(Rcpp::IntegerVector x, int low, int high, bool ascending) {
  int before = low;
  for (const int value : x) {
    if (value < (ascending ? before : low) || value > high) return false;
    before = value;
  }
  return true;
}
