#include "text_kernels.h"
#include <algorithm>
#include <cstring>
#include <filesystem>
#include <stdexcept>
#include "delimited.h"
#include "input_file.h"

namespace nubrek {
namespace {

constexpr std::size_t kBuffer = 1u << 20;

std::string read_bytes(const std::string& path, std::size_t enough) {
  InputFile file(path);
  std::string out;
  std::vector<char> buffer(kBuffer);
  for (std::size_t got; out.size() < enough && (got = file.read(buffer.data(), buffer.size())) > 0;)
    out.append(buffer.data(), got);
  return out;
}

// A last line of a single ^Z is the end of a file on old systems.
bool ends_with_mark(std::string_view text) {
  return text.size() > 1 && text.back() == '\x1a' &&
         (text[text.size() - 2] == '\n' || text[text.size() - 2] == '\r');
}

}  // namespace

std::shared_ptr<TextStore> read_lines(const std::string& path) {
  InputFile file(path);
  auto store = std::make_shared<TextStore>();
  std::vector<char> buffer(kBuffer);
  std::string rest;
  // the lines to come are about as long as those at the start
  const std::size_t size = static_cast<std::size_t>(std::filesystem::file_size(path));
  bool first = true;
  for (std::size_t got; (got = file.read(buffer.data(), buffer.size())) > 0;) {
    const char* p = buffer.data();
    const char* end = p + got;
    while (const char* line_end =
               static_cast<const char*>(std::memchr(p, '\n', static_cast<std::size_t>(end - p)))) {
      const std::string_view piece(p, static_cast<std::size_t>(line_end - p));
      if (rest.empty()) {
        store->add(piece);
      } else {
        rest.append(piece);
        store->add(rest);
        rest.clear();
      }
      p = line_end + 1;
    }
    rest.append(p, static_cast<std::size_t>(end - p));
    if (first) store->reserve(size / got * (store->size() + 1), size);
    first = false;
  }
  if (!rest.empty()) throw std::runtime_error(path + " is cut short");
  store->trim_room();
  return store;
}

std::ptrdiff_t first_nul_row(const std::string& path) {
  InputFile file(path);
  std::vector<char> buffer(kBuffer);
  std::ptrdiff_t row = 0;
  for (std::size_t got; (got = file.read(buffer.data(), buffer.size())) > 0;) {
    const char* const nul = static_cast<const char*>(std::memchr(buffer.data(), '\0', got));
    const char* const end = nul ? nul : buffer.data() + got;
    row += std::count<const char*>(buffer.data(), end, '\n');
    if (nul) return row;
  }
  return -1;
}

TextTable read_table(const std::string& path, char separator, bool header_only) {
  const std::string bytes = read_bytes(path, header_only ? kBuffer : SIZE_MAX);
  std::string_view text(bytes);
  TextTable out;
  if (text.substr(0, 3) == "\xEF\xBB\xBF") text.remove_prefix(3);
  out.mark = ends_with_mark(text);
  if (out.mark) text.remove_suffix(1);
  std::size_t k = 0;
  bool header = true;
  const Fault fault = read_records(
      text, separator,
      [&](std::string_view cell) {
        if (header) {
          out.names.emplace_back(cell);
        } else if (k++ < out.columns.size()) {
          out.columns[k - 1].add(cell);
        }
      },
      [&](std::size_t) -> const char* {
        if (header) {
          header = false;
          out.columns.resize(out.names.size());
          return header_only ? "" : nullptr;
        }
        const bool whole = k == out.names.size();
        k = 0;
        return whole ? nullptr : "it has another number of cells than the header";
      });
  out.fault = fault.what;
  out.row = fault.row;
  return out;
}

}  // namespace nubrek
