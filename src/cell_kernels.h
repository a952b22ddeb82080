// Cohort x place sums, one linear pass each over rows sorted by customer and day. A place is a
// calendar period, or an age in the customer's own elapsed time; both are 1-based, like customers
// and cohorts. Matrices are column-major with n_cohorts rows.
#pragma once
#include <algorithm>
#include <cstddef>
#include "repeat_kernels.h"

namespace nubrek {

struct CalendarPlace {
  PeriodOfDay period;
  int operator()(int, int day) const { return period(day); }
};

// Months by anniversary: a month without the day of the start has it on its last day. `month`,
// `day` and `last` (day of the month) are per day from `origin` on, `start` per customer.
struct ElapsedMonths {
  const int *month, *day, *last;
  int origin;
  const int* start;
  int step;
  int operator()(int customer, int d) const {
    const int s = start[customer - 1] - origin, t = d - origin;
    const int months = month[t] - month[s] - (day[t] < std::min(day[s], last[t]) ? 1 : 0);
    return months / step + 1;
  }
};

struct ElapsedDays {
  const int* start;
  int step;
  int operator()(int customer, int day) const { return (day - start[customer - 1]) / step + 1; }
};

// Active customers, purchases, and customers whose last purchase fell there. Everybody with a
// purchase has a cohort.
struct ActiveCells {
  int* customers;
  int* purchases;
  int* last;
};

// Sums of money and what its scatter needs: squares of each customer's sum, its product with the
// customer's first place, squares of the customer's running sum. `orders` may be null. Money
// without a cohort, or before the first purchase, goes to `outside`.
struct MoneyCells {
  int* orders;
  double *sums, *squares, *with_first, *running;
  double outside;
};

struct Cohorts {
  const int* of_customer;
  int none;
  std::size_t n;
};

template <class Place>
void count_active(const Events& purchases, const Place& place, const Cohorts& cohorts,
                  const ActiveCells& out) {
  int before = 0, place_before = 0;
  for (std::size_t i = 0; i < purchases.n; ++i) {
    const int c = purchases.customer[i], p = place(c, purchases.day[i]);
    const std::size_t cell = static_cast<std::size_t>(p - 1) * cohorts.n +
                             static_cast<std::size_t>(cohorts.of_customer[c - 1] - 1);
    ++out.purchases[cell];
    if (c != before || p != place_before) ++out.customers[cell];
    if (i + 1 == purchases.n || purchases.customer[i + 1] != c) ++out.last[cell];
    before = c;
    place_before = p;
  }
}

template <class Place>
void sum_money(const Events& orders, const double* money, const int* first_day, const Place& place,
               const Cohorts& cohorts, std::size_t n_places, MoneyCells& out) {
  for (std::size_t i = 0; i < orders.n;) {
    const int c = orders.customer[i];
    const int cohort = cohorts.of_customer[c - 1];
    for (; i < orders.n && orders.customer[i] == c &&
           (cohort == cohorts.none || orders.day[i] < first_day[c - 1]);
         ++i)
      out.outside += money[i];
    double first = 0, running = 0;
    for (bool at_first = true; i < orders.n && orders.customer[i] == c; at_first = false) {
      const int p = place(c, orders.day[i]);
      const std::size_t cell =
          static_cast<std::size_t>(p - 1) * cohorts.n + static_cast<std::size_t>(cohort - 1);
      double here = 0;
      int n = 0;
      for (; i < orders.n && orders.customer[i] == c && place(c, orders.day[i]) == p; ++i, ++n)
        here += money[i];
      if (at_first) first = here;
      if (out.orders) out.orders[cell] += n;
      out.sums[cell] += here;
      out.squares[cell] += here * here;
      out.with_first[cell] += here * first;
      out.running[cell] +=
          (2 * running + here) * here;  // what the square of the running sum grows by
      running += here;
    }
  }
  for (std::size_t cell = cohorts.n; cell < cohorts.n * n_places; ++cell)
    out.running[cell] += out.running[cell - cohorts.n];
}

// The earliest and latest start of each cohort's customers; cohorts without one are not touched.
inline void cohort_starts(const int* start, const int* cohort, std::size_t n, int missing,
                          int* oldest, int* youngest) {
  for (std::size_t i = 0; i < n; ++i) {
    if (cohort[i] == missing) continue;
    const int c = cohort[i] - 1;
    if (oldest[c] == missing || start[i] < oldest[c]) oldest[c] = start[i];
    if (youngest[c] == missing || start[i] > youngest[c]) youngest[c] = start[i];
  }
}

}  // namespace nubrek
