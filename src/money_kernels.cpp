#include "money_kernels.h"
#include <charconv>
#include <cmath>
#include <cstring>

namespace nubrek {
namespace {

const __int128 kMantissaLimit = []() {
  __int128 v = 1;
  for (int i = 0; i < 36; ++i) v *= 10;
  return v;
}();
const double kLargest = 9e15;  // doubles hold every whole number up to here

__int128 power10(int n) {
  __int128 v = 1;
  while (n-- > 0) v *= 10;
  return v;
}
__int128 magnitude(__int128 v) {
  return v < 0 ? -v : v;
}
Decimal unreadable() {
  Decimal d;
  d.state = Reading::unreadable;
  return d;
}

// Blanks that exports put into numbers: space, tab, no-break (C2 A0), narrow no-break (E2 80 AF),
// thin (E2 80 89).
std::size_t blank_length(const char* p, const char* end) {
  if (*p == ' ' || *p == '\t') return 1;
  if (end - p >= 2 && !std::memcmp(p, "\xC2\xA0", 2)) return 2;
  if (end - p >= 3 && (!std::memcmp(p, "\xE2\x80\xAF", 3) || !std::memcmp(p, "\xE2\x80\x89", 3)))
    return 3;
  return 0;
}
std::size_t minus_length(const char* p, const char* end) {
  if (*p == '-') return 1;
  return end - p >= 3 && !std::memcmp(p, "\xE2\x88\x92", 3) ? 3 : 0;  // the typographic minus
}
void skip_blanks(const char*& p, const char* end) {
  while (p < end) {
    std::size_t b = blank_length(p, end);
    if (!b) return;
    p += b;
  }
}

}  // namespace

Decimal parse_decimal(const char* text, std::size_t n, char decimal_mark) {
  const char* p = text;
  const char* end = text + n;
  const char group_mark = decimal_mark == '.' ? ',' : '.';
  skip_blanks(p, end);
  if (p == end) return Decimal();
  bool negative = false, parenthesis = false, trailing_allowed = true;
  if (*p == '(') {
    parenthesis = negative = true;
    ++p;
  } else if (std::size_t m = minus_length(p, end)) {
    negative = true;
    trailing_allowed = false;
    p += m;
  } else if (*p == '+') {
    trailing_allowed = false;
    ++p;
  }
  skip_blanks(p, end);
  Decimal out;
  int digits = 0,
      since_group = -1;  // since_group: digits since the last grouping mark, -1 before any
  bool fraction = false;
  while (p < end) {
    if (*p >= '0' && *p <= '9') {
      if (out.mantissa >= kMantissaLimit) return unreadable();
      out.mantissa = out.mantissa * 10 + (*p - '0');
      ++digits;
      ++p;
      if (fraction)
        ++out.scale;
      else if (since_group >= 0)
        ++since_group;
      continue;
    }
    if (*p == decimal_mark && !fraction) {
      if (since_group >= 0 && since_group != 3) return unreadable();
      fraction = true;
      ++p;
      continue;
    }
    std::size_t mark = (*p == group_mark || *p == '\'') ? 1 : 0;
    if (!mark && !fraction && digits) {
      mark = blank_length(p, end);
      if (mark && !(p + mark < end && p[mark] >= '0' && p[mark] <= '9'))
        mark = 0;  // a trailing blank
    }
    if (!mark) break;
    // groups are of three, the first of one to three and not a lone 0
    if (fraction || !digits || (since_group >= 0 && since_group != 3)) return unreadable();
    if (since_group < 0 && (digits > 3 || (digits == 1 && out.mantissa == 0))) return unreadable();
    since_group = 0;
    p += mark;
  }
  if (!digits || (!fraction && since_group >= 0 && since_group != 3)) return unreadable();
  if (p < end && (*p == 'e' || *p == 'E')) {
    ++p;
    bool down = false;
    if (p < end && (*p == '-' || *p == '+')) down = *p++ == '-';
    if (p == end || *p < '0' || *p > '9') return unreadable();
    int exponent = 0;
    while (p < end && *p >= '0' && *p <= '9') {
      exponent = exponent * 10 + (*p++ - '0');
      if (exponent > 400) return unreadable();
    }
    out.scale += down ? exponent : -exponent;
  }
  skip_blanks(p, end);
  if (parenthesis) {
    if (p == end || *p != ')') return unreadable();
    ++p;
  } else if (p < end && trailing_allowed)
    if (std::size_t m = minus_length(p, end)) {
      negative = true;
      p += m;
    }
  skip_blanks(p, end);
  if (p != end) return unreadable();
  if (out.scale < 0) {
    if (out.mantissa != 0 && -out.scale > 36) return unreadable();
    for (; out.scale < 0; ++out.scale) {
      if (out.mantissa >= kMantissaLimit) return unreadable();
      out.mantissa *= 10;
    }
  }
  if (negative) out.mantissa = -out.mantissa;
  out.state = Reading::fine;
  return out;
}

namespace {
// The worse of two readings decides: an unreadable factor makes the product unreadable, a blank one
// blank.
Reading worse(Reading a, Reading b) {
  if (a == Reading::unreadable || b == Reading::unreadable) return Reading::unreadable;
  return a == Reading::blank || b == Reading::blank ? Reading::blank : Reading::fine;
}
}  // namespace

Decimal multiply(const Decimal& a, const Decimal& b) {
  Decimal out;
  out.state = worse(a.state, b.state);
  if (out.state != Reading::fine) return out;
  if (__builtin_mul_overflow(a.mantissa, b.mantissa, &out.mantissa)) return unreadable();
  out.scale = a.scale + b.scale;
  return out;
}

Decimal subtract(const Decimal& a, const Decimal& b) {
  Decimal out;
  out.state = worse(a.state, b.state);
  if (out.state != Reading::fine) return out;
  out.scale = a.scale > b.scale ? a.scale : b.scale;
  if (out.scale > 36) return unreadable();
  __int128 left, right;
  if (__builtin_mul_overflow(a.mantissa, power10(out.scale - a.scale), &left) ||
      __builtin_mul_overflow(b.mantissa, power10(out.scale - b.scale), &right) ||
      __builtin_sub_overflow(left, right, &out.mantissa))
    return unreadable();
  return out;
}

Minor to_minor(const Decimal& amount, int decimals) {
  if (amount.state != Reading::fine) return {0, 0, amount.state};
  __int128 units = amount.mantissa;
  double rest_units = 0;
  const int shift = decimals - amount.scale;
  if (shift >= 0) {
    if (shift > 36 || __builtin_mul_overflow(units, power10(shift), &units))
      return {0, 0, Reading::unreadable};
  } else if (-shift > 37) {
    rest_units = static_cast<double>(units) * std::pow(10.0, shift);
    units = 0;
  } else {
    const __int128 base = power10(-shift);
    const __int128 size = magnitude(units), rest = size % base;
    __int128 kept = size / base;
    const bool up = rest > base - rest || (rest == base - rest && kept % 2 == 1);
    rest_units = static_cast<double>(up ? rest - base : rest) / static_cast<double>(base);
    if (up) ++kept;
    if (units < 0) rest_units = -rest_units;
    units = units < 0 ? -kept : kept;
  }
  const double value = static_cast<double>(units);
  if (value > kLargest || value < -kLargest) return {0, 0, Reading::unreadable};
  return {value, rest_units, Reading::fine};
}

Decimal line_amount(const LineAmounts& lines, std::size_t row) {
  Decimal amount = lines.first[row];
  if (lines.arithmetic == Arithmetic::times) amount = multiply(amount, lines.second[row]);
  if (lines.arithmetic == Arithmetic::minus) amount = subtract(amount, lines.second[row]);
  for (const auto& column : lines.off) {
    const Decimal less = column[row];
    if (less.state != Reading::blank) amount = subtract(amount, less);
  }
  return lines.rate.size() > 0 ? multiply(amount, lines.rate[row]) : amount;
}

LineUnits line_units(const LineAmounts& lines, int decimals, double missing, double* units) {
  LineUnits out;
  const std::size_t n = lines.first.size();
  for (std::size_t i = 0; i < n; ++i) {
    const Minor minor = to_minor(line_amount(lines, i), decimals);
    const int row = static_cast<int>(i) + 1;
    units[i] = minor.state == Reading::fine ? minor.units : missing;
    if (minor.state == Reading::blank) out.blank.push_back(row);
    if (minor.state == Reading::unreadable) out.unreadable.push_back(row);
    if (minor.rest == 0) continue;
    out.rounded.push_back(row);
    out.rest.push_back(minor.rest);
  }
  return out;
}

void MarkCounts::add(std::string_view text, int place) {
  if (text.find_first_of(".,") == std::string_view::npos) return;
  const auto reads = [&](char mark) {
    return to_minor(parse_decimal(text.data(), text.size(), mark), 6).state != Reading::unreadable;
  };
  const bool with_point = reads('.'), with_comma = reads(',');
  ++seen;
  point += with_point;
  comma += with_comma;
  differ += with_point != with_comma;
  if (with_point && !example) example = place;
}

char* shortest_text(double x, char* buffer) {
  const double size = std::fabs(x);  // whole numbers such as ids stay free of exponents
  if (size < 1e15 && x == std::trunc(x))
    return std::to_chars(buffer, buffer + 64, static_cast<long long>(x)).ptr;
  const bool plain = (size >= 1e-5 && size < 1e17);
  return plain ? std::to_chars(buffer, buffer + 64, x, std::chars_format::fixed).ptr
               : std::to_chars(buffer, buffer + 64, x).ptr;
}

}  // namespace nubrek
