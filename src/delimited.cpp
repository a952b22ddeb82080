#include "delimited.h"
#include <cstring>

namespace nubrek {

void split_cells(const char* from, const char* to, char separator, std::size_t n_columns,
                 Block& out) {
  out.cells.resize(n_columns);
  for (auto& column : out.cells) column.clear();
  out.regular = true;
  bool ends[256] = {};  // bytes that end an unquoted cell or do not belong into one
  for (const char c : {separator, '\n', '\r', '"', '\0'})
    ends[static_cast<unsigned char>(c)] = true;
  const char* p = from;
  while (p < to) {
    if (*p == '\n') {
      ++p;
      continue;
    }
    if (*p == '\r' && p + 1 < to && p[1] == '\n') {
      p += 2;
      continue;
    }
    for (std::size_t k = 0;; ++k) {
      if (k == n_columns) {
        out.regular = false;
        return;
      }
      const char* start = p;
      if (p < to && *p == '"') {
        ++start;
        const char* close =
            static_cast<const char*>(std::memchr(start, '"', static_cast<std::size_t>(to - start)));
        if (!close || std::memchr(start, '\n', static_cast<std::size_t>(close - start)) ||
            std::memchr(start, '\r', static_cast<std::size_t>(close - start))) {
          out.regular = false;
          return;
        }
        out.cells[k].emplace_back(start, static_cast<std::size_t>(close - start));
        p = close + 1;
      } else {
        while (p < to && !ends[static_cast<unsigned char>(*p)]) ++p;
        out.cells[k].emplace_back(start, static_cast<std::size_t>(p - start));
      }
      if (p < to && *p == separator) {
        ++p;
        continue;
      }
      if (p < to && *p == '\r') ++p;
      if ((p < to && *p != '\n') || k + 1 != n_columns) {
        out.regular = false;
        return;
      }
      if (p < to) ++p;
      break;
    }
  }
}

bool is_utf8(std::string_view text) {
  const auto* p = reinterpret_cast<const unsigned char*>(text.data());
  const auto* end = p + text.size();
  while (p < end) {
    if (*p < 0x80) {
      ++p;
      continue;
    }
    int more = 0;
    unsigned code = 0;
    if (*p >= 0xC2 && *p <= 0xDF) {
      more = 1;
      code = *p & 0x1F;
    } else if (*p >= 0xE0 && *p <= 0xEF) {
      more = 2;
      code = *p & 0x0F;
    } else if (*p >= 0xF0 && *p <= 0xF4) {
      more = 3;
      code = *p & 0x07;
    } else
      return false;
    if (end - p <= more) return false;
    for (int i = 1; i <= more; ++i) {
      if ((p[i] & 0xC0) != 0x80) return false;
      code = (code << 6) | (p[i] & 0x3Fu);
    }
    if ((more == 2 && code < 0x800) || (more == 3 && (code < 0x10000 || code > 0x10FFFF)) ||
        (code >= 0xD800 && code <= 0xDFFF))
      return false;
    p += more + 1;
  }
  return true;
}

}  // namespace nubrek
