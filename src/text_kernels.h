// What is asked of texts as bytes. No R: `Texts` is anything with `size()`, `missing(i)` and `[i]`.
#pragma once
#include <algorithm>
#include <cstdint>
#include <cstdio>
#include <memory>
#include <string>
#include <string_view>
#include <vector>
#include "text_store.h"
#include "threads.h"

namespace nubrek {

inline bool plain_blank(char c) {
  return c == ' ' || (c >= '\t' && c <= '\r');
}

// Bytes beyond ASCII.
inline bool is_wide(std::string_view s) {
  return std::any_of(s.begin(), s.end(),
                     [](char c) { return static_cast<unsigned char>(c) > 127; });
}

// A blank at an edge, or what may be half of a no-break blank.
inline bool has_blank_edge(std::string_view s) {
  return plain_blank(s.front()) || plain_blank(s.back()) || s.front() == '\xC2' ||
         s.back() == '\xA0';
}

// Nothing but blanks, no-break ones too.
inline bool is_blank(std::string_view s) {
  for (std::size_t k = 0; k < s.size(); ++k) {
    if (plain_blank(s[k])) continue;
    if (s[k] != '\xC2' || k + 1 == s.size() || s[k + 1] != '\xA0') return false;
    ++k;
  }
  return true;
}

struct TextFlags {
  bool wide = false, edge = false;
};

template <class Texts>
TextFlags text_flags(const Texts& text) {
  TextFlags out;
  const char* before = nullptr;
  for (std::size_t i = 0; i < text.size() && !(out.wide && out.edge); ++i) {
    if (text.missing(i)) continue;
    const std::string_view s = text[i];
    if (s.data() == before || s.empty()) continue;  // runs of one value are looked at once
    before = s.data();
    out.wide = out.wide || is_wide(s);
    out.edge = out.edge || has_blank_edge(s);
  }
  return out;
}

// Texts that lie anywhere are fetched before they are needed.
template <class Texts>
void look_ahead(const Texts& text, std::size_t i) {
  text.prefetch_place(i + 32);
  text.prefetch_text(i + 16);
}

// Whether each text is above the one before.
template <class Texts>
bool ascends(const Texts& text) {
  for (std::size_t i = 1; i < text.size(); ++i) {
    look_ahead(text, i);
    if (text[i - 1] >= text[i]) return false;
  }
  return true;
}

// The length of what all texts begin with.
template <class Texts>
std::size_t common_start(const Texts& text) {
  std::size_t common = text[0].size();
  for (std::size_t i = 1; i < text.size() && common > 0; ++i) {
    const std::string_view s = text[i];
    common = std::min(common, s.size());
    std::size_t same = 0;
    while (same < common && s[same] == text[0][same]) ++same;
    common = same;
  }
  return common;
}

// The places (from 1) of texts in the order of their bytes, equal ones in their own. What all begin
// with says nothing; the eight bytes behind it decide nearly always.
template <class Texts>
std::vector<int> order_texts(const Texts& text) {
  struct Key {
    std::uint64_t head;
    int place;
  };
  const std::size_t n = text.size(), common = n > 0 ? common_start(text) : 0;
  std::vector<Key> keys(n);
  for (std::size_t i = 0; i < n; ++i) {
    const std::string_view s = text[i].substr(common);
    std::uint64_t head = 0;
    for (std::size_t k = 0; k < 8; ++k)
      head = (head << 8) | (k < s.size() ? static_cast<unsigned char>(s[k]) : 0);
    keys[i] = {head, static_cast<int>(i)};
  }
  const auto text_at = [&](const Key& key) { return text[static_cast<std::size_t>(key.place)]; };
  std::sort(keys.begin(), keys.end(), [&](const Key& a, const Key& b) {
    if (a.head != b.head) return a.head < b.head;
    const int by_text = text_at(a).compare(text_at(b));
    return by_text != 0 ? by_text < 0 : a.place < b.place;
  });
  std::vector<int> out(n);
  for (std::size_t i = 0; i < n; ++i) out[i] = keys[i].place + 1;
  return out;
}

// The texts from `from` to `to`, a line each; false where one is missing or holds a line break.
template <class Texts>
bool append_lines(const Texts& text, std::size_t from, std::size_t to, std::string& lines) {
  lines.clear();
  for (std::size_t i = from; i < to; ++i) {
    look_ahead(text, i);
    if (text.missing(i)) return false;
    lines.append(text[i]).push_back('\n');
  }
  return std::count(lines.begin(), lines.end(), '\n') == static_cast<std::ptrdiff_t>(to - from) &&
         lines.find('\r') == std::string::npos;
}

// Texts, a line each, into a file; false (and nothing of use in the file) where one is missing or
// holds a line break. Stretches are put together by all threads and written in their order.
template <class Texts>
bool write_lines(const Texts& text, const std::string& path, int threads) {
  constexpr std::size_t kStretch = 1u << 16;
  std::FILE* file = std::fopen(path.c_str(), "wb");
  if (!file) return false;
  const std::size_t n = text.size(), wide = static_cast<std::size_t>(threads);
  std::vector<std::string> lines(wide);
  std::vector<char> sound(wide);
  bool fine = true;
  for (std::size_t at = 0; fine && at < n; at += wide * kStretch) {
    const std::size_t here = std::min(wide, (n - at + kStretch - 1) / kStretch);
    run_tasks(here, threads, [&](std::size_t k) {
      const std::size_t from = at + k * kStretch;
      sound[k] = append_lines(text, from, std::min(n, from + kStretch), lines[k]);
    });
    for (std::size_t k = 0; fine && k < here; ++k)
      fine = sound[k] && std::fwrite(lines[k].data(), 1, lines[k].size(), file) == lines[k].size();
  }
  return std::fclose(file) == 0 && fine;
}

// The place (from 1) of each text among sorted ones that differ, 0 where it is not there. Texts
// that ascend too are found by steps that double, from where the last one was.
template <class Texts>
std::vector<int> sorted_places(const Texts& text, const Texts& sorted) {
  std::vector<int> out(text.size(), 0);
  std::size_t at = 0;  // no earlier one can be the text, as long as texts ascend
  const std::size_t n = sorted.size();
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text.missing(i)) continue;
    const std::string_view wanted = text[i];
    if (at > 0 && sorted[at - 1] >= wanted) at = 0;
    std::size_t low = at, step = 1;
    while (low + step < n && sorted[low + step] < wanted) {
      low += step;
      step *= 2;
    }
    std::size_t high = std::min(n, low + step + 1);
    while (low < high) {
      const std::size_t middle = low + (high - low) / 2;
      if (sorted[middle] < wanted) {
        low = middle + 1;
      } else {
        high = middle;
      }
    }
    at = low;
    if (at < n && sorted[at] == wanted) out[i] = static_cast<int>(at) + 1;
  }
  return out;
}

// The line (from 0, the header) of the first NUL byte of a file, or -1.
std::ptrdiff_t first_nul_row(const std::string& path);

// The lines of a file that `write_lines()` wrote. Throws where it cannot be opened or is cut short.
std::shared_ptr<TextStore> read_lines(const std::string& path);

// A delimited file as the text of its columns; of its header alone where `header_only`. `mark`:
// whether a mark at its end was left out. `fault` where it is no table.
struct TextTable {
  std::vector<std::string> names;
  std::vector<TextStore> columns;
  bool mark = false;
  const char* fault = nullptr;
  std::size_t row = 0;  // of the fault
};
TextTable read_table(const std::string& path, char separator, bool header_only);

}  // namespace nubrek
