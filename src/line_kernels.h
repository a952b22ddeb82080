// What customers did in the lines for which conditions hold: all questions in one pass. No R.
#pragma once
#include <algorithm>
#include "group_kernels.h"

namespace nubrek {

// Lines stand order after order, `n_lines` of each. `quantity` are codes (from 1) into `units`;
// null where no quantity is known.
struct OrderedLines {
  Events orders;
  const int* n_lines;
  const double* money;
  const int* quantity;
  const double* units;
  const int* goods;  // 1 for goods, 0 for vouchers, shipping and the like; null where all are goods
  const int* bought;  // 1 for orders that are purchases as a whole
};

// A condition, worked out for each code of a column: 1 where it holds, the first place for codes
// below 1, which are missing.
struct LineTest {
  const int* code;
  const int* holds;
  bool operator()(std::size_t line) const { return holds[std::max(code[line], 0)] == 1; }
};

// Per customer, of lines within a span for which every condition holds: money, purchases (orders
// that are one, worth enough in these lines too), the day of the latest of them (untouched without one), lines of
// goods below zero, and units (null: not wanted).
struct LineMeasures {
  double *money, *units;
  int *purchases, *last, *returned;
};
struct LineQuestion {
  Span span;
  std::vector<LineTest> tests;
  LineMeasures out;
};
void measure_lines(const OrderedLines& lines, const std::vector<LineQuestion>& questions,
                   const PurchaseRule& rule, int threads);

}  // namespace nubrek
