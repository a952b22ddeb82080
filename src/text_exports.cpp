#include <Rcpp.h>
#include <algorithm>
#include <cstdio>
#include <string>
#include "keyed_hash.h"
#include "lazy_text.h"
#include "text_kernels.h"

using nubrek::TextView;

// Whether any text holds bytes beyond ASCII, or a blank at its edge: two looks that need no copy.
// [[Rcpp::export(rng = false)]]
Rcpp::LogicalVector cpp_text_flags(SEXP texts) {
  const nubrek::TextFlags found = nubrek::text_flags(TextView(texts));
  return Rcpp::LogicalVector::create(Rcpp::_["wide"] = found.wide, Rcpp::_["edge"] = found.edge);
}

// True where a text is missing, empty or blanks only.
// [[Rcpp::export(rng = false)]]
Rcpp::LogicalVector cpp_is_blank(SEXP texts) {
  const TextView text(texts);
  Rcpp::LogicalVector out(static_cast<R_xlen_t>(text.size()));
  for (std::size_t i = 0; i < text.size(); ++i)
    out[static_cast<R_xlen_t>(i)] = text.missing(i) || nubrek::is_blank(text[i]);
  return out;
}

// The places (from 1) of texts in the order of their bytes, which is that of the C locale.
// [[Rcpp::export(rng = false)]]
std::vector<int> cpp_order_texts(SEXP texts) {
  return nubrek::order_texts(TextView(texts));
}

// The place (from 1) of each text among sorted ones that differ; missing where it is not there.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_sorted_places(SEXP texts, SEXP sorted) {
  const std::vector<int> places = nubrek::sorted_places(TextView(texts), TextView(sorted));
  Rcpp::IntegerVector out(places.begin(), places.end());
  std::replace(out.begin(), out.end(), 0, NA_INTEGER);
  return out;
}

// How many different texts there are, where all are picked out of the same store as `among`, which
// ascend; missing where that would take comparing them.
// [[Rcpp::export(rng = false)]]
int cpp_count_picked(SEXP texts, SEXP among) {
  const TextView known(among);
  const nubrek::TextColumn *of = TextView(texts).column(), *all = known.column();
  if (!of || !all || of->store != all->store || !nubrek::ascends(known)) return NA_INTEGER;
  std::vector<char> state(all->store->size(), all->index.empty() ? 1 : 0);  // 1: known, 2: counted
  for (const int i : all->index)
    if (i >= 0) state[static_cast<std::size_t>(i)] = 1;
  int out = 0;
  for (std::size_t k = 0; k < of->size(); ++k) {
    const int i = of->index.empty() ? static_cast<int>(k) : of->index[k];
    if (i < 0 || !state[static_cast<std::size_t>(i)]) return NA_INTEGER;
    out += state[static_cast<std::size_t>(i)] == 1;
    state[static_cast<std::size_t>(i)] = 2;
  }
  return out;
}

// Texts, a line each, into a file; false (and nothing of use in the file) where one is missing or
// holds a line break.
// [[Rcpp::export(rng = false)]]
bool cpp_write_lines(SEXP texts, std::string path, int threads) {
  const TextView view(texts);
  // strings of R are looked at by one thread
  return nubrek::write_lines(view, path, view.column() ? threads : 1);
}

// The line (from 0, the header) of the first NUL byte of a file, or -1.
// [[Rcpp::export(rng = false)]]
double cpp_first_nul_row(std::string path) {
  return static_cast<double>(nubrek::first_nul_row(path));
}

// The lines of a file that `cpp_write_lines()` wrote.
// [[Rcpp::export(rng = false)]]
SEXP cpp_read_lines(std::string path) {
  return nubrek::text_vector({nubrek::read_lines(path), {}});
}

namespace {

nubrek::HashKey hash_key(const Rcpp::RawVector& key) {
  if (key.size() != 16) Rcpp::stop("a key has 16 bytes");
  nubrek::HashKey of{0, 0};
  for (int k = 0; k < 8; ++k) {
    of.low |= static_cast<std::uint64_t>(key[k]) << (8 * k);
    of.high |= static_cast<std::uint64_t>(key[8 + k]) << (8 * k);
  }
  return of;
}

}  // namespace

// Numbers in [0, 1) that depend on a key of 16 bytes and each text alone; texts are UTF-8.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_keyed_units(SEXP texts, Rcpp::RawVector key) {
  const nubrek::HashKey of = hash_key(key);
  const TextView text(texts);
  Rcpp::NumericVector out(static_cast<R_xlen_t>(text.size()), NA_REAL);
  for (std::size_t i = 0; i < text.size(); ++i)
    if (!text.missing(i)) out[static_cast<R_xlen_t>(i)] = nubrek::keyed_unit(of, text[i]);
  return out;
}

// 16 hexadecimal digits that depend on a key and all bytes.
// [[Rcpp::export(rng = false)]]
std::string cpp_keyed_mark(Rcpp::RawVector bytes, Rcpp::RawVector key) {
  const std::string_view text(reinterpret_cast<const char*>(RAW(bytes)),
                              static_cast<std::size_t>(bytes.size()));
  char digits[17];
  std::snprintf(digits, sizeof digits, "%016llx",
                static_cast<unsigned long long>(nubrek::keyed_hash(hash_key(key), text)));
  return digits;
}

// 32 hexadecimal digits that depend on a key and each text alone: the hash of the text behind a 0,
// then that behind a 1.
// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector cpp_keyed_names(SEXP texts, Rcpp::RawVector key) {
  const nubrek::HashKey of = hash_key(key);
  const TextView text(texts);
  Rcpp::CharacterVector out(static_cast<R_xlen_t>(text.size()), NA_STRING);
  std::string part;
  char digits[33];
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text.missing(i)) continue;
    for (int half = 0; half < 2; ++half) {
      part.assign(1, half == 0 ? '0' : '1').append(text[i]);
      std::snprintf(digits + 16 * half, 17, "%016llx",
                    static_cast<unsigned long long>(nubrek::keyed_hash(of, part)));
    }
    out[static_cast<R_xlen_t>(i)] = Rf_mkCharLen(digits, 32);
  }
  return out;
}

namespace {

SEXP string_of(std::string_view text) {
  if (text.size() > 2147483647u) Rcpp::stop("a cell is too long");
  return Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8);
}

template <class Texts>
Rcpp::CharacterVector strings_of(const Texts& texts) {
  Rcpp::CharacterVector out(static_cast<R_xlen_t>(texts.size()));
  for (std::size_t i = 0; i < texts.size(); ++i)
    SET_STRING_ELT(out, static_cast<R_xlen_t>(i), string_of(texts[i]));
  return out;
}

}  // namespace

// The columns of a delimited file as text, named by its header, or of its header alone; `mark`:
// whether a mark at its end was left out. `fault` and `row` where it is no table.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_read_delimited(std::string path, std::string separator, bool header_only) {
  nubrek::TextTable read = nubrek::read_table(path, separator[0], header_only);
  if (read.fault)
    return Rcpp::List::create(Rcpp::_["fault"] = read.fault,
                              Rcpp::_["row"] = static_cast<double>(read.row));
  if (!read.columns.empty() && read.columns[0].size() > 2147483647u) Rcpp::stop("too many rows");
  Rcpp::List table(static_cast<R_xlen_t>(read.columns.size()));
  for (std::size_t k = 0; k < read.columns.size(); ++k) {
    table[static_cast<R_xlen_t>(k)] = strings_of(read.columns[k]);
    read.columns[k] = nubrek::TextStore();
  }
  table.names() = strings_of(read.names);
  return Rcpp::List::create(Rcpp::_["table"] = table, Rcpp::_["mark"] = read.mark);
}
