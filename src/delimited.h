// Delimited text, split into cells. Regular text: every line has the header's number of cells, a
// quote stands only around a whole cell without quotes and line breaks in it. Anything else goes
// through `read_records()`, which is slower and reads all of RFC 4180.
#pragma once
#include <string>
#include <string_view>
#include <vector>

namespace nubrek {

// The cells of a run of whole lines, column by column. Blank lines are no rows.
struct Block {
  std::vector<std::vector<std::string_view>> cells;
  bool regular = true;
  std::size_t rows() const { return cells.empty() ? 0 : cells[0].size(); }
};

void split_cells(const char* from, const char* to, char separator, std::size_t n_columns,
                 Block& out);

// What is wrong with a table, and in which row (the header is row 0).
struct Fault {
  const char* what = nullptr;
  std::size_t row = 0;
};

// Hands over the cells of each record, then says that it is over (`row` gives what is wrong with
// it, or "" to stop). A quoted cell may hold anything, a quote in it stands twice; an unquoted one
// is taken as it stands. Lines end with LF, CR LF or CR; those of spaces alone are no records.
template <class Cell, class Row>
Fault read_records(std::string_view text, char separator, const Cell& cell, const Row& row) {
  const char* p = text.data();
  const char* const end = p + text.size();
  const auto at_line_end = [&](const char* q) { return q == end || *q == '\n' || *q == '\r'; };
  std::string undoubled;
  for (std::size_t number = 0; p < end;) {
    const char* first = p;
    while (first < end && *first == ' ') ++first;
    if (at_line_end(first)) {
      p = first == end ? end : first + 1;
      continue;
    }
    for (;;) {
      if (p < end && *p == '"') {
        undoubled.clear();
        for (++p;; p += 2) {
          const char* start = p;
          while (p < end && *p != '"') ++p;
          if (p == end) return {"a quote is opened and never closed", number};
          undoubled.append(start, p);
          if (p + 1 == end || p[1] != '"') break;
          undoubled.push_back('"');
        }
        ++p;
        cell(std::string_view(undoubled));
        if (!at_line_end(p) && *p != separator) return {"more text follows a closed quote", number};
      } else {
        const char* start = p;
        while (!at_line_end(p) && *p != separator) ++p;
        cell(std::string_view(start, static_cast<std::size_t>(p - start)));
      }
      if (p == end || *p != separator) break;
      ++p;
    }
    const char* what = row(number);
    if (what) return {*what ? what : nullptr, number};
    ++number;
  }
  return {};
}

// Whether bytes are valid UTF-8.
bool is_utf8(std::string_view text);

}  // namespace nubrek
