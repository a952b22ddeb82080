// Passes over orders and purchases sorted by customer and day, over a part of time. No R.
#pragma once
#include <cstdint>
#include "repeat_kernels.h"

namespace nubrek {

struct Span {
  int from, until;
  bool holds(int day) const { return (day >= from) & (day <= until); }
};

// Row ranges that begin and end with a customer, so that each can be worked on alone.
std::vector<std::size_t> customer_ranges(const Events& rows, int parts);

// The first day of each customer; others are not touched.
void first_days(const Events& purchases, int* out);

// Measures of each customer over a span; what is null is not wanted. `first` and `last` are not
// touched without a purchase.
struct SpanMeasures {
  int *purchases, *orders, *first, *last;
  double* sales;
};
void measure_span(const Events& orders, const double* sales, const Events& purchases,
                  const Span& span, int threads, const SpanMeasures& out);

// Orders of two parts of time dealt anew between them: each stays with its customer and falls into
// the second part with that customer's share of the time. `which` is 1 or 2 (0: not moved, first
// part; -1: not moved, second part). Sums of money, and counts of orders that are `bought`, of the
// two parts.
struct Dealing {
  const int *customer, *which, *bought;
  const double *sales, *share_second;
  std::size_t n;
};
struct DealtParts {
  double* sales[2];
  int* purchases[2];
};
void deal_orders(const Dealing& orders, std::uint64_t seed, std::uint64_t draw,
                 const DealtParts& out);

}  // namespace nubrek
