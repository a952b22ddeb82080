#include <Rcpp.h>
#include <algorithm>
#include "lazy_text.h"
#include "unit_kernels.h"

// Numbers distinct pairs of codes from 1, in order of appearance.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_number_pairs(Rcpp::IntegerVector a, Rcpp::IntegerVector b) {
  Rcpp::IntegerVector unit = Rcpp::no_init(a.size());
  const std::size_t n = nubrek::number_pairs(a.begin(), b.begin(), static_cast<std::size_t>(a.size()), unit.begin());
  return Rcpp::List::create(Rcpp::_["unit"] = unit, Rcpp::_["n"] = static_cast<int>(n));
}

// Per unit (1-based): the first row, the earliest and the latest day, the seconds of the earliest moment, the sum of `sales` and the number of
// rows. `seconds` may be empty (all at midnight). Rows listed in `apart` (ascending) do not decide the first row and the time.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_unit_sums(Rcpp::IntegerVector unit, int n_units, Rcpp::IntegerVector day, Rcpp::NumericVector seconds, Rcpp::NumericVector sales, Rcpp::IntegerVector apart) {
  const bool timed = seconds.size() > 0;
  Rcpp::IntegerVector first(n_units, NA_INTEGER), start(n_units, NA_INTEGER), last(n_units, NA_INTEGER), rows(n_units);
  Rcpp::NumericVector total(n_units), moment(timed ? n_units : 0);
  R_xlen_t next = 0;
  for (R_xlen_t i = 0; i < unit.size(); ++i) {
    if (i % 1048576 == 0) Rcpp::checkUserInterrupt();
    const int u = unit[i] - 1;
    total[u] += sales[i];
    ++rows[u];
    if (next < apart.size() && apart[next] == i + 1) { ++next; continue; }
    if (first[u] == NA_INTEGER) {
      first[u] = static_cast<int>(i + 1);
      start[u] = last[u] = day[i];
      if (timed) moment[u] = seconds[i];
      continue;
    }
    if (timed && (day[i] < start[u] || (day[i] == start[u] && seconds[i] < moment[u]))) moment[u] = seconds[i];
    if (day[i] < start[u]) start[u] = day[i];
    if (day[i] > last[u]) last[u] = day[i];
  }
  return Rcpp::List::create(Rcpp::_["first"] = first, Rcpp::_["start"] = start, Rcpp::_["seconds"] = moment, Rcpp::_["last"] = last, Rcpp::_["sales"] = total,
                            Rcpp::_["rows"] = rows);
}

// The permutation that sorts orders by customer (1 to n_customers), day, seconds (may be empty), the text of their id (`order` picks it from `texts`; 0 is
// none, which comes first) and appearance.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_sort_orders(Rcpp::IntegerVector customer, int n_customers, Rcpp::IntegerVector day, Rcpp::NumericVector seconds, Rcpp::IntegerVector order, SEXP texts) {
  const std::size_t n = static_cast<std::size_t>(customer.size());
  Rcpp::IntegerVector out = Rcpp::no_init(customer.size());
  nubrek::order_by_group(customer.begin(), n, static_cast<std::size_t>(n_customers), out.begin());
  const nubrek::TextView text(texts);
  const int* days = day.begin();
  const int* orders = order.begin();
  const double* times = seconds.size() > 0 ? seconds.begin() : nullptr;
  auto before = [&](int x, int y) {
    const std::size_t a = static_cast<std::size_t>(x) - 1, b = static_cast<std::size_t>(y) - 1;
    if (days[a] != days[b]) return days[a] < days[b];
    if (times && times[a] != times[b]) return times[a] < times[b];
    if (orders[a] != orders[b]) {
      if (orders[a] == 0 || orders[b] == 0) return orders[a] == 0;
      return text[static_cast<std::size_t>(orders[a]) - 1] < text[static_cast<std::size_t>(orders[b]) - 1];
    }
    return a < b;
  };
  for (std::size_t from = 0; from < n;) {
    if ((from & 0xFFFF) == 0) Rcpp::checkUserInterrupt();
    std::size_t to = from + 1;
    const int whose = customer[out[static_cast<R_xlen_t>(from)] - 1];
    while (to < n && customer[out[static_cast<R_xlen_t>(to)] - 1] == whose) ++to;
    if (to - from > 1) std::sort(out.begin() + static_cast<R_xlen_t>(from), out.begin() + static_cast<R_xlen_t>(to), before);
    from = to;
  }
  return out;
}

// A stable permutation that sorts rows by `group`, 1 to `n_groups`.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_order_by_group(Rcpp::IntegerVector group, int n_groups) {
  Rcpp::IntegerVector out = Rcpp::no_init(group.size());
  nubrek::order_by_group(group.begin(), static_cast<std::size_t>(group.size()), static_cast<std::size_t>(n_groups), out.begin());
  return out;
}

// The sums of `x` by `group`, 1 to `n_groups`; missing groups and values take no part.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_group_sums(Rcpp::NumericVector x, Rcpp::IntegerVector group, int n_groups) {
  Rcpp::NumericVector out(n_groups);
  for (R_xlen_t i = 0; i < x.size(); ++i) if (group[i] != NA_INTEGER && !ISNAN(x[i])) out[group[i] - 1] += x[i];
  return out;
}
