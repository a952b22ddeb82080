#include <Rcpp.h>
#include "lazy_text.h"
#include "money_kernels.h"

namespace {

// A column of amounts from R: texts, or a factor of them, each distinct text read once. A missing
// code is below 1.
nubrek::AmountColumn amounts(SEXP x, char mark) {
  SEXP levels = Rf_getAttrib(x, R_LevelsSymbol);
  const bool coded = levels != R_NilValue;
  const nubrek::TextView text(coded ? levels : x);
  nubrek::AmountColumn out;
  out.decimals.resize(text.size());
  for (std::size_t i = 0; i < text.size(); ++i)
    if (!text.missing(i))
      out.decimals[i] = nubrek::parse_decimal(text[i].data(), text[i].size(), mark);
  if (coded) {
    out.codes = INTEGER_RO(x);
    out.n_codes = static_cast<std::size_t>(Rf_xlength(x));
  }
  return out;
}

nubrek::Arithmetic arithmetic_of(const std::string& name) {
  if (name == "times") return nubrek::Arithmetic::times;
  return name == "minus" ? nubrek::Arithmetic::minus : nubrek::Arithmetic::none;
}

}  // namespace

// The line's own arithmetic, then one rounding. `amounts` has the column `first` and, where the
// `arithmetic` is "times" or "minus", `second`; the columns of `off` are taken off (blank:
// nothing); `rate`, if not empty, multiplies at last (NA: no rate). `blank`, `unreadable` and
// `rounded` are rows; `rest` is what rounding took off in the latter.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_minor_units(Rcpp::List amounts, int decimals, std::string decimal_mark) {
  const char mark = decimal_mark[0];
  nubrek::LineAmounts lines;
  lines.arithmetic = arithmetic_of(amounts["arithmetic"]);
  lines.first = ::amounts(amounts["first"], mark);
  if (lines.arithmetic != nubrek::Arithmetic::none)
    lines.second = ::amounts(amounts["second"], mark);
  const Rcpp::List off = amounts["off"];
  for (R_xlen_t k = 0; k < off.size(); ++k) lines.off.push_back(::amounts(off[k], mark));
  lines.rate = ::amounts(amounts["rate"], '.');
  Rcpp::NumericVector units = Rcpp::no_init(static_cast<R_xlen_t>(lines.first.size()));
  const auto found = nubrek::line_units(lines, decimals, NA_REAL, units.begin());
  return Rcpp::List::create(Rcpp::_["units"] = units, Rcpp::_["blank"] = found.blank,
                            Rcpp::_["unreadable"] = found.unreadable,
                            Rcpp::_["rounded"] = found.rounded, Rcpp::_["rest"] = found.rest);
}

// Of texts with a point or a comma: how many are amounts under each decimal mark, how many under
// only one, and a first that is one under the point.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_decimal_marks(SEXP texts) {
  const nubrek::TextView text(texts);
  nubrek::MarkCounts counts;
  for (std::size_t i = 0; i < text.size(); ++i)
    if (!text.missing(i)) counts.add(text[i], static_cast<int>(i) + 1);
  return Rcpp::List::create(Rcpp::_["seen"] = counts.seen, Rcpp::_["point"] = counts.point,
                            Rcpp::_["comma"] = counts.comma, Rcpp::_["differ"] = counts.differ,
                            Rcpp::_["example"] = counts.example);
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
