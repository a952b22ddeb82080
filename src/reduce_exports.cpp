#include <Rcpp.h>
#include "reduce_kernels.h"

namespace {
Rcpp::IntegerVector zero_based(const Rcpp::IntegerVector& x) { return x - 1; }
}  // namespace

// Customers are 1-based on the R side.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_customer_measures(Rcpp::List orders, Rcpp::List purchases, int n_customers) {
  Rcpp::IntegerVector order_customer = zero_based(orders["customer"]), purchase_customer = zero_based(purchases["customer"]);
  Rcpp::NumericVector order_sales = orders["sales"], purchase_sales = purchases["sales"];
  Rcpp::IntegerVector purchase_day = purchases["day"];
  Rcpp::IntegerVector n_orders(n_customers), n_purchases(n_customers), n_days(n_customers);
  Rcpp::IntegerVector first(n_customers, NA_INTEGER), last(n_customers, NA_INTEGER);
  Rcpp::NumericVector sales(n_customers), in_purchases(n_customers), in_first(n_customers);
  nubrek::measure_orders(order_customer.begin(), order_sales.begin(), order_sales.size(), n_orders.begin(), sales.begin());
  nubrek::measure_purchases(purchase_customer.begin(), purchase_day.begin(), purchase_sales.begin(), purchase_sales.size(),
    {n_purchases.begin(), n_days.begin(), first.begin(), last.begin(), in_purchases.begin(), in_first.begin()});
  return Rcpp::List::create(Rcpp::_["purchases"] = n_purchases, Rcpp::_["orders"] = n_orders, Rcpp::_["purchase_days"] = n_days,
    Rcpp::_["first"] = first, Rcpp::_["last"] = last, Rcpp::_["sales"] = sales, Rcpp::_["sales_purchases"] = in_purchases,
    Rcpp::_["sales_first"] = in_first);
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_merge_days(Rcpp::IntegerVector customer, Rcpp::IntegerVector day, Rcpp::NumericVector sales, double least) {
  const R_xlen_t n = customer.size();
  Rcpp::IntegerVector out_customer(n), out_day(n);
  Rcpp::NumericVector out_sales(n);
  const std::size_t m = nubrek::merge_days(customer.begin(), day.begin(), sales.begin(), n, least, out_customer.begin(), out_day.begin(),
                                           out_sales.begin());
  if (m == 0) return Rcpp::List::create(Rcpp::_["customer"] = Rcpp::IntegerVector(0), Rcpp::_["day"] = Rcpp::IntegerVector(0),
                                        Rcpp::_["sales"] = Rcpp::NumericVector(0));
  const Rcpp::Range kept(0, static_cast<R_xlen_t>(m) - 1);
  return Rcpp::List::create(Rcpp::_["customer"] = Rcpp::IntegerVector(out_customer[kept]), Rcpp::_["day"] = Rcpp::IntegerVector(out_day[kept]),
                            Rcpp::_["sales"] = Rcpp::NumericVector(out_sales[kept]));
}

// `orders` and `purchases` hold 1-based `customer`, `period` (and `day`, `sales`); `cohort` and `first_day` are per customer.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_cohort_cells(Rcpp::List orders, Rcpp::List purchases, Rcpp::IntegerVector cohort, Rcpp::IntegerVector first_day,
                            int n_cohorts, int n_periods) {
  Rcpp::IntegerVector order_customer = zero_based(orders["customer"]), order_period = zero_based(orders["period"]);
  Rcpp::IntegerVector purchase_customer = zero_based(purchases["customer"]), purchase_period = zero_based(purchases["period"]);
  Rcpp::IntegerVector order_day = orders["day"];
  Rcpp::NumericVector order_sales = orders["sales"];
  Rcpp::IntegerVector cohort_index(cohort.size());
  for (R_xlen_t i = 0; i < cohort.size(); ++i) cohort_index[i] = cohort[i] == NA_INTEGER ? -1 : cohort[i] - 1;
  Rcpp::IntegerMatrix customers(n_cohorts, n_periods), n_purchases(n_cohorts, n_periods), n_orders(n_cohorts, n_periods);
  Rcpp::NumericMatrix sales(n_cohorts, n_periods);
  Rcpp::NumericVector outside(n_periods);
  const nubrek::Cells cells{customers.begin(), n_purchases.begin(), n_orders.begin(), sales.begin(), outside.begin()};
  nubrek::count_purchase_cells(purchase_customer.begin(), purchase_period.begin(), purchase_customer.size(), cohort_index.begin(),
                               n_cohorts, cells);
  nubrek::count_order_cells(order_customer.begin(), order_day.begin(), order_period.begin(), order_sales.begin(), order_sales.size(),
                            cohort_index.begin(), first_day.begin(), n_cohorts, cells);
  return Rcpp::List::create(Rcpp::_["customers"] = customers, Rcpp::_["purchases"] = n_purchases, Rcpp::_["orders"] = n_orders,
                            Rcpp::_["sales"] = sales, Rcpp::_["outside"] = outside);
}
