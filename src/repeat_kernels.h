// Passes over purchases sorted by customer and day: gaps, waits, customer x period, new and
// returning. Codes are 1-based, days whole numbers.
#pragma once
#include <cstddef>
#include <vector>
#include "reduce_kernels.h"

namespace nubrek {

struct Events {
  const int* customer;
  const int* day;
  std::size_t n;
};

// Per customer: gaps between consecutive purchases, their sum and sum of squares, median, longest,
// and the same sums of log(gap + 1).
struct GapMeasures {
  int* gaps;
  double* sum;
  double* squares;
  double* median;
  int* longest;
  double* log_sum;
  double* log_squares;
};
void measure_gaps(const Events& purchases, const GapMeasures& out);

// Per customer the first day and the nth day; untouched without one. Days of one customer differ.
void nth_days(const Events& days, int nth, int* first, int* nth_day);

// Per customer and period with an order, sorted by both: the period, purchases, orders and sales.
// Counted first, so that the columns can be made as long as that; counts and sums start at zero.
struct PeriodCells {
  int *customer, *period, *purchases, *orders;
  double* sales;
};
std::size_t count_period_cells(const Events& orders, const PeriodOfDay& period);
void customer_periods(const Events& orders, const double* sales, const Events& purchases,
                      const PeriodOfDay& period, const PeriodCells& out);

// New, returning and reactivated customers of each period, with their money. `active` are purchases
// (in the filter), `history` those that decide who is not new, `money` all orders (in the filter);
// `known` a day per customer who is not new from the start (or `no_day`). A look-back below 0 is
// endless.
struct Lookback {
  int periods;
  int days;
};
struct Arrivals {
  int *fresh, *returning, *reactivated;
  double *fresh_sales, *returning_sales, *reactivated_sales, *idle_sales;
};
void count_arrivals(const Events& active, const Events& history, const Events& money,
                    const double* sales, const int* known, int no_day, const PeriodOfDay& period,
                    const Lookback& lookback, std::size_t n_periods, const Arrivals& out);

}  // namespace nubrek
