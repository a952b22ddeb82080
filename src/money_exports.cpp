#include <Rcpp.h>
#include <charconv>
#include <cmath>
#include "money_kernels.h"

using nubrek::Decimal;
using nubrek::Reading;

namespace {
Decimal element(const Rcpp::CharacterVector& text, R_xlen_t i, char mark) {
  SEXP s = STRING_ELT(text, i);
  if (s == NA_STRING) return Decimal();
  return nubrek::parse_decimal(CHAR(s), static_cast<std::size_t>(LENGTH(s)), mark);
}
}  // namespace

// The line's own arithmetic, then one rounding. `arithmetic` is "none", "times" or "minus" (`second` is read only for the
// latter two); the columns of `off` are taken off (blank: nothing); `rate`, if not empty, multiplies at last (NA: no rate).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_minor_units(Rcpp::CharacterVector first, Rcpp::CharacterVector second, std::string arithmetic, Rcpp::List off,
                           Rcpp::CharacterVector rate, int decimals, std::string decimal_mark) {
  const R_xlen_t n = first.size();
  Rcpp::NumericVector units(n), rest(n);
  Rcpp::LogicalVector blank(n), unreadable(n);
  const char mark = decimal_mark[0];
  std::vector<Rcpp::CharacterVector> taken;
  for (R_xlen_t k = 0; k < off.size(); ++k) taken.push_back(off[k]);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (i % 65536 == 0) Rcpp::checkUserInterrupt();
    Decimal amount = element(first, i, mark);
    if (arithmetic == "times") amount = nubrek::multiply(amount, element(second, i, mark));
    else if (arithmetic == "minus") amount = nubrek::subtract(amount, element(second, i, mark));
    for (const auto& column : taken) {
      const Decimal less = element(column, i, mark);
      if (less.state != Reading::blank) amount = nubrek::subtract(amount, less);
    }
    if (rate.size() > 0) amount = nubrek::multiply(amount, element(rate, i, '.'));
    const nubrek::Minor minor = nubrek::to_minor(amount, decimals);
    units[i] = minor.state == Reading::fine ? minor.units : NA_REAL;
    blank[i] = minor.state == Reading::blank;
    unreadable[i] = minor.state == Reading::unreadable;
    rest[i] = minor.rest;
  }
  return Rcpp::List::create(Rcpp::_["units"] = units, Rcpp::_["blank"] = blank, Rcpp::_["unreadable"] = unreadable, Rcpp::_["rest"] = rest);
}

// The shortest decimal text that reads back as the same double; NA and NaN become NA, infinities text.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector cpp_shortest_text(Rcpp::NumericVector x) {
  Rcpp::CharacterVector out(x.size());
  char buffer[64];
  // whole numbers such as ids stay free of exponents
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (ISNAN(x[i])) { out[i] = NA_STRING; continue; }
    const double size = std::fabs(x[i]);
    const bool plain = size == 0 || (size >= 1e-5 && size < 1e17);
    const auto end = plain ? std::to_chars(buffer, buffer + sizeof buffer, x[i], std::chars_format::fixed).ptr
                           : std::to_chars(buffer, buffer + sizeof buffer, x[i]).ptr;
    out[i] = Rf_mkCharLenCE(buffer, static_cast<int>(end - buffer), CE_UTF8);
  }
  return out;
}
