#include "reduce_kernels.h"

namespace nubrek {

void measure_purchases(const int* customer, const int* day, const double* sales, std::size_t n, const PurchaseMeasures& out) {
  for (std::size_t i = 0; i < n; ++i) {
    const int c = customer[i];
    if (out.purchases[c]++ == 0) {
      out.first[c] = day[i];
      out.days[c] = 1;
      out.first_sales[c] = sales[i];
    } else if (day[i] != out.last[c]) {
      ++out.days[c];
    }
    out.last[c] = day[i];
    out.sales[c] += sales[i];
  }
}

void measure_orders(const int* customer, const double* sales, std::size_t n, int* orders, double* total) {
  for (std::size_t i = 0; i < n; ++i) { ++orders[customer[i]]; total[customer[i]] += sales[i]; }
}

std::size_t merge_days(const int* customer, const int* day, const double* sales, std::size_t n, double least, int* out_customer, int* out_day,
                       double* out_sales) {
  std::size_t m = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (sales[i] < least) continue;
    if (m > 0 && out_customer[m - 1] == customer[i] && out_day[m - 1] == day[i]) { out_sales[m - 1] += sales[i]; continue; }
    out_customer[m] = customer[i]; out_day[m] = day[i]; out_sales[m] = sales[i];
    ++m;
  }
  return m;
}

void count_purchase_cells(const int* customer, const int* period, std::size_t n, const int* cohort, std::size_t n_cohorts,
                          const Cells& out) {
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t cell = static_cast<std::size_t>(period[i]) * n_cohorts + static_cast<std::size_t>(cohort[customer[i]]);
    ++out.purchases[cell];
    if (i == 0 || customer[i - 1] != customer[i] || period[i - 1] != period[i]) ++out.customers[cell];
  }
}

void count_order_cells(const int* customer, const int* day, const int* period, const double* sales, std::size_t n,
                       const int* cohort, const int* first_day, std::size_t n_cohorts, const Cells& out) {
  for (std::size_t i = 0; i < n; ++i) {
    const int c = customer[i];
    if (cohort[c] < 0 || day[i] < first_day[c]) { out.outside[period[i]] += sales[i]; continue; }
    const std::size_t cell = static_cast<std::size_t>(period[i]) * n_cohorts + static_cast<std::size_t>(cohort[c]);
    ++out.orders[cell];
    out.sales[cell] += sales[i];
  }
}

}  // namespace nubrek
