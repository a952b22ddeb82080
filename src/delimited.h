// Regular delimited text, split into cells: every line has the header's number of cells, a quote stands only around a whole cell.
#pragma once
#include <string_view>
#include <vector>

namespace nubrek {

// The cells of a run of whole lines, column by column. Blank lines are no rows.
struct Block {
  std::vector<std::vector<std::string_view>> cells;
  bool regular = true;
  std::size_t rows() const { return cells.empty() ? 0 : cells[0].size(); }
};

void split_cells(const char* from, const char* to, char separator, std::size_t n_columns, Block& out);

// Whether bytes are valid UTF-8.
bool is_utf8(std::string_view text);

}  // namespace nubrek
