#include <Rcpp.h>
#include <cstring>

// Whether any cell of a column holds doubled quotes, bytes beyond ASCII, or a blank at its edge: three looks that need no copy.
// [[Rcpp::export(rng = false)]]
Rcpp::LogicalVector cpp_text_flags(Rcpp::CharacterVector x) {
  bool doubled = false, wide = false, edge = false;
  SEXP before = R_NilValue;
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    SEXP s = STRING_ELT(x, i);
    if (s == before || s == NA_STRING) continue;      // runs of one value are looked at once
    before = s;
    const char* p = CHAR(s);
    const int n = LENGTH(s);
    if (n == 0) continue;
    if (!wide) for (int k = 0; k < n; ++k) if (static_cast<unsigned char>(p[k]) > 127) { wide = true; break; }
    if (!doubled) { const char* q = std::strchr(p, '"'); while (q && q[1]) { if (q[1] == '"') { doubled = true; break; } q = std::strchr(q + 1, '"'); } }
    auto blank = [](char c) { return c == ' ' || (c >= '\t' && c <= '\r'); };
    if (!edge) edge = blank(p[0]) || blank(p[n - 1]) || static_cast<unsigned char>(p[0]) == 0xC2 || static_cast<unsigned char>(p[n - 1]) == 0xA0;
    if (doubled && wide && edge) break;
  }
  return Rcpp::LogicalVector::create(Rcpp::_["doubled"] = doubled, Rcpp::_["wide"] = wide, Rcpp::_["edge"] = edge);
}

// True where a cell is missing, empty or blanks only.
// [[Rcpp::export(rng = false)]]
Rcpp::LogicalVector cpp_is_blank(Rcpp::CharacterVector x) {
  Rcpp::LogicalVector out(x.size());
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    SEXP s = STRING_ELT(x, i);
    if (s == NA_STRING) { out[i] = true; continue; }
    const char* p = CHAR(s);
    while (*p) {
      if (*p == ' ' || (*p >= '\t' && *p <= '\r')) ++p;
      else if (p[0] == '\xC2' && p[1] == '\xA0') p += 2;
      else break;
    }
    out[i] = *p == '\0';
  }
  return out;
}
