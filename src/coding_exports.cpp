#include <Rcpp.h>
#include <cstdio>
#include <cstring>
#include "coding.h"
#include "delimited.h"
#include "lazy_text.h"
#include "money_kernels.h"
#include "threads.h"

namespace {
using nubrek::Block;
using nubrek::Coder;

constexpr std::size_t kChunk = 4u << 20;

// A factor: codes, and the distinct texts in order of first appearance.
SEXP coded_cells(Rcpp::IntegerVector codes, SEXP texts) {
  codes.attr("levels") = texts;
  codes.attr("class") = "factor";
  return codes;
}

// One column while it is read: its coder, and the codes of each run of rows.
struct Column {
  Coder coder;
  std::vector<std::vector<int>> codes;
  void take(const std::vector<std::string_view>& cells) {
    codes.emplace_back(cells.size());
    coder.code(cells.data(), cells.size(), codes.back().data());
  }
  SEXP finish(std::size_t rows) {
    Rcpp::IntegerVector all = Rcpp::no_init(static_cast<R_xlen_t>(rows));
    int* to = all.begin();
    for (auto& run : codes) {
      if (!run.empty()) std::memcpy(to, run.data(), run.size() * sizeof(int));
      to += run.size();
      std::vector<int>().swap(run);
    }
    auto store = coder.store();
    coder = Coder();
    store->trim_room();
    return coded_cells(all, nubrek::text_vector({store, {}}));
  }
};

bool readable(const nubrek::TextStore& store) {
  const std::string_view all = store.bytes();
  bool ascii = true;
  for (const char c : all) if (static_cast<unsigned char>(c) > 127) { ascii = false; break; }
  if (ascii) return true;
  for (std::size_t i = 0; i < store.size(); ++i) if (!nubrek::is_utf8(store[i])) return false;
  return true;
}

// A regular file, chunk by chunk: lines are split by all threads, then columns are coded by all threads.
class RegularFile {
 public:
  RegularFile(const std::string& path, char separator, std::size_t n_columns, int threads)
    : file_(std::fopen(path.c_str(), "rb")), separator_(separator), n_columns_(n_columns), threads_(threads), blocks_(static_cast<std::size_t>(threads)) {
    if (!file_) Rcpp::stop("cannot open the file");
  }
  ~RegularFile() { std::fclose(file_); }
  std::size_t rows() const { return rows_; }
  std::size_t bytes() const { return bytes_; }

  // Reads on; false at the end or where the text is not regular (see `regular()`).
  bool step(std::vector<Column>& columns) {
    if (!fill()) return false;
    const char* from = buffer_.data();
    const char* to = from + whole_;
    if (first_) { first_ = false; if (!skip_header(from, to)) return regular_ = false; }
    std::vector<const char*> cuts{from};
    for (int i = 1; i < threads_; ++i) {
      const char* cut = from + (to - from) * i / threads_;
      const char* line_end = static_cast<const char*>(std::memchr(cut, '\n', static_cast<std::size_t>(to - cut)));
      cuts.push_back(line_end ? line_end + 1 : to);
    }
    cuts.push_back(to);
    nubrek::run_tasks(blocks_.size(), threads_, [&](std::size_t i) { nubrek::split_cells(cuts[i], cuts[i + 1], separator_, n_columns_, blocks_[i]); });
    for (const Block& block : blocks_) if (!block.regular) return regular_ = false;
    nubrek::run_tasks(n_columns_, threads_, [&](std::size_t k) { for (const Block& block : blocks_) columns[k].take(block.cells[k]); });
    for (const Block& block : blocks_) rows_ += block.rows();
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
      if (buffer_.size() < held_ + kChunk) buffer_.resize(held_ + kChunk);
      const std::size_t got = std::fread(buffer_.data() + held_, 1, kChunk, file_);
      bytes_ += got;
      const std::size_t seen = held_;
      held_ += got;
      if (got == 0) { whole_ = held_; return held_ > 0; }
      for (std::size_t i = held_; i > seen; --i) if (buffer_[i - 1] == '\n') { whole_ = i; return true; }
    }
  }
  bool skip_header(const char*& from, const char* to) {
    if (to - from >= 3 && !std::memcmp(from, "\xEF\xBB\xBF", 3)) from += 3;
    const char* end = static_cast<const char*>(std::memchr(from, '\n', static_cast<std::size_t>(to - from)));
    if (!end) return false;
    nubrek::split_cells(from, end + 1, separator_, n_columns_, blocks_[0]);
    from = end + 1;
    return blocks_[0].regular && blocks_[0].rows() == 1;
  }

  std::FILE* file_;
  const char separator_;
  const std::size_t n_columns_;
  const int threads_;
  std::vector<Block> blocks_;
  std::vector<char> buffer_;
  std::size_t held_ = 0, whole_ = 0, rows_ = 0, bytes_ = 0;
  bool first_ = true, regular_ = true;
};
}  // namespace

// The columns of regular delimited files as factors and the rows of each file; NULL where a file is not regular or not UTF-8.
// `tick` is called with the bytes read so far, now and then.
// [[Rcpp::export(rng = false)]]
SEXP cpp_read_coded(Rcpp::CharacterVector paths, std::string separator, int n_columns, int threads, Rcpp::Function tick) {
  std::vector<Column> columns(static_cast<std::size_t>(n_columns));
  Rcpp::IntegerVector rows(paths.size());
  std::size_t all = 0;
  double bytes = 0;
  for (R_xlen_t f = 0; f < paths.size(); ++f) {
    RegularFile file(Rcpp::as<std::string>(paths[f]), separator[0], static_cast<std::size_t>(n_columns), threads);
    for (int chunk = 1; file.step(columns); ++chunk) {
      Rcpp::checkUserInterrupt();
      if (chunk % 16 == 0) tick(bytes + static_cast<double>(file.bytes()));
    }
    if (!file.regular() || file.rows() == 0 || all + file.rows() > 2147483646u) return R_NilValue;
    rows[f] = static_cast<int>(file.rows());
    all += file.rows();
    bytes += static_cast<double>(file.bytes());
  }
  std::vector<char> fine(columns.size());
  nubrek::run_tasks(columns.size(), threads, [&](std::size_t k) { fine[k] = readable(*columns[k].coder.store()); });
  for (const char ok : fine) if (!ok) return R_NilValue;
  Rcpp::List out(n_columns);
  for (R_xlen_t k = 0; k < out.size(); ++k) out[k] = columns[static_cast<std::size_t>(k)].finish(all);
  return Rcpp::List::create(Rcpp::_["columns"] = out, Rcpp::_["rows"] = rows);
}

// Any column as a factor of its distinct texts. Strings are told apart by their address (R holds each once per encoding), numbers by
// value; numbers become the shortest text that reads back as the same.
// [[Rcpp::export(rng = false)]]
SEXP cpp_code_column(SEXP x) {
  const R_xlen_t n = Rf_xlength(x);
  Rcpp::IntegerVector out = Rcpp::no_init(n);
  nubrek::KeyCoder coder;
  if (TYPEOF(x) == STRSXP) {
    std::vector<R_xlen_t> first;
    for (R_xlen_t i = 0; i < n; ++i) {
      SEXP s = STRING_ELT(x, i);
      if (s == NA_STRING) { out[i] = NA_INTEGER; continue; }
      out[i] = coder.code(reinterpret_cast<std::uintptr_t>(s));
      if (coder.size() > first.size()) first.push_back(i);
    }
    Rcpp::CharacterVector texts(static_cast<R_xlen_t>(first.size()));
    for (std::size_t i = 0; i < first.size(); ++i) texts[static_cast<R_xlen_t>(i)] = STRING_ELT(x, first[i]);
    return coded_cells(out, texts);
  }
  Rcpp::NumericVector number(x);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (ISNAN(number[i])) { out[i] = NA_INTEGER; continue; }
    const double value = number[i] == 0 ? 0 : number[i];
    std::uint64_t bits;
    std::memcpy(&bits, &value, sizeof bits);
    out[i] = coder.code(bits);
  }
  auto store = std::make_shared<nubrek::TextStore>();
  char buffer[64];
  for (std::size_t i = 0; i < coder.size(); ++i) {
    double value;
    const std::uint64_t bits = coder.key(i);
    std::memcpy(&value, &bits, sizeof value);
    store->add({buffer, static_cast<std::size_t>(nubrek::shortest_text(value, buffer) - buffer)});
  }
  return coded_cells(out, nubrek::text_vector({store, {}}));
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
  for (R_xlen_t k = 0; k < columns.size(); ++k) { Rcpp::IntegerVector column = columns[k]; codes.push_back(column.begin()); n = column.size(); }
  std::vector<int> again;
  std::vector<int> first;       // of each distinct hash, its first row
  nubrek::KeyCoder coder;
  bool collided = false;
  for (R_xlen_t i = 0; i < n && !collided; ++i) {
    if (i % 262144 == 0) Rcpp::checkUserInterrupt();
    std::uint64_t h = 0;
    for (const int* column : codes) h = nubrek::mix_bits(h ^ static_cast<std::uint32_t>(column[i])) + 0x9E3779B97F4A7C15ULL;
    const std::size_t place = static_cast<std::size_t>(coder.code(h)) - 1;
    if (place == first.size()) { first.push_back(static_cast<int>(i)); continue; }
    for (const int* column : codes) if (column[i] != column[first[place]]) collided = true;
    again.push_back(static_cast<int>(i) + 1);
  }
  if (collided) {               // two different rows with one hash: number them pair by pair instead
    std::vector<int> unit(static_cast<std::size_t>(n), 0);
    for (const int* column : codes) {
      nubrek::KeyCoder pairs;
      for (R_xlen_t i = 0; i < n; ++i) {
        int& u = unit[static_cast<std::size_t>(i)];
        u = pairs.code((static_cast<std::uint64_t>(static_cast<std::uint32_t>(u)) << 32) | static_cast<std::uint32_t>(column[i]));
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
