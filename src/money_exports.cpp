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

// `arithmetic` is "none", "times" or "minus" (`second` is read only for the latter two).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_minor_units(Rcpp::CharacterVector first, Rcpp::CharacterVector second, std::string arithmetic, int decimals,
                           std::string decimal_mark) {
  const R_xlen_t n = first.size();
  Rcpp::NumericVector units(n);
  Rcpp::LogicalVector blank(n), unreadable(n), fraction(n);
  const char mark = decimal_mark[0];
  for (R_xlen_t i = 0; i < n; ++i) {
    if (i % 65536 == 0) Rcpp::checkUserInterrupt();
    Decimal amount = element(first, i, mark);
    if (arithmetic == "times") amount = nubrek::multiply(amount, element(second, i, mark));
    else if (arithmetic == "minus") amount = nubrek::subtract(amount, element(second, i, mark));
    const nubrek::Minor minor = nubrek::to_minor(amount, decimals);
    units[i] = minor.state == Reading::fine ? minor.units : NA_REAL;
    blank[i] = minor.state == Reading::blank;
    unreadable[i] = minor.state == Reading::unreadable;
    fraction[i] = !minor.whole;
  }
  return Rcpp::List::create(Rcpp::_["units"] = units, Rcpp::_["blank"] = blank, Rcpp::_["unreadable"] = unreadable,
                            Rcpp::_["fraction"] = fraction);
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
