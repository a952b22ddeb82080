// Cohort x place sums, one linear pass each over rows sorted by customer and day. A place is a
// calendar period, or an age in the customer's own elapsed time; both are 1-based, like customers
// and cohorts. Matrices are column-major with n_cohorts rows.
#pragma once
#include <algorithm>
#include <cstddef>
#include <vector>
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

// What is summed up in one cell, and the cells of one cohort, lie together while customers of all
// cohorts come by turns.
struct MoneyCell {
  double sum = 0, squares = 0, with_first = 0, running = 0;
  int orders = 0;
};
struct ActiveCell {
  int customers = 0, purchases = 0, last = 0;
};

struct Cohorts {
  const int* of_customer;
  int none;
  std::size_t n;
};

// Cells by cohort and place, fetched before a row needs them.
template <class Cell>
class CellSums {
 public:
  CellSums(const Events& rows, const Cohorts& cohorts, std::size_t n_places)
      : rows_(rows), cohorts_(cohorts), places_(n_places), cells_(cohorts.n * n_places) {}
  Cell& at(int cohort, int place) {
    return cells_[static_cast<std::size_t>(cohort - 1) * places_ +
                  static_cast<std::size_t>(place - 1)];
  }
  void look_ahead(std::size_t i) {
    const std::size_t next = i + 24;
    if (next >= rows_.n) return;
    const int c = rows_.customer[next], cohort = cohorts_.of_customer[c - 1];
    if (cohort != cohorts_.none) __builtin_prefetch(&at(cohort, 1));
  }
  // Visits the cells place after place, with their number in a matrix of cohorts by places.
  template <class Visit>
  void each(const Visit& visit) {
    std::size_t cell = 0;
    for (std::size_t p = 0; p < places_; ++p)
      for (std::size_t k = 0; k < cohorts_.n; ++k) visit(cell++, cells_[k * places_ + p]);
  }

 private:
  const Events& rows_;
  const Cohorts& cohorts_;
  std::size_t places_;
  std::vector<Cell> cells_;
};

template <class Place>
void count_active(const Events& purchases, const Place& place, const Cohorts& cohorts,
                  std::size_t n_places, const ActiveCells& out) {
  CellSums<ActiveCell> cells(purchases, cohorts, n_places);
  int before = 0, place_before = 0;
  for (std::size_t i = 0; i < purchases.n; ++i) {
    cells.look_ahead(i);
    const int c = purchases.customer[i], p = place(c, purchases.day[i]);
    ActiveCell& to = cells.at(cohorts.of_customer[c - 1], p);
    ++to.purchases;
    if (c != before || p != place_before) ++to.customers;
    if (i + 1 == purchases.n || purchases.customer[i + 1] != c) ++to.last;
    before = c;
    place_before = p;
  }
  cells.each([&](std::size_t cell, const ActiveCell& from) {
    out.purchases[cell] = from.purchases;
    out.customers[cell] = from.customers;
    out.last[cell] = from.last;
  });
}

template <class Place>
void sum_money(const Events& orders, const double* money, const int* first_day, const Place& place,
               const Cohorts& cohorts, std::size_t n_places, MoneyCells& out) {
  CellSums<MoneyCell> cells(orders, cohorts, n_places);
  for (std::size_t i = 0; i < orders.n;) {
    cells.look_ahead(i);
    const int c = orders.customer[i];
    const int cohort = cohorts.of_customer[c - 1];
    for (; i < orders.n && orders.customer[i] == c &&
           (cohort == cohorts.none || orders.day[i] < first_day[c - 1]);
         ++i)
      out.outside += money[i];
    double first = 0, running = 0;
    for (bool at_first = true; i < orders.n && orders.customer[i] == c; at_first = false) {
      const int p = place(c, orders.day[i]);
      double here = 0;
      int n = 0;
      for (; i < orders.n && orders.customer[i] == c && place(c, orders.day[i]) == p; ++i, ++n)
        here += money[i];
      if (at_first) first = here;
      MoneyCell& to = cells.at(cohort, p);
      to.orders += n;
      to.sum += here;
      to.squares += here * here;
      to.with_first += here * first;
      to.running += (2 * running + here) * here;  // what the square of the running sum grows by
      running += here;
    }
  }
  cells.each([&](std::size_t cell, const MoneyCell& from) {
    if (out.orders) out.orders[cell] = from.orders;
    out.sums[cell] = from.sum;
    out.squares[cell] = from.squares;
    out.with_first[cell] = from.with_first;
    out.running[cell] = from.running + (cell < cohorts.n ? 0 : out.running[cell - cohorts.n]);
  });
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
