#include <Rcpp.h>
#include "code_kernels.h"
#include "lazy_text.h"
#include "parquet_text.h"
#include "regular_file.h"
#include "threads.h"

namespace {

// A factor: codes, and the distinct texts in order of first appearance.
Rcpp::IntegerVector coded_cells(Rcpp::IntegerVector codes, const Rcpp::RObject& texts) {
  codes.attr("levels") = texts;
  codes.attr("class") = "factor";
  return codes;
}

Rcpp::IntegerVector coded_cells(Rcpp::IntegerVector codes,
                                std::shared_ptr<nubrek::TextStore> store) {
  store->trim_room();
  const Rcpp::RObject texts(nubrek::text_vector({store, {}}));
  return coded_cells(codes, texts);
}

// Strings are told apart by their address: R holds each once per encoding.
Rcpp::IntegerVector code_strings(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  Rcpp::IntegerVector out = Rcpp::no_init(n);
  nubrek::KeyCoder coder;
  std::vector<R_xlen_t> first;
  for (R_xlen_t i = 0; i < n; ++i) {
    SEXP s = STRING_ELT(x, i);
    out[i] = s == NA_STRING ? NA_INTEGER : coder.code(reinterpret_cast<std::uintptr_t>(s));
    if (coder.size() > first.size()) first.push_back(i);
  }
  Rcpp::CharacterVector texts(static_cast<R_xlen_t>(first.size()));
  for (std::size_t i = 0; i < first.size(); ++i)
    texts[static_cast<R_xlen_t>(i)] = STRING_ELT(x, first[i]);
  return coded_cells(out, Rcpp::RObject(texts));
}

// Texts behind which no strings stand yet have no addresses.
Rcpp::IntegerVector code_bytes(const nubrek::TextView& text) {
  Rcpp::IntegerVector out = Rcpp::no_init(static_cast<R_xlen_t>(text.size()));
  nubrek::Coder texts;
  for (std::size_t i = 0; i < text.size(); ++i) {
    int& to = out[static_cast<R_xlen_t>(i)];
    if (text.missing(i)) {
      to = NA_INTEGER;
      continue;
    }
    const std::string_view one = text[i];
    texts.code(&one, 1, &to);
  }
  return coded_cells(out, texts.store());
}

}  // namespace

// The columns of regular delimited files as factors and the rows of each file; NULL where a file is
// not regular or not UTF-8. `shape` has `separator`, `columns`, the `chunk` of bytes that are
// looked at at a time, `threads`; `size` is the bytes of all files; `tick` is called with the share
// read so far, now and then.
// [[Rcpp::export(rng = false)]]
SEXP cpp_read_coded(std::vector<std::string> paths, double size, Rcpp::List shape,
                    Rcpp::Function tick) {
  const nubrek::RegularShape plain{Rcpp::as<std::string>(shape["separator"])[0],
                                   static_cast<std::size_t>(Rcpp::as<int>(shape["columns"])),
                                   static_cast<std::size_t>(Rcpp::as<int>(shape["chunk"])),
                                   Rcpp::as<int>(shape["threads"])};
  std::size_t room = 0;
  for (const auto& path : paths) room += nubrek::count_lines(path) - 1;  // without the header
  if (room == 0 || room > 2147483646u) return R_NilValue;
  nubrek::CodedColumns columns;
  columns.coders.resize(plain.columns);
  Rcpp::List out(static_cast<R_xlen_t>(plain.columns));
  for (R_xlen_t k = 0; k < out.size(); ++k) {
    Rcpp::IntegerVector codes = Rcpp::no_init(static_cast<R_xlen_t>(room));
    out[k] = codes;
    columns.codes.push_back(codes.begin());
  }
  std::vector<int> rows;
  double bytes = 0;
  for (const auto& path : paths) {
    nubrek::RegularFile file(path, plain);
    for (int chunk = 1; file.step(columns); ++chunk) {
      Rcpp::checkUserInterrupt();
      const double share = (bytes + static_cast<double>(file.bytes())) / size;
      if (rows.empty() && chunk == 4 && share < 0.5)
        for (auto& coder : columns.coders) coder.expect(1.05 / share);
      if (chunk % 16 == 0) tick(share);
    }
    if (!file.regular() || file.rows() == 0) return R_NilValue;
    rows.push_back(static_cast<int>(file.rows()));
    bytes += static_cast<double>(file.bytes());
  }
  if (!nubrek::all_readable(columns.coders, plain.threads)) return R_NilValue;
  for (R_xlen_t k = 0; k < out.size(); ++k) {
    Rcpp::IntegerVector codes = out[k];
    if (columns.rows < room)  // there were blank lines
      codes = Rcpp::IntegerVector(codes.begin(), codes.begin() + columns.rows);
    auto store = columns.coders[static_cast<std::size_t>(k)].store();
    columns.coders[static_cast<std::size_t>(k)] = nubrek::Coder();
    out[k] = coded_cells(codes, store);
  }
  return Rcpp::List::create(Rcpp::_["columns"] = out, Rcpp::_["rows"] = rows);
}

// Parquet files of one shape: the names of their columns, the rows of each file, and their text
// columns as factors, by name; those that hold anything unusual are left out. NULL where a file
// cannot be looked into or has other columns.
// [[Rcpp::export(rng = false)]]
SEXP cpp_parquet_texts(std::vector<std::string> paths, int threads) {
  nubrek::ParquetTexts read;
  if (!nubrek::read_parquet_texts(paths, NA_INTEGER, threads, read)) return R_NilValue;
  Rcpp::List out;
  for (auto& column : read.columns) {
    out.push_back(
        coded_cells(Rcpp::IntegerVector(column.codes.begin(), column.codes.end()), column.texts),
        column.name);
    column = {};
  }
  return Rcpp::List::create(Rcpp::_["columns"] = read.names, Rcpp::_["rows"] = read.rows,
                            Rcpp::_["texts"] = out);
}

// The bare codes of a factor.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_codes(Rcpp::IntegerVector cells) {
  return Rcpp::IntegerVector(cells.begin(), cells.end());
}

// Any column as a factor of its distinct texts; numbers become the shortest text that reads back as
// the same.
// [[Rcpp::export(rng = false)]]
SEXP cpp_code_column(SEXP x) {
  if (TYPEOF(x) == STRSXP) {
    const nubrek::TextView text(x);
    return text.column() ? code_bytes(text) : code_strings(x);
  }
  const Rcpp::NumericVector number(x);
  Rcpp::IntegerVector out = Rcpp::no_init(number.size());
  auto store = nubrek::code_numbers(number.begin(), static_cast<std::size_t>(number.size()),
                                    NA_INTEGER, out.begin());
  return coded_cells(out, store);
}

// Whether any cell of a coded column is missing.
// [[Rcpp::export(rng = false)]]
bool cpp_any_missing(Rcpp::IntegerVector codes) {
  return std::find(codes.begin(), codes.end(), NA_INTEGER) != codes.end();
}

// Whether no cell of a coded column is the same as another: as many distinct texts as rows.
// [[Rcpp::export(rng = false)]]
bool cpp_all_distinct(Rcpp::IntegerVector codes, int n_texts) {
  return nubrek::all_distinct(codes.begin(), static_cast<std::size_t>(codes.size()), NA_INTEGER,
                              static_cast<std::size_t>(n_texts));
}

// The rows (from 1) that equal an earlier one in all of the columns of codes.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_repeated_rows(Rcpp::List columns) {
  std::vector<Rcpp::IntegerVector> kept;
  std::vector<const int*> codes;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    kept.emplace_back(columns[k]);
    codes.push_back(kept.back().begin());
  }
  const std::size_t n = kept.empty() ? 0 : static_cast<std::size_t>(kept[0].size());
  return Rcpp::wrap(nubrek::repeated_rows(codes, n));
}
