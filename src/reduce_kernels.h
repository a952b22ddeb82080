// One linear pass each over arrays sorted by customer and time. Customers are 0-based here.
#pragma once
#include <cstddef>

namespace nubrek {

// Contract: `customer` ascending, < n_customers; within a customer `day` ascending. Output arrays have n_customers
// elements and start at zero (first and last at `no_day`).
struct PurchaseMeasures {
  int* purchases; int* days; int* first; int* last;
  double* sales;         // of all purchases
  double* first_sales;   // of the first purchase
};
void measure_purchases(const int* customer, const int* day, const double* sales, std::size_t n, const PurchaseMeasures& out);

// Orders and net sales of every customer, purchases or not.
void measure_orders(const int* customer, const double* sales, std::size_t n, int* orders, double* total);

// Orders of one customer and day worth at least `least` become one purchase. Returns the number of purchases written.
std::size_t merge_days(const int* customer, const int* day, const double* sales, std::size_t n, double least, int* out_customer, int* out_day,
                       double* out_sales);

// Cohort x period sums, column-major with n_cohorts rows. `cohort` is per customer (negative: none), `period` per row.
// Purchase rows count active customers and purchases; order rows count orders and money. Rows of a customer
// without cohort, or before the first purchase day, go to `outside` (money by period).
struct Cells { int* customers; int* purchases; int* orders; double* sales; double* outside; };
void count_purchase_cells(const int* customer, const int* period, std::size_t n, const int* cohort, std::size_t n_cohorts, const Cells& out);
void count_order_cells(const int* customer, const int* day, const int* period, const double* sales, std::size_t n,
                       const int* cohort, const int* first_day, std::size_t n_cohorts, const Cells& out);

}  // namespace nubrek
