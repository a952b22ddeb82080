#include "regular_file.h"
#include <cstring>
#include "threads.h"

namespace nubrek {
namespace {

const char* line_end(const char* from, const char* to) {
  return static_cast<const char*>(std::memchr(from, '\n', static_cast<std::size_t>(to - from)));
}

}  // namespace

std::size_t count_lines(const std::string& path) {
  InputFile file(path);
  std::vector<char> buffer(1u << 22);
  std::size_t lines = 0;
  char last = '\n';
  for (std::size_t got; (got = file.read(buffer.data(), buffer.size())) > 0;) {
    const char* end = buffer.data() + got;
    for (const char* p = buffer.data(); p < end && (p = line_end(p, end)); ++p) ++lines;
    last = end[-1];
  }
  return lines + (last != '\n');
}

bool readable(const TextStore& store) {
  const std::string_view all = store.bytes();
  unsigned char seen = 0;
  for (const char c : all) seen |= static_cast<unsigned char>(c);
  if (seen < 128) return true;
  for (std::size_t i = 0; i < store.size(); ++i)
    if (!is_utf8(store[i])) return false;
  return true;
}

RegularFile::RegularFile(const std::string& path, const RegularShape& shape)
    : file_(path), shape_(shape), blocks_(static_cast<std::size_t>(shape.threads)) {}

bool RegularFile::step(CodedColumns& columns) {
  if (!fill()) return false;
  const char* from = buffer_.data();
  const char* to = from + whole_;
  if (first_) {
    first_ = false;
    if (!skip_header(from, to)) return regular_ = false;
  }
  split(from, to);
  for (const Block& block : blocks_)
    if (!block.regular) return regular_ = false;
  run_tasks(shape_.columns, shape_.threads, [&](std::size_t k) {
    int* place = columns.codes[k] + columns.rows;
    for (const Block& block : blocks_) {
      columns.coders[k].code(block.cells[k].data(), block.rows(), place);
      place += block.rows();
    }
  });
  for (const Block& block : blocks_) {
    rows_ += block.rows();
    columns.rows += block.rows();
  }
  return true;
}

// Whole lines, a block for each thread.
void RegularFile::split(const char* from, const char* to) {
  std::vector<const char*> cuts{from};
  for (int i = 1; i < shape_.threads; ++i) {
    const char* end = line_end(from + (to - from) * i / shape_.threads, to);
    cuts.push_back(end ? end + 1 : to);
  }
  cuts.push_back(to);
  run_tasks(blocks_.size(), shape_.threads, [&](std::size_t i) {
    split_cells(cuts[i], cuts[i + 1], shape_.separator, shape_.columns, blocks_[i]);
  });
}

// The next chunk of whole lines in the buffer: what was left of the last one, and more.
bool RegularFile::fill() {
  const std::size_t left = held_ - whole_;
  if (left > 0 && whole_ > 0) std::memmove(buffer_.data(), buffer_.data() + whole_, left);
  held_ = left;
  whole_ = 0;
  for (;;) {
    if (buffer_.size() < held_ + shape_.chunk) buffer_.resize(held_ + shape_.chunk);
    const std::size_t got = file_.read(buffer_.data() + held_, shape_.chunk);
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

bool RegularFile::skip_header(const char*& from, const char* to) {
  if (to - from >= 3 && !std::memcmp(from, "\xEF\xBB\xBF", 3)) from += 3;
  const char* end = line_end(from, to);
  if (!end) return false;
  split_cells(from, end + 1, shape_.separator, shape_.columns, blocks_[0]);
  from = end + 1;
  return blocks_[0].regular && blocks_[0].rows() == 1;
}

}  // namespace nubrek
