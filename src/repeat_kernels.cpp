#include "repeat_kernels.h"
#include <algorithm>
#include <cmath>

namespace nubrek {

void measure_gaps(const Events& purchases, const GapMeasures& out) {
  std::vector<int> mine;
  for (std::size_t i = 0; i < purchases.n;) {
    const std::size_t from = i;
    const int c = purchases.customer[i] - 1;
    mine.clear();
    for (++i; i < purchases.n && purchases.customer[i] - 1 == c; ++i)
      mine.push_back(purchases.day[i] - purchases.day[i - 1]);
    if (i - from < 2) continue;
    out.gaps[c] = static_cast<int>(mine.size());
    for (const int gap : mine) {
      const double g = gap, l = std::log1p(g);
      out.sum[c] += g;
      out.squares[c] += g * g;
      out.log_sum[c] += l;
      out.log_squares[c] += l * l;
      if (gap > out.longest[c]) out.longest[c] = gap;
    }
    const std::size_t half = mine.size() / 2;
    std::nth_element(mine.begin(), mine.begin() + static_cast<std::ptrdiff_t>(half), mine.end());
    out.median[c] = mine[half];
    if (mine.size() % 2 == 0)
      out.median[c] =
          (out.median[c] +
           *std::max_element(mine.begin(), mine.begin() + static_cast<std::ptrdiff_t>(half))) /
          2;
  }
}

void nth_days(const Events& days, int nth, int* first, int* nth_day) {
  for (std::size_t i = 0; i < days.n;) {
    const std::size_t from = i;
    const int c = days.customer[i] - 1;
    while (i < days.n && days.customer[i] - 1 == c) ++i;
    first[c] = days.day[from];
    if (i - from >= static_cast<std::size_t>(nth))
      nth_day[c] = days.day[from + static_cast<std::size_t>(nth) - 1];
  }
}

void count_arrivals(const Events& active, const Events& history, const Events& money,
                    const double* sales, const int* known, int no_day, const PeriodOfDay& period,
                    const Lookback& lookback, std::size_t n_periods, const Arrivals& out) {
  enum Kind : char { idle, fresh, returning, reactivated };
  std::vector<char> kind(n_periods, idle);  // of the customer at hand, per period
  std::vector<std::size_t> touched;
  std::size_t a = 0, h = 0, m = 0;
  while (m < money.n) {
    const int c = money.customer[m];
    while (a < active.n && active.customer[a] < c) ++a;
    while (h < history.n && history.customer[h] < c) ++h;
    int last = no_day;  // the latest earlier purchase before the period at hand
    if (known && known[c - 1] != no_day) last = known[c - 1];
    while (a < active.n && active.customer[a] == c) {
      const int day = active.day[a], p = period(day);
      while (h < history.n && history.customer[h] == c && period(history.day[h]) < p)
        last = history.day[h++];
      Kind is = fresh;
      if (last != no_day) {
        const bool near = lookback.days >= 0
                              ? day - last <= lookback.days
                              : lookback.periods < 0 || period(last) >= p - lookback.periods;
        is = near ? returning : reactivated;
      }
      const std::size_t at = static_cast<std::size_t>(p) - 1;
      kind[at] = is;
      touched.push_back(at);
      ++(is == fresh ? out.fresh : is == returning ? out.returning : out.reactivated)[at];
      while (a < active.n && active.customer[a] == c && period(active.day[a]) == p) ++a;
    }
    for (; m < money.n && money.customer[m] == c; ++m) {
      const std::size_t at = static_cast<std::size_t>(period(money.day[m])) - 1;
      double* to = kind[at] == fresh         ? out.fresh_sales
                   : kind[at] == returning   ? out.returning_sales
                   : kind[at] == reactivated ? out.reactivated_sales
                                             : out.idle_sales;
      to[at] += sales[m];
    }
    for (const std::size_t at : touched) kind[at] = idle;
    touched.clear();
  }
}

std::size_t count_period_cells(const Events& orders, const PeriodOfDay& period) {
  std::size_t cells = 0;
  int customer = 0, row = 0;
  for (std::size_t i = 0; i < orders.n; ++i) {
    const int p = period(orders.day[i]);
    cells += i == 0 || orders.customer[i] != customer || p != row;
    customer = orders.customer[i];
    row = p;
  }
  return cells;
}

void customer_periods(const Events& orders, const double* sales, const Events& purchases,
                      const PeriodOfDay& period, const PeriodCells& out) {
  std::size_t cell = 0;
  for (std::size_t i = 0; i < orders.n; ++i) {
    const int c = orders.customer[i], p = period(orders.day[i]);
    if (i > 0 && (out.customer[cell] != c || out.period[cell] != p)) ++cell;
    out.customer[cell] = c;
    out.period[cell] = p;
    ++out.orders[cell];
    out.sales[cell] += sales[i];
  }
  cell = 0;
  for (std::size_t i = 0; i < purchases.n; ++i) {
    const int c = purchases.customer[i], p = period(purchases.day[i]);
    while (out.customer[cell] != c || out.period[cell] != p) ++cell;
    ++out.purchases[cell];
  }
}

}  // namespace nubrek
