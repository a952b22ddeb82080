// Exact decimal arithmetic on the text of amounts, ending in whole minor units (cents).
#pragma once
#include <cstddef>
#include <string_view>
#include <vector>

namespace nubrek {

// An amount is mantissa * 10^-scale; `state` says whether there is one at all.
enum class Reading { fine, blank, unreadable };
struct Decimal {
  __int128 mantissa = 0;
  int scale = 0;
  Reading state = Reading::blank;
};

// Contract: text of length n (no terminator needed), `decimal_mark` is '.' or ','. The other mark
// groups thousands (groups of three), as do blanks, no-break blanks and apostrophes. A sign may
// stand before or after, or be parentheses.
Decimal parse_decimal(const char* text, std::size_t n, char decimal_mark);
Decimal multiply(const Decimal& a, const Decimal& b);
Decimal subtract(const Decimal& a, const Decimal& b);

// Whole minor units, half to even; `whole` is false when a fraction of a unit was rounded. Beyond
// 9e15: unreadable. `rest` is what rounding took off (exact minus rounded), in minor units.
struct Minor {
  double units;
  double rest;
  Reading state;
};
Minor to_minor(const Decimal& amount, int decimals);

// A column of amounts: of each row, or of each distinct text with the `codes` of rows (from 1;
// others are blank).
struct AmountColumn {
  std::vector<Decimal> decimals;
  const int* codes = nullptr;
  std::size_t n_codes = 0;
  std::size_t size() const { return codes ? n_codes : decimals.size(); }
  Decimal operator[](std::size_t i) const {
    if (!codes) return decimals[i];
    return codes[i] < 1 ? Decimal() : decimals[static_cast<std::size_t>(codes[i]) - 1];
  }
};

// A line's own arithmetic: `first` alone, times `second` or less it; what is to be taken off
// (blank: nothing); the rate by which it is multiplied at last (no rows: none).
enum class Arithmetic { none, times, minus };
struct LineAmounts {
  AmountColumn first, second;
  Arithmetic arithmetic = Arithmetic::none;
  std::vector<AmountColumn> off;
  AmountColumn rate;
};
Decimal line_amount(const LineAmounts& lines, std::size_t row);

// One rounding at the end. The rest are rows (from 1); `rest` is what rounding took off.
struct LineUnits {
  std::vector<int> blank, unreadable, rounded;
  std::vector<double> rest;
};
LineUnits line_units(const LineAmounts& lines, int decimals, double missing, double* units);

// Of texts with a point or a comma: how many are amounts under each decimal mark, how many under
// only one, and a first (from 1) that is one under the point.
struct MarkCounts {
  double seen = 0, point = 0, comma = 0, differ = 0;
  int example = 0;
  void add(std::string_view text, int place);
};

// Writes the shortest decimal text that reads back as `x` into 64 bytes; returns its end.
char* shortest_text(double x, char* buffer);

}  // namespace nubrek
