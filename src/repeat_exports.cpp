#include "group_kernels.h"
#include "row_columns.h"

using Rows = nubrek::RowColumns;

// Per customer code; median and longest are missing without a gap.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_gap_measures(Rcpp::List purchases, int n_customers) {
  const Rows rows(purchases);
  Rcpp::IntegerVector gaps(n_customers), longest(n_customers);
  Rcpp::NumericVector sum(n_customers), squares(n_customers), median(n_customers, NA_REAL),
      log_sum(n_customers), log_squares(n_customers);
  nubrek::measure_gaps(rows.events(), {gaps.begin(), sum.begin(), squares.begin(), median.begin(),
                                       longest.begin(), log_sum.begin(), log_squares.begin()});
  return Rcpp::List::create(Rcpp::_["gaps"] = gaps, Rcpp::_["sum"] = sum,
                            Rcpp::_["squares"] = squares, Rcpp::_["median"] = median,
                            Rcpp::_["longest"] = longest, Rcpp::_["log_sum"] = log_sum,
                            Rcpp::_["log_squares"] = log_squares);
}

// Per customer code the first purchase day and the nth, missing without one.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_nth_days(Rcpp::List days, int nth, int n_customers) {
  const Rows rows(days);
  Rcpp::IntegerVector first(n_customers, NA_INTEGER), nth_day(n_customers, NA_INTEGER);
  nubrek::nth_days(rows.events(), nth, first.begin(), nth_day.begin());
  return Rcpp::List::create(Rcpp::_["first"] = first, Rcpp::_["nth"] = nth_day);
}

// Per customer and period with an order: purchases, orders and sales, sorted by both.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_customer_periods(Rcpp::List orders, Rcpp::List purchases,
                                Rcpp::IntegerVector period_of_day, int first_day) {
  const Rows all(orders), bought(purchases);
  const Rcpp::NumericVector sales = orders["sales"];
  const nubrek::PeriodOfDay period{period_of_day.begin(), first_day};
  const R_xlen_t n = static_cast<R_xlen_t>(nubrek::count_period_cells(all.events(), period));
  Rcpp::IntegerVector customer = Rcpp::no_init(n), row = Rcpp::no_init(n), n_purchases(n),
                      n_orders(n);
  Rcpp::NumericVector total(n);
  nubrek::customer_periods(
      all.events(), sales.begin(), bought.events(), period,
      {customer.begin(), row.begin(), n_purchases.begin(), n_orders.begin(), total.begin()});
  return Rcpp::List::create(Rcpp::_["customer"] = customer, Rcpp::_["row"] = row,
                            Rcpp::_["purchases"] = n_purchases, Rcpp::_["orders"] = n_orders,
                            Rcpp::_["sales"] = total);
}

// Per period: new, returning and reactivated customers, their money, and that of customers who
// bought nothing in it. `rows` has those of `active`, `history` and `money`; `periods` the `row` of
// each day from the `first` on and their `number`; `lookback` is in periods, then in days.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_arrivals(Rcpp::List rows, Rcpp::IntegerVector known, Rcpp::List periods,
                        Rcpp::IntegerVector lookback) {
  const Rcpp::List money = rows["money"];
  const Rows a(rows["active"]), h(rows["history"]), m(money);
  const Rcpp::NumericVector sales = money["sales"];
  const Rcpp::IntegerVector row = periods["row"];
  const int n = periods["number"];
  Rcpp::IntegerVector fresh(n), returning(n), reactivated(n);
  Rcpp::NumericVector fresh_sales(n), returning_sales(n), reactivated_sales(n), idle_sales(n);
  nubrek::count_arrivals(
      a.events(), h.events(), m.events(), sales.begin(), known.begin(), NA_INTEGER,
      {row.begin(), periods["first"]}, {lookback[0], lookback[1]}, static_cast<std::size_t>(n),
      {fresh.begin(), returning.begin(), reactivated.begin(), fresh_sales.begin(),
       returning_sales.begin(), reactivated_sales.begin(), idle_sales.begin()});
  return Rcpp::List::create(
      Rcpp::_["new"] = fresh, Rcpp::_["returning"] = returning,
      Rcpp::_["reactivated"] = reactivated, Rcpp::_["sales_new"] = fresh_sales,
      Rcpp::_["sales_returning"] = returning_sales,
      Rcpp::_["sales_reactivated"] = reactivated_sales, Rcpp::_["sales_not_active"] = idle_sales);
}

// Customers, orders, purchases (worth at least `least` inside the group) and money of each group (1
// to `number`) over the days of `span`. `groups` has the `code` of each row, or of each customer
// where `by_customer`, and how a purchase is counted: `least`, `by_day`. Rows stand order after
// order, and orders customer after customer; `order` gives each row's order (empty: row by row).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_group_sales(Rcpp::List groups, Rcpp::IntegerVector order, Rcpp::List orders,
                           Rcpp::NumericVector units, Rcpp::IntegerVector span) {
  const Rows of(orders);
  const Rcpp::IntegerVector code = groups["code"], sign = groups["sign"];
  const int number = groups["number"];
  const nubrek::GroupedRows rows{of.events(),   order.size() > 0 ? order.begin() : nullptr,
                                 units.begin(), static_cast<std::size_t>(units.size()),
                                 code.begin(),  Rcpp::as<bool>(groups["by_customer"]),
                                 sign.size() > 0 ? sign.begin() : nullptr};
  const auto sums = nubrek::sum_groups(rows, static_cast<std::size_t>(number), {span[0], span[1]},
                                       {groups["least"], groups["by_day"], sign.size() > 0});
  Rcpp::IntegerVector customers(number), seen(number), n_orders(number), purchases(number);
  Rcpp::NumericVector total(number);
  for (int g = 0; g < number; ++g) {
    const nubrek::GroupSums& one = sums[static_cast<std::size_t>(g)];
    customers[g] = one.customers;
    seen[g] = one.seen;
    n_orders[g] = one.orders;
    purchases[g] = one.purchases;
    total[g] = one.money;
  }
  return Rcpp::List::create(Rcpp::_["customers"] = customers, Rcpp::_["seen"] = seen,
                            Rcpp::_["orders"] = n_orders, Rcpp::_["purchases"] = purchases,
                            Rcpp::_["units"] = total);
}
