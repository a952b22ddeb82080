// Exact decimal arithmetic on the text of amounts, ending in whole minor units (cents).
#pragma once
#include <cstddef>

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

// Writes the shortest decimal text that reads back as `x` into 64 bytes; returns its end.
char* shortest_text(double x, char* buffer);

}  // namespace nubrek
