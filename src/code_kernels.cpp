#include "code_kernels.h"
#include <cmath>
#include <cstring>
#include "money_kernels.h"
#include "regular_file.h"
#include "threads.h"

namespace nubrek {
namespace {

bool ascending(const double* x, std::size_t n) {
  if (n > 0 && std::isnan(x[0])) return false;
  for (std::size_t i = 1; i < n; ++i)
    if (!(x[i] > x[i - 1])) return false;
  return true;
}

void add_number(TextStore& store, double x) {
  char buffer[64];
  const char* end = shortest_text(x == 0 ? 0 : x, buffer);
  store.add({buffer, static_cast<std::size_t>(end - buffer)});
}

std::uint64_t row_hash(const std::vector<const int*>& columns, std::size_t i) {
  std::uint64_t h = 0;
  for (const int* column : columns)
    h = mix_bits(h ^ static_cast<std::uint32_t>(column[i])) + 0x9E3779B97F4A7C15ULL;
  return h;
}

// Where two different rows have one hash, rows are numbered pair by pair instead.
std::vector<int> repeated_by_pairs(const std::vector<const int*>& columns, std::size_t n) {
  std::vector<int> unit(n, 0), out;
  for (const int* column : columns) {
    KeyCoder pairs;
    for (std::size_t i = 0; i < n; ++i)
      unit[i] = pairs.code((static_cast<std::uint64_t>(static_cast<std::uint32_t>(unit[i])) << 32) |
                           static_cast<std::uint32_t>(column[i]));
  }
  std::vector<bool> seen(n + 1);
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t u = static_cast<std::size_t>(unit[i]);
    if (seen[u]) out.push_back(static_cast<int>(i) + 1);
    seen[u] = true;
  }
  return out;
}

}  // namespace

std::shared_ptr<TextStore> code_numbers(const double* x, std::size_t n, int missing, int* out) {
  auto store = std::make_shared<TextStore>();
  if (ascending(x, n)) {  // running numbers need no look-up
    for (std::size_t i = 0; i < n; ++i) {
      out[i] = static_cast<int>(i) + 1;
      add_number(*store, x[i]);
    }
    return store;
  }
  KeyCoder coder;
  for (std::size_t i = 0; i < n; ++i) {
    if (std::isnan(x[i])) {
      out[i] = missing;
      continue;
    }
    const double value = x[i] == 0 ? 0 : x[i];
    std::uint64_t bits;
    std::memcpy(&bits, &value, sizeof bits);
    out[i] = coder.code(bits);
    if (coder.size() > store->size()) add_number(*store, value);
  }
  return store;
}

bool all_readable(const std::vector<Coder>& coders, int threads) {
  std::vector<char> fine(coders.size());
  run_tasks(coders.size(), threads, [&](std::size_t k) { fine[k] = readable(*coders[k].store()); });
  for (const char ok : fine)
    if (!ok) return false;
  return true;
}

bool all_distinct(const int* codes, std::size_t n, int missing, std::size_t n_texts) {
  if (n > n_texts) return false;
  std::vector<bool> seen(n_texts + 1);
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t place = codes[i] == missing ? 0 : static_cast<std::size_t>(codes[i]);
    if (seen[place]) return false;
    seen[place] = true;
  }
  return true;
}

std::vector<int> repeated_rows(const std::vector<const int*>& columns, std::size_t n) {
  std::vector<int> again;
  std::vector<std::size_t> first;  // of each distinct hash, its first row
  KeyCoder coder;
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t place = static_cast<std::size_t>(coder.code(row_hash(columns, i))) - 1;
    if (place == first.size()) {
      first.push_back(i);
      continue;
    }
    for (const int* column : columns)
      if (column[i] != column[first[place]]) return repeated_by_pairs(columns, n);
    again.push_back(static_cast<int>(i) + 1);
  }
  return again;
}

}  // namespace nubrek
