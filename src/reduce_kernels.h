// One linear pass each over arrays sorted by customer and time. Customers, cohorts and periods are
// 1-based, as in R.
#pragma once
#include <cstddef>

namespace nubrek {

// Contract: `customer` ascending, at most n_customers; within a customer `day` ascending. Output
// arrays have n_customers elements and start at zero (first and last at `no_day`).
struct PurchaseMeasures {
  int* purchases;
  int* days;
  int* first;
  int* last;
  double* sales;        // of all purchases
  double* first_sales;  // of the first purchase
};
void measure_purchases(const int* customer, const int* day, const double* sales, std::size_t n,
                       const PurchaseMeasures& out);

// Orders and net sales of every customer, purchases or not.
void measure_orders(const int* customer, const double* sales, std::size_t n, int* orders,
                    double* total);

// Purchases of one customer and day become one. Returns the number written.
std::size_t merge_days(const int* customer, const int* day, const double* sales, std::size_t n,
                       int* out_customer, int* out_day, double* out_sales);

// The period of each day, from `first_day` on.
struct PeriodOfDay {
  const int* row;
  int first_day;
  int operator()(int day) const { return row[day - first_day]; }
};

// How often each number of periods lies between consecutive purchases of one customer; `counts` has
// room for the largest.
void count_gaps(const int* customer, const int* day, std::size_t n, const PeriodOfDay& period,
                int until, int* counts);

// For each customer with an order that is a purchase (`bought`), the row of the largest line (the
// earliest of equals) of the first such order. Lines stand order after order, `n_lines` of each.
// Rows are 1-based; other customers are not touched.
struct OrderLines {
  const int* customer;
  const int* bought;
  const int* n_lines;
  std::size_t n;
};
void first_lines(const OrderLines& orders, const double* line_sales, int* out);

}  // namespace nubrek
