#include "reduce_kernels.h"

namespace nubrek {

void measure_purchases(const int* customer, const int* day, const double* sales, std::size_t n,
                       const PurchaseMeasures& out) {
  for (std::size_t i = 0; i < n;) {
    const int c = customer[i] - 1;
    const std::size_t from = i;
    int days = 0, last = 0;
    double total = 0;
    for (; i < n && customer[i] - 1 == c; ++i) {
      if (i == from || day[i] != last) {
        ++days;
        last = day[i];
      }
      total += sales[i];
    }
    out.purchases[c] = static_cast<int>(i - from);
    out.days[c] = days;
    out.first[c] = day[from];
    out.last[c] = last;
    out.sales[c] = total;
    out.first_sales[c] = sales[from];
  }
}

void measure_orders(const int* customer, const double* sales, std::size_t n, int* orders,
                    double* total) {
  for (std::size_t i = 0; i < n; ++i) {
    ++orders[customer[i] - 1];
    total[customer[i] - 1] += sales[i];
  }
}

std::size_t merge_days(const int* customer, const int* day, const double* sales, std::size_t n,
                       int* out_customer, int* out_day, double* out_sales) {
  std::size_t m = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (m > 0 && out_customer[m - 1] == customer[i] && out_day[m - 1] == day[i]) {
      out_sales[m - 1] += sales[i];
      continue;
    }
    out_customer[m] = customer[i];
    out_day[m] = day[i];
    out_sales[m] = sales[i];
    ++m;
  }
  return m;
}

void count_gaps(const int* customer, const int* day, std::size_t n, const PeriodOfDay& period,
                int until, int* counts) {
  for (std::size_t i = 1; i < n; ++i)
    if (customer[i] == customer[i - 1] && day[i] <= until)
      ++counts[period(day[i]) - period(day[i - 1])];
}

void first_lines(const OrderLines& orders, const double* line_sales, int* out) {
  std::size_t line = 0;
  int done = 0;  // the last customer whose first purchase was found
  for (std::size_t i = 0; i < orders.n; ++i) {
    const std::size_t end = line + static_cast<std::size_t>(orders.n_lines[i]);
    if (orders.customer[i] != done && orders.bought[i] == 1) {
      done = orders.customer[i];
      std::size_t best = line;
      for (std::size_t k = line + 1; k < end; ++k)
        if (line_sales[k] > line_sales[best]) best = k;
      if (line < end) out[done - 1] = static_cast<int>(best) + 1;
    }
    line = end;
  }
}

}  // namespace nubrek
