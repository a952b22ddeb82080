// Regular delimited files as codes, chunk by chunk: lines are split by all threads, then columns
// are coded by all threads. Knows no R.
#pragma once
#include <string>
#include <vector>
#include "coding.h"
#include "delimited.h"
#include "input_file.h"

namespace nubrek {

// The lines of a file: no fewer than its rows.
std::size_t count_lines(const std::string& path);

// Whether all texts of a store are UTF-8.
bool readable(const TextStore& store);

// The columns while they are read: a coder each, and where its codes go.
struct CodedColumns {
  std::vector<Coder> coders;
  std::vector<int*> codes;
  std::size_t rows = 0;
};

struct RegularShape {
  char separator;
  std::size_t columns;
  std::size_t chunk;  // bytes looked at at a time
  int threads;
};

class RegularFile {
 public:
  RegularFile(const std::string& path, const RegularShape& shape);
  std::size_t rows() const { return rows_; }
  std::size_t bytes() const { return bytes_; }
  bool regular() const { return regular_; }

  // Reads on; false at the end or where the text is not regular (see `regular()`).
  bool step(CodedColumns& columns);

 private:
  bool fill();
  bool skip_header(const char*& from, const char* to);
  void split(const char* from, const char* to);

  InputFile file_;
  const RegularShape shape_;
  std::vector<Block> blocks_;
  std::vector<char> buffer_;
  std::size_t held_ = 0, whole_ = 0, rows_ = 0, bytes_ = 0;
  bool first_ = true, regular_ = true;
};

}  // namespace nubrek
