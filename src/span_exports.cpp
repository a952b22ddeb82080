#include <Rcpp.h>
#include <algorithm>
#include <vector>
#include "random.h"
#include "threads.h"

// The first purchase day of each customer, NA without one; rows sorted by customer and day.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_first_days(Rcpp::List purchases, int n_customers) {
  Rcpp::IntegerVector customer = purchases["customer"], day = purchases["day"],
                      out(n_customers, NA_INTEGER);
  int before = 0;
  for (R_xlen_t i = 0; i < customer.size(); ++i) {
    if (customer[i] != before) out[customer[i] - 1] = day[i];
    before = customer[i];
  }
  return out;
}

namespace {

// Row ranges that begin and end with a customer, so that each can be worked on alone.
std::vector<std::size_t> customer_ranges(const int* customer, std::size_t n, int parts) {
  std::vector<std::size_t> at{0};
  for (int k = 1; k < parts; ++k) {
    std::size_t i =
        std::max(at.back(), n / static_cast<std::size_t>(parts) * static_cast<std::size_t>(k));
    while (i > 0 && i < n && customer[i] == customer[i - 1]) ++i;
    at.push_back(i);
  }
  at.push_back(n);
  return at;
}

}  // namespace

// Measures of each customer over the days from `from` to `until`; rows sorted by customer and day.
// Sums of one customer stay in registers until the next one. Without `all` only purchases and
// sales.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_span_measures(Rcpp::List orders, Rcpp::List purchases, int from, int until,
                             int n_customers, bool all, int threads) {
  Rcpp::IntegerVector order_customer = orders["customer"], order_day = orders["day"],
                      customer = purchases["customer"], day = purchases["day"];
  Rcpp::NumericVector order_sales = orders["sales"];
  const int others = all ? n_customers : 0;
  Rcpp::IntegerVector n_orders(others), n_purchases(n_customers), first(others, NA_INTEGER),
      last(others, NA_INTEGER);
  Rcpp::NumericVector sales(n_customers);
  const int *oc = order_customer.begin(), *od = order_day.begin(), *pc = customer.begin(),
            *pd = day.begin();
  const double* os = order_sales.begin();
  int *to_orders = n_orders.begin(), *to_purchases = n_purchases.begin(), *to_first = first.begin(),
      *to_last = last.begin();
  double* to_sales = sales.begin();
  const std::size_t parts = static_cast<std::size_t>(threads);
  const auto of_orders = customer_ranges(oc, static_cast<std::size_t>(order_day.size()), threads),
             of_purchases = customer_ranges(pc, static_cast<std::size_t>(day.size()), threads);
  const int none = NA_INTEGER;
  nubrek::run_tasks(2 * parts, threads, [&](std::size_t task) {
    if (task < parts) {
      for (std::size_t i = of_orders[task], end = of_orders[task + 1]; i < end;) {
        const int c = oc[i];
        int count = 0;
        double total = 0;
        for (; i < end && oc[i] == c; ++i) {
          const bool in = (od[i] >= from) & (od[i] <= until);
          count += in;
          total += in ? os[i] : 0.0;
        }
        if (all) to_orders[c - 1] = count;
        to_sales[c - 1] = total;
      }
      return;
    }
    for (std::size_t i = of_purchases[task - parts], end = of_purchases[task - parts + 1];
         i < end;) {
      const int c = pc[i];
      int count = 0, start = none, stop = none;
      for (; i < end && pc[i] == c; ++i) {
        const bool in = (pd[i] >= from) & (pd[i] <= until);
        start = (in && count == 0) ? pd[i] : start;
        stop = in ? pd[i] : stop;
        count += in;
      }
      to_purchases[c - 1] = count;
      if (all) {
        to_first[c - 1] = start;
        to_last[c - 1] = stop;
      }
    }
  });
  if (!all) return Rcpp::List::create(Rcpp::_["purchases"] = n_purchases, Rcpp::_["sales"] = sales);
  return Rcpp::List::create(Rcpp::_["purchases"] = n_purchases, Rcpp::_["orders"] = n_orders,
                            Rcpp::_["first"] = first, Rcpp::_["last"] = last,
                            Rcpp::_["sales"] = sales);
}

// Orders of two parts of time dealt anew between them: each stays with its customer and falls into
// the second part with that customer's share of the time. Gives the two sums of money and counts of
// orders worth at least `least`. `which` is 1 or 2 (0: not moved, first part; -1: not moved, second
// part).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_deal_orders(Rcpp::IntegerVector customer, Rcpp::NumericVector sales,
                           Rcpp::IntegerVector which, Rcpp::NumericVector share_second,
                           double least, int n_customers, double seed, double draw) {
  Rcpp::NumericVector first(n_customers), second(n_customers);
  Rcpp::IntegerVector n_first(n_customers), n_second(n_customers);
  for (R_xlen_t i = 0; i < customer.size(); ++i) {
    const int c = customer[i] - 1;
    bool later = which[i] < 0;
    if (which[i] > 0) {
      nubrek::Stream gen(
          static_cast<std::uint64_t>(seed) * 1000003ULL + static_cast<std::uint64_t>(draw),
          static_cast<std::uint64_t>(i));
      later = gen.unit() < share_second[c];
    }
    (later ? second : first)[c] += sales[i];
    if (sales[i] >= least) ++(later ? n_second : n_first)[c];
  }
  return Rcpp::List::create(Rcpp::_["sales_first"] = first, Rcpp::_["sales_second"] = second,
                            Rcpp::_["purchases_first"] = n_first,
                            Rcpp::_["purchases_second"] = n_second);
}
