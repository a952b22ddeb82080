#include <Rcpp.h>
#include <cstdio>
#include <cstring>
#include "coding.h"
#include "delimited.h"
#include "lazy_text.h"
#include "money_kernels.h"
#include "parquet_text.h"
#include "threads.h"

namespace {
using nubrek::Block;
using nubrek::Coder;

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

bool readable(const nubrek::TextStore& store) {
  const std::string_view all = store.bytes();
  unsigned char seen = 0;
  for (const char c : all) seen |= static_cast<unsigned char>(c);
  if (seen < 128) return true;
  for (std::size_t i = 0; i < store.size(); ++i)
    if (!nubrek::is_utf8(store[i])) return false;
  return true;
}

// The lines of a file: no fewer than its rows.
std::size_t count_lines(const std::string& path) {
  std::FILE* file = std::fopen(path.c_str(), "rb");
  if (!file) Rcpp::stop("cannot open %s", path);
  std::vector<char> buffer(1u << 22);
  std::size_t lines = 0;
  char last = '\n';
  for (std::size_t got; (got = std::fread(buffer.data(), 1, buffer.size(), file)) > 0;) {
    const char* end = buffer.data() + got;
    for (const char* p = buffer.data();
         p < end &&
         (p = static_cast<const char*>(std::memchr(p, '\n', static_cast<std::size_t>(end - p))));
         ++p)
      ++lines;
    last = end[-1];
  }
  std::fclose(file);
  return lines + (last != '\n');
}

// The columns while they are read: a coder each, and where its codes go.
struct Columns {
  std::vector<Coder> coders;
  std::vector<int*> codes;
  std::size_t rows = 0;
};

// A regular file, chunk by chunk: lines are split by all threads, then columns are coded by all
// threads.
class RegularFile {
 public:
  RegularFile(const std::string& path, char separator, std::size_t n_columns, int threads,
              std::size_t chunk)
      : file_(std::fopen(path.c_str(), "rb")),
        separator_(separator),
        n_columns_(n_columns),
        chunk_(chunk),
        threads_(threads),
        blocks_(static_cast<std::size_t>(threads)) {
    if (!file_) Rcpp::stop("cannot open the file");
  }
  ~RegularFile() { std::fclose(file_); }
  std::size_t rows() const { return rows_; }
  std::size_t bytes() const { return bytes_; }

  // Reads on; false at the end or where the text is not regular (see `regular()`).
  bool step(Columns& columns) {
    if (!fill()) return false;
    const char* from = buffer_.data();
    const char* to = from + whole_;
    if (first_) {
      first_ = false;
      if (!skip_header(from, to)) return regular_ = false;
    }
    std::vector<const char*> cuts{from};
    for (int i = 1; i < threads_; ++i) {
      const char* cut = from + (to - from) * i / threads_;
      const char* line_end =
          static_cast<const char*>(std::memchr(cut, '\n', static_cast<std::size_t>(to - cut)));
      cuts.push_back(line_end ? line_end + 1 : to);
    }
    cuts.push_back(to);
    nubrek::run_tasks(blocks_.size(), threads_, [&](std::size_t i) {
      nubrek::split_cells(cuts[i], cuts[i + 1], separator_, n_columns_, blocks_[i]);
    });
    for (const Block& block : blocks_)
      if (!block.regular) return regular_ = false;
    nubrek::run_tasks(n_columns_, threads_, [&](std::size_t k) {
      int* to = columns.codes[k] + columns.rows;
      for (const Block& block : blocks_) {
        columns.coders[k].code(block.cells[k].data(), block.rows(), to);
        to += block.rows();
      }
    });
    for (const Block& block : blocks_) {
      rows_ += block.rows();
      columns.rows += block.rows();
    }
    return true;
  }
  bool regular() const { return regular_; }

 private:
  // The next chunk of whole lines in the buffer: what was left of the last one, and more.
  bool fill() {
    const std::size_t left = held_ - whole_;
    if (left > 0 && whole_ > 0) std::memmove(buffer_.data(), buffer_.data() + whole_, left);
    held_ = left;
    whole_ = 0;
    for (;;) {
      if (buffer_.size() < held_ + chunk_) buffer_.resize(held_ + chunk_);
      const std::size_t got = std::fread(buffer_.data() + held_, 1, chunk_, file_);
      bytes_ += got;
      const std::size_t seen = held_;
      held_ += got;
      if (got == 0) {
        whole_ = held_;
        return held_ > 0;
      }
      for (std::size_t i = held_; i > seen; --i)
        if (buffer_[i - 1] == '\n') {
          whole_ = i;
          return true;
        }
    }
  }
  bool skip_header(const char*& from, const char* to) {
    if (to - from >= 3 && !std::memcmp(from, "\xEF\xBB\xBF", 3)) from += 3;
    const char* end =
        static_cast<const char*>(std::memchr(from, '\n', static_cast<std::size_t>(to - from)));
    if (!end) return false;
    nubrek::split_cells(from, end + 1, separator_, n_columns_, blocks_[0]);
    from = end + 1;
    return blocks_[0].regular && blocks_[0].rows() == 1;
  }

  std::FILE* file_;
  const char separator_;
  const std::size_t n_columns_, chunk_;
  const int threads_;
  std::vector<Block> blocks_;
  std::vector<char> buffer_;
  std::size_t held_ = 0, whole_ = 0, rows_ = 0, bytes_ = 0;
  bool first_ = true, regular_ = true;
};
}  // namespace

// The columns of regular delimited files as factors and the rows of each file; NULL where a file is
// not regular or not UTF-8. `size` is the bytes of all of them, `chunk_bytes` how many are looked
// at at a time; `tick` is called with the share read so far, now and then.
// [[Rcpp::export(rng = false)]]
SEXP cpp_read_coded(Rcpp::CharacterVector paths, double size, std::string separator, int n_columns,
                    int threads, Rcpp::Function tick, int chunk_bytes = 4194304) {
  const std::size_t width = static_cast<std::size_t>(n_columns);
  std::size_t room = 0;
  for (R_xlen_t f = 0; f < paths.size(); ++f)
    room += count_lines(Rcpp::as<std::string>(paths[f])) - 1;  // without the header
  if (room == 0 || room > 2147483646u) return R_NilValue;
  Columns columns;
  columns.coders.resize(width);
  Rcpp::List out(n_columns);
  for (R_xlen_t k = 0; k < out.size(); ++k) {
    Rcpp::IntegerVector codes = Rcpp::no_init(static_cast<R_xlen_t>(room));
    out[k] = codes;
    columns.codes.push_back(codes.begin());
  }
  Rcpp::IntegerVector rows(paths.size());
  double bytes = 0;
  for (R_xlen_t f = 0; f < paths.size(); ++f) {
    RegularFile file(Rcpp::as<std::string>(paths[f]), separator[0], width, threads,
                     static_cast<std::size_t>(chunk_bytes));
    for (int chunk = 1; file.step(columns); ++chunk) {
      Rcpp::checkUserInterrupt();
      const double share = (bytes + static_cast<double>(file.bytes())) / size;
      if (f == 0 && chunk == 4 && share < 0.5)
        for (auto& coder : columns.coders) coder.expect(1.05 / share);
      if (chunk % 16 == 0) tick(share);
    }
    if (!file.regular() || file.rows() == 0) return R_NilValue;
    rows[f] = static_cast<int>(file.rows());
    bytes += static_cast<double>(file.bytes());
  }
  std::vector<char> fine(width);
  nubrek::run_tasks(width, threads,
                    [&](std::size_t k) { fine[k] = readable(*columns.coders[k].store()); });
  for (const char ok : fine)
    if (!ok) return R_NilValue;
  for (std::size_t k = 0; k < width; ++k) {
    Rcpp::IntegerVector codes = out[static_cast<R_xlen_t>(k)];
    if (columns.rows < room)
      codes = Rcpp::IntegerVector(codes.begin(),
                                  codes.begin() + columns.rows);  // there were blank lines
    auto store = columns.coders[k].store();
    columns.coders[k] = Coder();
    out[static_cast<R_xlen_t>(k)] = coded_cells(codes, store);
  }
  return Rcpp::List::create(Rcpp::_["columns"] = out, Rcpp::_["rows"] = rows);
}

// Parquet files of one shape: the names of their columns, the rows of each file, and their text
// columns as factors, by name; those that hold anything unusual are left out. NULL where a file
// cannot be looked into or has other columns.
// [[Rcpp::export(rng = false)]]
SEXP cpp_parquet_texts(Rcpp::CharacterVector paths, int threads) {
  std::vector<std::string> files = Rcpp::as<std::vector<std::string>>(paths);
  std::vector<nubrek::ParquetTable> tables;
  try {
    for (const auto& file : files) tables.push_back(nubrek::parquet_table(file));
  } catch (const std::exception&) {
    return R_NilValue;
  }
  std::vector<std::string> names;
  for (const auto& column : tables[0].columns)
    if (column.text) names.push_back(column.name);
  std::vector<Coder> coders(names.size());
  std::vector<std::vector<int>> codes(names.size());
  std::vector<char> fine(names.size(), 0);
  nubrek::run_tasks(names.size(), threads, [&](std::size_t k) {
    try {
      for (std::size_t f = 0; f < files.size(); ++f) {
        const nubrek::ParquetColumn* mine = nullptr;
        for (const auto& column : tables[f].columns)
          if (column.text && column.name == names[k]) mine = &column;
        if (!mine) return;
        codes[k].reserve(codes[k].size() + static_cast<std::size_t>(tables[f].rows));
        const std::size_t before = codes[k].size();
        nubrek::code_parquet_column(files[f], *mine, NA_INTEGER, coders[k], codes[k]);
        if (codes[k].size() - before != static_cast<std::size_t>(tables[f].rows)) return;
      }
      fine[k] = readable(*coders[k].store());
    } catch (const std::exception&) {
    }  // refused, or more memory than there is: the library's reader says what is wrong
  });
  std::vector<std::string> all;
  std::vector<int> rows;
  for (const auto& column : tables[0].columns) all.push_back(column.name);
  for (const auto& table : tables) {
    if (table.rows > 2147483646 || table.columns.size() != all.size()) return R_NilValue;
    for (std::size_t k = 0; k < all.size(); ++k)
      if (table.columns[k].name != all[k]) return R_NilValue;
    rows.push_back(static_cast<int>(table.rows));
  }
  Rcpp::List out;
  for (std::size_t k = 0; k < names.size(); ++k) {
    if (!fine[k]) continue;
    auto store = coders[k].store();
    coders[k] = Coder();
    out.push_back(coded_cells(Rcpp::IntegerVector(codes[k].begin(), codes[k].end()), store),
                  names[k]);
    std::vector<int>().swap(codes[k]);
  }
  return Rcpp::List::create(Rcpp::_["columns"] = all, Rcpp::_["rows"] = rows,
                            Rcpp::_["texts"] = out);
}

// The bare codes of a factor.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_codes(Rcpp::IntegerVector cells) {
  return Rcpp::IntegerVector(cells.begin(), cells.end());
}

// Any column as a factor of its distinct texts. Strings are told apart by their address (R holds
// each once per encoding), numbers by value; numbers become the shortest text that reads back as
// the same.
// [[Rcpp::export(rng = false)]]
SEXP cpp_code_column(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  Rcpp::IntegerVector out = Rcpp::no_init(n);
  nubrek::KeyCoder coder;
  if (TYPEOF(x) == STRSXP && nubrek::TextView(x).column()) {  // no strings yet, so no addresses
    const nubrek::TextView text(x);
    Coder texts;
    for (R_xlen_t i = 0; i < n; ++i) {
      const std::size_t at = static_cast<std::size_t>(i);
      const std::string_view one = text.missing(at) ? std::string_view() : text[at];
      if (text.missing(at))
        out[i] = NA_INTEGER;
      else
        texts.code(&one, 1, &out[i]);
    }
    return coded_cells(out, texts.store());
  }
  if (TYPEOF(x) == STRSXP) {
    std::vector<R_xlen_t> first;
    for (R_xlen_t i = 0; i < n; ++i) {
      SEXP s = STRING_ELT(x, i);
      if (s == NA_STRING) {
        out[i] = NA_INTEGER;
        continue;
      }
      out[i] = coder.code(reinterpret_cast<std::uintptr_t>(s));
      if (coder.size() > first.size()) first.push_back(i);
    }
    Rcpp::CharacterVector texts(static_cast<R_xlen_t>(first.size()));
    for (std::size_t i = 0; i < first.size(); ++i)
      texts[static_cast<R_xlen_t>(i)] = STRING_ELT(x, first[i]);
    return coded_cells(out, Rcpp::RObject(texts));
  }
  Rcpp::NumericVector number(x);
  bool ascending = true;  // running numbers need no look-up
  for (R_xlen_t i = 0; ascending && i < n; ++i)
    ascending = i == 0 ? !ISNAN(number[0]) : number[i] > number[i - 1];
  std::vector<double> distinct;
  for (R_xlen_t i = 0; i < n; ++i) {
    if (ISNAN(number[i])) {
      out[i] = NA_INTEGER;
      continue;
    }
    if (ascending) {
      out[i] = static_cast<int>(i) + 1;
      continue;
    }
    const double value = number[i] == 0 ? 0 : number[i];
    std::uint64_t bits;
    std::memcpy(&bits, &value, sizeof bits);
    out[i] = coder.code(bits);
    if (coder.size() > distinct.size()) distinct.push_back(value);
  }
  const double* values = ascending ? number.begin() : distinct.data();
  auto store = std::make_shared<nubrek::TextStore>();
  char buffer[64];
  for (std::size_t i = 0, all = ascending ? static_cast<std::size_t>(n) : distinct.size(); i < all;
       ++i) {
    store->add(
        {buffer, static_cast<std::size_t>(
                     nubrek::shortest_text(values[i] == 0 ? 0 : values[i], buffer) - buffer)});
  }
  return coded_cells(out, store);
}

// Whether any cell of a coded column is missing.
// [[Rcpp::export(rng = false)]]
bool cpp_any_missing(Rcpp::IntegerVector codes) {
  for (const int code : codes)
    if (code == NA_INTEGER) return true;
  return false;
}

// Whether no cell of a coded column is the same as another: as many distinct texts as rows.
// [[Rcpp::export(rng = false)]]
bool cpp_all_distinct(Rcpp::IntegerVector codes, int n_texts) {
  if (codes.size() > n_texts) return false;
  std::vector<bool> seen(static_cast<std::size_t>(n_texts) + 1);
  for (const int code : codes) {
    const std::size_t at = code == NA_INTEGER ? 0 : static_cast<std::size_t>(code);
    if (seen[at]) return false;
    seen[at] = true;
  }
  return true;
}

// The rows (from 1) that equal an earlier one in all of the columns of codes.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_repeated_rows(Rcpp::List columns) {
  std::vector<const int*> codes;
  R_xlen_t n = 0;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    Rcpp::IntegerVector column = columns[k];
    codes.push_back(column.begin());
    n = column.size();
  }
  std::vector<int> again;
  std::vector<int> first;  // of each distinct hash, its first row
  nubrek::KeyCoder coder;
  bool collided = false;
  for (R_xlen_t i = 0; i < n && !collided; ++i) {
    if (i % 262144 == 0) Rcpp::checkUserInterrupt();
    std::uint64_t h = 0;
    for (const int* column : codes)
      h = nubrek::mix_bits(h ^ static_cast<std::uint32_t>(column[i])) + 0x9E3779B97F4A7C15ULL;
    const std::size_t place = static_cast<std::size_t>(coder.code(h)) - 1;
    if (place == first.size()) {
      first.push_back(static_cast<int>(i));
      continue;
    }
    for (const int* column : codes)
      if (column[i] != column[first[place]]) collided = true;
    again.push_back(static_cast<int>(i) + 1);
  }
  if (collided) {  // two different rows with one hash: number them pair by pair instead
    std::vector<int> unit(static_cast<std::size_t>(n), 0);
    for (const int* column : codes) {
      nubrek::KeyCoder pairs;
      for (R_xlen_t i = 0; i < n; ++i) {
        int& u = unit[static_cast<std::size_t>(i)];
        u = pairs.code((static_cast<std::uint64_t>(static_cast<std::uint32_t>(u)) << 32) |
                       static_cast<std::uint32_t>(column[i]));
      }
    }
    again.clear();
    std::vector<bool> seen(static_cast<std::size_t>(n) + 1);
    for (R_xlen_t i = 0; i < n; ++i) {
      const std::size_t u = static_cast<std::size_t>(unit[static_cast<std::size_t>(i)]);
      if (seen[u]) again.push_back(static_cast<int>(i) + 1);
      seen[u] = true;
    }
  }
  return Rcpp::wrap(again);
}
