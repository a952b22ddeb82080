// Columns of text, whole numbers and days of Parquet files, straight to codes of their texts:
// dictionary pages hold each text once, and no R string is made of any. Reads what is common (flat
// tables, plain and dictionary pages, uncompressed or Snappy); whatever else is found is refused,
// for a general reader to take.
#pragma once
#include <cstdint>
#include <stdexcept>
#include <string>
#include <vector>
#include "coding.h"

namespace nubrek {

struct ParquetChunk {
  std::int64_t from = 0, bytes = 0, values = 0;
  int codec = 0;
};
enum class ParquetKind { text, whole32, whole64, day, other };
struct ParquetColumn {
  std::string name;
  ParquetKind kind = ParquetKind::other;
  bool optional = false;
  std::vector<ParquetChunk> chunks;
};
struct ParquetTable {
  std::vector<ParquetColumn> columns;
  std::int64_t rows = 0;
};

struct ParquetRefused : std::runtime_error {
  using std::runtime_error::runtime_error;
};

// The footer. Throws `ParquetRefused`.
ParquetTable parquet_table(const std::string& path);

// Appends the codes of a column (`missing` where there is none). Throws `ParquetRefused`.
void code_parquet_column(const std::string& path, const ParquetColumn& column, int missing,
                         Coder& coder, std::vector<int>& out);

// The columns of files of one shape that are read here; those that hold anything unusual are left
// out. False where a file cannot be looked into or has other columns.
struct ParquetTextColumn {
  std::string name;
  ParquetKind kind;
  std::vector<int> codes;
  std::shared_ptr<TextStore> texts;
};
struct ParquetTexts {
  std::vector<std::string> names;  // of all columns
  std::vector<int> rows;           // of each file
  std::vector<ParquetTextColumn> columns;
};
bool read_parquet_texts(const std::vector<std::string>& files, int missing, int threads,
                        ParquetTexts& out);

}  // namespace nubrek
