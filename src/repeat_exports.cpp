#include <Rcpp.h>
#include "repeat_kernels.h"

namespace {
// `customer` and `day` of a list, kept alive beside the pointers.
struct Rows {
  explicit Rows(const Rcpp::List& rows) : customer(rows["customer"]), day(rows["day"]) {}
  nubrek::Events events() const {
    return {customer.begin(), day.begin(), static_cast<std::size_t>(customer.size())};
  }
  Rcpp::IntegerVector customer, day;
};
}  // namespace

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
  Rcpp::NumericVector sales = orders["sales"];
  const nubrek::PeriodOfDay period{period_of_day.begin(), first_day};
  const R_xlen_t n = sales.size();
  R_xlen_t cells = 0;
  for (R_xlen_t i = 0; i < n; ++i)
    cells += i == 0 || all.customer[i] != all.customer[i - 1] ||
             period(all.day[i]) != period(all.day[i - 1]);
  Rcpp::IntegerVector customer = Rcpp::no_init(cells), row = Rcpp::no_init(cells),
                      n_purchases(cells), n_orders(cells);
  Rcpp::NumericVector total(cells);
  R_xlen_t at = -1, b = 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    const int p = period(all.day[i]);
    if (at < 0 || customer[at] != all.customer[i] || row[at] != p) {
      ++at;
      customer[at] = all.customer[i];
      row[at] = p;
    }
    ++n_orders[at];
    total[at] += sales[i];
  }
  const R_xlen_t m = bought.day.size();
  for (at = 0; b < m; ++b) {
    const int c = bought.customer[b], p = period(bought.day[b]);
    while (customer[at] != c || row[at] != p) ++at;
    ++n_purchases[at];
  }
  return Rcpp::List::create(Rcpp::_["customer"] = customer, Rcpp::_["row"] = row,
                            Rcpp::_["purchases"] = n_purchases, Rcpp::_["orders"] = n_orders,
                            Rcpp::_["sales"] = total);
}

// Per period: new, returning and reactivated customers, their money, and that of customers who
// bought nothing in it.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_arrivals(Rcpp::List active, Rcpp::List history, Rcpp::List money,
                        Rcpp::IntegerVector known, Rcpp::IntegerVector period_of_day, int first_day,
                        int n_periods, int lookback_periods, int lookback_days) {
  const Rows a(active), h(history), m(money);
  Rcpp::NumericVector sales = money["sales"];
  Rcpp::IntegerVector fresh(n_periods), returning(n_periods), reactivated(n_periods);
  Rcpp::NumericVector fresh_sales(n_periods), returning_sales(n_periods),
      reactivated_sales(n_periods), idle_sales(n_periods);
  nubrek::count_arrivals(
      a.events(), h.events(), m.events(), sales.begin(), known.begin(), NA_INTEGER,
      {period_of_day.begin(), first_day}, {lookback_periods, lookback_days},
      static_cast<std::size_t>(n_periods),
      {fresh.begin(), returning.begin(), reactivated.begin(), fresh_sales.begin(),
       returning_sales.begin(), reactivated_sales.begin(), idle_sales.begin()});
  return Rcpp::List::create(
      Rcpp::_["new"] = fresh, Rcpp::_["returning"] = returning,
      Rcpp::_["reactivated"] = reactivated, Rcpp::_["sales_new"] = fresh_sales,
      Rcpp::_["sales_returning"] = returning_sales,
      Rcpp::_["sales_reactivated"] = reactivated_sales, Rcpp::_["sales_not_active"] = idle_sales);
}

// Customers, orders, purchases (worth at least `least` inside the group) and money of each group (1
// to n_groups), of the days `from` to `until`. Rows stand order after order, and orders customer
// after customer; `order` gives each row's order (empty: row by row), `code` its group, or that of
// its customer where `by_customer`.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_group_sales(Rcpp::IntegerVector code, bool by_customer, Rcpp::IntegerVector order,
                           Rcpp::List orders, Rcpp::NumericVector units, int n_groups, int from,
                           int until, double least, bool by_day) {
  const Rows of(orders);
  Rcpp::IntegerVector customers(n_groups), seen(n_groups), n_orders(n_groups), purchases(n_groups);
  Rcpp::NumericVector total(n_groups);
  // what is open in each group: its latest order with that order's money so far, its latest
  // customer, the latest who bought and when
  struct Open {
    R_xlen_t order = -1;
    double money = 0;
    int customer = -1, buyer = -1, day = 0;
  };
  std::vector<Open> open(static_cast<std::size_t>(n_groups));
  const auto close = [&](int g) {
    Open& at = open[static_cast<std::size_t>(g)];
    if (at.order < 0 || at.money < least) return;
    const int day = of.day[at.order];
    const bool again = at.buyer == at.customer;
    if (!(by_day && again && at.day == day)) ++purchases[g];
    if (!again) ++customers[g];
    at.buyer = at.customer;
    at.day = day;
  };
  const bool direct = order.size() == 0;
  for (R_xlen_t i = 0; i < units.size(); ++i) {
    const R_xlen_t o = direct ? i : order[i] - 1;
    if (of.day[o] < from || of.day[o] > until) continue;
    const int c = of.customer[o], g = code[by_customer ? c - 1 : i] - 1;
    Open& at = open[static_cast<std::size_t>(g)];
    if (at.order != o) {
      close(g);
      if (at.customer != c) ++seen[g];
      at.order = o;
      at.money = 0;
      at.customer = c;
      ++n_orders[g];
    }
    at.money += units[i];
    total[g] += units[i];
  }
  for (int g = 0; g < n_groups; ++g) close(g);
  return Rcpp::List::create(Rcpp::_["customers"] = customers, Rcpp::_["seen"] = seen,
                            Rcpp::_["orders"] = n_orders, Rcpp::_["purchases"] = purchases,
                            Rcpp::_["units"] = total);
}
