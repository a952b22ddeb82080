#include <Rcpp.h>
#include <charconv>
#include <cmath>
#include "lazy_text.h"
#include "money_kernels.h"

using nubrek::Decimal;
using nubrek::Reading;

namespace {
// A column of amounts: texts, or a factor of them, each distinct text read once.
class Amounts {
 public:
  Amounts(SEXP x, char mark) {
    SEXP levels = Rf_getAttrib(x, R_LevelsSymbol);
    coded_ = levels != R_NilValue;
    const nubrek::TextView text(coded_ ? levels : x);
    decimals_.resize(text.size());
    for (std::size_t i = 0; i < text.size(); ++i)
      if (!text.missing(i))
        decimals_[i] = nubrek::parse_decimal(text[i].data(), text[i].size(), mark);
    if (coded_) codes_ = Rcpp::IntegerVector(x);
  }
  R_xlen_t size() const { return coded_ ? codes_.size() : static_cast<R_xlen_t>(decimals_.size()); }
  Decimal operator[](R_xlen_t i) const {
    if (!coded_) return decimals_[static_cast<std::size_t>(i)];
    return codes_[i] == NA_INTEGER ? Decimal() : decimals_[static_cast<std::size_t>(codes_[i]) - 1];
  }

 private:
  bool coded_;
  Rcpp::IntegerVector codes_;
  std::vector<Decimal> decimals_;
};
}  // namespace

// The line's own arithmetic, then one rounding. `arithmetic` is "none", "times" or "minus"
// (`second` is read only for the latter two); the columns of `off` are taken off (blank: nothing);
// `rate`, if not empty, multiplies at last (NA: no rate). `blank`, `unreadable` and `rounded` are
// rows; `rest` is what rounding took off in the latter.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_minor_units(SEXP first, SEXP second, std::string arithmetic, Rcpp::List off,
                           SEXP rate, int decimals, std::string decimal_mark) {
  const char mark = decimal_mark[0];
  const bool times = arithmetic == "times", minus = arithmetic == "minus";
  const Amounts a(first, mark), b(times || minus ? second : Rf_allocVector(STRSXP, 0), mark),
      rates(rate, '.');
  std::vector<Amounts> taken;
  for (R_xlen_t k = 0; k < off.size(); ++k) taken.emplace_back(off[k], mark);
  const R_xlen_t n = a.size();
  Rcpp::NumericVector units = Rcpp::no_init(n);
  std::vector<int> blank, unreadable, rounded;
  std::vector<double> rest;
  for (R_xlen_t i = 0; i < n; ++i) {
    if (i % 65536 == 0) Rcpp::checkUserInterrupt();
    Decimal amount = a[i];
    if (times)
      amount = nubrek::multiply(amount, b[i]);
    else if (minus)
      amount = nubrek::subtract(amount, b[i]);
    for (const auto& column : taken) {
      const Decimal less = column[i];
      if (less.state != Reading::blank) amount = nubrek::subtract(amount, less);
    }
    if (rates.size() > 0) amount = nubrek::multiply(amount, rates[i]);
    const nubrek::Minor minor = nubrek::to_minor(amount, decimals);
    const int row = static_cast<int>(i) + 1;
    units[i] = minor.state == Reading::fine ? minor.units : NA_REAL;
    if (minor.state == Reading::blank) blank.push_back(row);
    if (minor.state == Reading::unreadable) unreadable.push_back(row);
    if (minor.rest != 0) {
      rounded.push_back(row);
      rest.push_back(minor.rest);
    }
  }
  return Rcpp::List::create(Rcpp::_["units"] = units, Rcpp::_["blank"] = blank,
                            Rcpp::_["unreadable"] = unreadable, Rcpp::_["rounded"] = rounded,
                            Rcpp::_["rest"] = rest);
}

// Of texts with a point or a comma: how many are amounts under each decimal mark, how many under
// only one, and a first that is one under the point.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_decimal_marks(SEXP texts) {
  const nubrek::TextView text(texts);
  double point = 0, comma = 0, differ = 0, seen = 0;
  int example = 0;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text.missing(i) || text[i].find_first_of(".,") == std::string_view::npos) continue;
    ++seen;
    const bool p =
        nubrek::to_minor(nubrek::parse_decimal(text[i].data(), text[i].size(), '.'), 6).state !=
        Reading::unreadable;
    const bool c =
        nubrek::to_minor(nubrek::parse_decimal(text[i].data(), text[i].size(), ','), 6).state !=
        Reading::unreadable;
    point += p;
    comma += c;
    differ += p != c;
    if (p && !example) example = static_cast<int>(i) + 1;
  }
  return Rcpp::List::create(Rcpp::_["seen"] = seen, Rcpp::_["point"] = point,
                            Rcpp::_["comma"] = comma, Rcpp::_["differ"] = differ,
                            Rcpp::_["example"] = example);
}

char* nubrek::shortest_text(double x, char* buffer) {
  const double size = std::fabs(x);  // whole numbers such as ids stay free of exponents
  if (size < 1e15 && x == std::trunc(x))
    return std::to_chars(buffer, buffer + 64, static_cast<long long>(x)).ptr;
  const bool plain = (size >= 1e-5 && size < 1e17);
  return plain ? std::to_chars(buffer, buffer + 64, x, std::chars_format::fixed).ptr
               : std::to_chars(buffer, buffer + 64, x).ptr;
}

// The shortest decimal text that reads back as the same double; NA and NaN become NA, infinities
// text.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector cpp_shortest_text(Rcpp::NumericVector x) {
  Rcpp::CharacterVector out(x.size());
  char buffer[64];
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (ISNAN(x[i])) {
      out[i] = NA_STRING;
      continue;
    }
    out[i] = Rf_mkCharLenCE(buffer, static_cast<int>(nubrek::shortest_text(x[i], buffer) - buffer),
                            CE_UTF8);
  }
  return out;
}
