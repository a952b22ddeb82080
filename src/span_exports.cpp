#include "row_columns.h"
#include "span_kernels.h"

using nubrek::RowColumns;

// The first purchase day of each customer, NA without one; rows sorted by customer and day.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_first_days(Rcpp::List purchases, int n_customers) {
  Rcpp::IntegerVector out(n_customers, NA_INTEGER);
  nubrek::first_days(RowColumns(purchases).events(), out.begin());
  return out;
}

// Measures of each customer over the days from the first to the last of `span`; rows sorted by
// customer and day. Without `all` only purchases and sales.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_span_measures(Rcpp::List orders, Rcpp::List purchases, Rcpp::IntegerVector span,
                             int n_customers, bool all, int threads) {
  const RowColumns of(orders), bought(purchases);
  const Rcpp::NumericVector order_sales = orders["sales"];
  const int others = all ? n_customers : 0;
  Rcpp::IntegerVector n_orders(others), n_purchases(n_customers), first(others, NA_INTEGER),
      last(others, NA_INTEGER);
  Rcpp::NumericVector sales(n_customers);
  nubrek::SpanMeasures out{n_purchases.begin(), nullptr, nullptr, nullptr, sales.begin()};
  if (all) {
    out.orders = n_orders.begin();
    out.first = first.begin();
    out.last = last.begin();
  }
  nubrek::measure_span(of.events(), order_sales.begin(), bought.events(), {span[0], span[1]},
                       threads, out);
  if (!all) return Rcpp::List::create(Rcpp::_["purchases"] = n_purchases, Rcpp::_["sales"] = sales);
  return Rcpp::List::create(Rcpp::_["purchases"] = n_purchases, Rcpp::_["orders"] = n_orders,
                            Rcpp::_["first"] = first, Rcpp::_["last"] = last,
                            Rcpp::_["sales"] = sales);
}

// Orders of two parts of time dealt anew between them: the two sums of money and counts of
// purchases. `orders` has `customer`, `sales`, `bought` and `which` part of time.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_deal_orders(Rcpp::List orders, Rcpp::NumericVector share_second, double seed,
                           double draw) {
  const Rcpp::IntegerVector customer = orders["customer"], which = orders["which"];
  const Rcpp::LogicalVector bought = orders["bought"];
  const Rcpp::NumericVector order_sales = orders["sales"];
  const int n = static_cast<int>(share_second.size());
  Rcpp::NumericVector first(n), second(n);
  Rcpp::IntegerVector n_first(n), n_second(n);
  nubrek::deal_orders({customer.begin(), which.begin(), bought.begin(), order_sales.begin(),
                       share_second.begin(), static_cast<std::size_t>(customer.size())},
                      static_cast<std::uint64_t>(seed), static_cast<std::uint64_t>(draw),
                      {{first.begin(), second.begin()}, {n_first.begin(), n_second.begin()}});
  return Rcpp::List::create(Rcpp::_["sales_first"] = first, Rcpp::_["sales_second"] = second,
                            Rcpp::_["purchases_first"] = n_first,
                            Rcpp::_["purchases_second"] = n_second);
}
