#include <Rcpp.h>
#include <algorithm>
#include <cstdio>
#include <cstring>
#include "coding.h"
#include "delimited.h"
#include "lazy_text.h"

using nubrek::TextView;

// Whether any text holds bytes beyond ASCII, or a blank at its edge: two looks that need no copy.
// [[Rcpp::export(rng = false)]]
Rcpp::LogicalVector cpp_text_flags(SEXP texts) {
  const TextView text(texts);
  bool wide = false, edge = false;
  const char* before = nullptr;
  auto blank = [](char c) { return c == ' ' || (c >= '\t' && c <= '\r'); };
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text.missing(i)) continue;
    const std::string_view s = text[i];
    if (s.data() == before || s.empty()) continue;  // runs of one value are looked at once
    before = s.data();
    if (!wide)
      for (const char c : s)
        if (static_cast<unsigned char>(c) > 127) {
          wide = true;
          break;
        }
    if (!edge)
      edge = blank(s.front()) || blank(s.back()) || static_cast<unsigned char>(s.front()) == 0xC2 ||
             static_cast<unsigned char>(s.back()) == 0xA0;
    if (wide && edge) break;
  }
  return Rcpp::LogicalVector::create(Rcpp::_["wide"] = wide, Rcpp::_["edge"] = edge);
}

// True where a text is missing, empty or blanks only.
// [[Rcpp::export(rng = false)]]
Rcpp::LogicalVector cpp_is_blank(SEXP texts) {
  const TextView text(texts);
  Rcpp::LogicalVector out(static_cast<R_xlen_t>(text.size()));
  for (std::size_t i = 0; i < text.size(); ++i) {
    bool blank = true;
    if (!text.missing(i)) {
      const std::string_view s = text[i];
      for (std::size_t k = 0; blank && k < s.size(); ++k) {
        if (s[k] == ' ' || (s[k] >= '\t' && s[k] <= '\r')) continue;
        if (s[k] == '\xC2' && k + 1 < s.size() && s[k + 1] == '\xA0') {
          ++k;
          continue;
        }
        blank = false;
      }
    }
    out[static_cast<R_xlen_t>(i)] = blank;
  }
  return out;
}

// The places (from 1) of texts in the order of their bytes, which is that of the C locale.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_order_texts(SEXP texts) {
  const TextView text(texts);
  const std::size_t n = text.size();
  Rcpp::IntegerVector out(static_cast<R_xlen_t>(n));
  if (n == 0) return out;
  // what all begin with says nothing; the eight bytes behind it decide nearly always
  std::size_t common = text[0].size();
  for (std::size_t i = 1; i < n && common > 0; ++i) {
    const std::string_view s = text[i];
    common = std::min(common, s.size());
    std::size_t same = 0;
    while (same < common && s[same] == text[0][same]) ++same;
    common = same;
  }
  struct Key {
    std::uint64_t head;
    int place;
  };
  std::vector<Key> keys(n);
  for (std::size_t i = 0; i < n; ++i) {
    const std::string_view s = text[i].substr(common);
    std::uint64_t head = 0;
    for (std::size_t k = 0; k < 8; ++k)
      head = (head << 8) | (k < s.size() ? static_cast<unsigned char>(s[k]) : 0);
    keys[i] = {head, static_cast<int>(i)};
  }
  std::sort(keys.begin(), keys.end(), [&](const Key& a, const Key& b) {
    if (a.head != b.head) return a.head < b.head;
    const int by_text =
        text[static_cast<std::size_t>(a.place)].compare(text[static_cast<std::size_t>(b.place)]);
    return by_text != 0 ? by_text < 0 : a.place < b.place;
  });
  for (std::size_t i = 0; i < n; ++i) out[static_cast<R_xlen_t>(i)] = keys[i].place + 1;
  return out;
}

// Texts, a line each, into a file; false (and nothing of use in the file) where one is missing or
// holds a line break.
// [[Rcpp::export(rng = false)]]
bool cpp_write_lines(SEXP texts, std::string path) {
  const TextView text(texts);
  std::FILE* file = std::fopen(path.c_str(), "wb");
  if (!file) return false;
  bool fine = true;
  std::string lines;
  for (std::size_t i = 0; fine && i < text.size(); ++i) {
    fine = !text.missing(i) && text[i].find_first_of("\r\n") == std::string_view::npos;
    if (!fine) break;
    lines.append(text[i]).push_back('\n');
    if (lines.size() < (1u << 20) && i + 1 < text.size()) continue;
    fine = std::fwrite(lines.data(), 1, lines.size(), file) == lines.size();
    lines.clear();
  }
  return std::fclose(file) == 0 && fine;
}

// The lines of a file that `cpp_write_lines()` wrote.
// [[Rcpp::export(rng = false)]]
SEXP cpp_read_lines(std::string path) {
  std::FILE* file = std::fopen(path.c_str(), "rb");
  if (!file) Rcpp::stop("cannot open %s", path);
  auto store = std::make_shared<nubrek::TextStore>();
  std::vector<char> buffer(1u << 20);
  std::string rest;
  for (std::size_t got; (got = std::fread(buffer.data(), 1, buffer.size(), file)) > 0;) {
    const char* p = buffer.data();
    const char* end = p + got;
    while (const char* line_end =
               static_cast<const char*>(std::memchr(p, '\n', static_cast<std::size_t>(end - p)))) {
      const std::string_view piece(p, static_cast<std::size_t>(line_end - p));
      if (rest.empty())
        store->add(piece);
      else {
        rest.append(piece);
        store->add(rest);
        rest.clear();
      }
      p = line_end + 1;
    }
    rest.append(p, static_cast<std::size_t>(end - p));
  }
  std::fclose(file);
  if (!rest.empty()) Rcpp::stop("%s is cut short", path);
  store->trim_room();
  return nubrek::text_vector({store, {}});
}

// The columns of a delimited file as text, named by its header, or of its header alone; `mark`:
// whether a mark at its end was left out. `fault` and `row` where it is no table.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_read_delimited(std::string path, std::string separator, bool header_only) {
  std::FILE* file = std::fopen(path.c_str(), "rb");
  if (!file) Rcpp::stop("cannot open %s", path);
  std::string bytes;
  std::vector<char> buffer(1u << 20);
  for (std::size_t got; (got = std::fread(buffer.data(), 1, buffer.size(), file)) > 0;) {
    bytes.append(buffer.data(), got);
    if (header_only && bytes.size() >= (1u << 20)) break;
  }
  std::fclose(file);
  std::string_view text(bytes);
  if (text.substr(0, 3) == "\xEF\xBB\xBF") text.remove_prefix(3);
  // a last line of a single ^Z is the end of a file on old systems
  const bool mark = text.size() > 1 && text.back() == '\x1a' &&
                    (text[text.size() - 2] == '\n' || text[text.size() - 2] == '\r');
  if (mark) text.remove_suffix(1);

  struct Cells {
    std::string bytes;
    std::vector<std::size_t> ends;
  };
  std::vector<std::string> names;
  std::vector<Cells> columns;
  std::size_t k = 0, rows = 0;
  const nubrek::Fault fault = nubrek::read_records(
      text, separator[0],
      [&](std::string_view cell) {
        if (rows == 0) {
          names.emplace_back(cell);
          return;
        }
        if (k < columns.size()) {
          columns[k].bytes.append(cell);
          columns[k].ends.push_back(columns[k].bytes.size());
        }
        ++k;
      },
      [&](std::size_t) -> const char* {
        if (rows++ == 0) {
          columns.resize(names.size());
          return header_only ? "" : nullptr;
        }
        const bool whole = k == names.size();
        k = 0;
        return whole ? nullptr : "it has another number of cells than the header";
      });
  if (fault.what)
    return Rcpp::List::create(Rcpp::_["fault"] = fault.what,
                              Rcpp::_["row"] = static_cast<double>(fault.row));
  if (rows > 2147483647u) Rcpp::stop("too many rows");
  const auto text_of = [](const char* at, std::size_t size) {
    if (size > 2147483647u) Rcpp::stop("a cell is too long");
    return Rf_mkCharLenCE(at, static_cast<int>(size), CE_UTF8);
  };
  Rcpp::CharacterVector header(static_cast<R_xlen_t>(names.size()));
  for (std::size_t i = 0; i < names.size(); ++i)
    SET_STRING_ELT(header, static_cast<R_xlen_t>(i), text_of(names[i].data(), names[i].size()));
  Rcpp::List table(static_cast<R_xlen_t>(columns.size()));
  for (std::size_t i = 0; i < columns.size(); ++i) {
    Rcpp::CharacterVector out(static_cast<R_xlen_t>(columns[i].ends.size()));
    for (std::size_t j = 0, from = 0; j < columns[i].ends.size(); from = columns[i].ends[j++]) {
      SET_STRING_ELT(out, static_cast<R_xlen_t>(j),
                     text_of(columns[i].bytes.data() + from, columns[i].ends[j] - from));
    }
    table[static_cast<R_xlen_t>(i)] = out;
    columns[i] = Cells();
  }
  table.names() = header;
  return Rcpp::List::create(Rcpp::_["table"] = table, Rcpp::_["mark"] = mark);
}
