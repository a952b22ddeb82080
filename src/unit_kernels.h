// Rows of one order, found by hashing pairs of codes, summed in one pass, and sorted once.
#pragma once
#include <algorithm>
#include <cstddef>
#include <vector>
#include "threads.h"

namespace nubrek {

// Numbers the distinct pairs (a, b) from 1 in order of appearance; `unit` has n elements. Returns
// how many there are. Where every b from 1 to `n_b` goes with one a (an order has one customer),
// nothing is hashed.
std::size_t number_pairs(const int* a, const int* b, std::size_t n, std::size_t n_b, int* unit);

// A stable permutation (from 1) that sorts rows by `group`, 1 to `n_groups`.
void order_by_group(const int* group, std::size_t n, std::size_t n_groups, int* out);

// Rows of units (from 1): day, seconds (null: all at midnight), sales. Rows listed in `apart`
// (ascending, from 1) do not decide the first row and the time.
struct UnitRows {
  const int* unit;
  const int* day;
  const double *seconds, *sales;
  std::size_t n;
  const int* apart;
  std::size_t n_apart;
};

// Per unit: the first row (from 1, untouched without one), the earliest and the latest day, the
// seconds of the earliest moment (unless null), the sum of sales and the number of rows.
struct UnitSums {
  int *first, *start, *last, *rows;
  double *seconds, *sales;
};
// Each thread goes through all rows for units of its own.
void sum_units(const UnitRows& rows, const UnitSums& out, std::size_t n_units, int threads);

// The places (from 1) of orders sorted by customer (1 to n_customers) and day; `before(a, b)`
// decides between two of one customer and day. Day and place in one number, dealt out to the
// customers, so that each one's few orders are sorted side by side.
template <class Before>
void sort_orders(const int* customer, const int* day, std::size_t n, std::size_t n_customers,
                 const Before& before, int threads, int* out) {
  struct Entry {
    int day, place;
  };
  std::vector<std::size_t> ends(n_customers + 1, 0);
  for (std::size_t i = 0; i < n; ++i) ++ends[static_cast<std::size_t>(customer[i])];
  std::size_t sum = 0;
  for (auto& end : ends) {
    const std::size_t mine = end;
    end = sum;
    sum += mine;
  }
  std::vector<Entry> entries(n);
  for (std::size_t i = 0; i < n; ++i)
    entries[ends[static_cast<std::size_t>(customer[i])]++] = {day[i], static_cast<int>(i)};
  // now `ends[c]` is where the orders of customer c end
  constexpr std::size_t kCustomers = 1u << 14;
  run_tasks((n_customers + kCustomers - 1) / kCustomers, threads, [&](std::size_t k) {
    const std::size_t last = std::min(n_customers, (k + 1) * kCustomers);
    std::size_t from = k == 0 ? 0 : ends[k * kCustomers];
    for (std::size_t c = k * kCustomers + 1; c <= last; ++c) {
      std::sort(entries.begin() + static_cast<std::ptrdiff_t>(from),
                entries.begin() + static_cast<std::ptrdiff_t>(ends[c]),
                [&](const Entry& a, const Entry& b) {
                  return a.day != b.day ? a.day < b.day : before(a.place, b.place);
                });
      for (; from < ends[c]; ++from) out[from] = entries[from].place + 1;
    }
  });
}

// Of a permutation (from 1) that sorts `m` units: the rows (from 1), unit after unit. `first` and
// `rows` say where the rows of each unit stand if they stand together.
void rows_by_unit(const int* unit, std::size_t n, const int* sorted, std::size_t m,
                  const int* first, const int* rows, int* out);

// Sums and numbers of rows by group; `group` less `origin` is from 1, or `missing`. NaN takes no
// part in sums.
void sum_by_group(const double* x, const int* group, std::size_t n, int origin, int missing,
                  double* sums, int* rows);

}  // namespace nubrek
