// Ranks by counting: ties are whole, nothing depends on the order of rows.
#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <limits>
#include <vector>
#include "threads.h"

namespace nubrek {

// For each value how many are strictly less and how many strictly more (either may be null).
struct RankCounts {
  int* less;
  int* more;
};

// Whole numbers within a range not much longer than the data: one pass to count, one to read.
template <class T>
bool count_by_value(const T* x, std::size_t n, const RankCounts& out) {
  double low = std::numeric_limits<double>::infinity(), high = -low;
  for (std::size_t i = 0; i < n; ++i) {
    const double v = static_cast<double>(x[i]);
    if (v != std::trunc(v)) return false;
    if (v < low) low = v;
    if (v > high) high = v;
  }
  if (n == 0) return true;
  if (high - low > 4.0 * static_cast<double>(n) + 1e6) return false;
  std::vector<int> below(static_cast<std::size_t>(high - low) + 2, 0);
  for (std::size_t i = 0; i < n; ++i)
    ++below[static_cast<std::size_t>(static_cast<double>(x[i]) - low) + 1];
  for (std::size_t k = 1; k < below.size(); ++k) below[k] += below[k - 1];
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t place = static_cast<std::size_t>(static_cast<double>(x[i]) - low);
    if (out.less) out.less[i] = below[place];
    if (out.more) out.more[i] = static_cast<int>(n) - below[place + 1];
  }
  return true;
}

// Anything else: places sorted by four passes over 16 bits of the value each.
inline void count_by_sorting(const double* x, std::size_t n, const RankCounts& out) {
  struct Item {
    std::uint64_t key;
    std::uint32_t row;
  };
  std::vector<Item> items(n), other(n);
  for (std::size_t i = 0; i < n; ++i) {
    const double v = x[i] == 0 ? 0 : x[i];  // one zero, not two
    std::uint64_t bits;
    std::memcpy(&bits, &v, sizeof bits);
    items[i] = {bits & 0x8000000000000000ULL ? ~bits : bits | 0x8000000000000000ULL,
                static_cast<std::uint32_t>(i)};
  }
  for (int shift = 0; shift < 64; shift += 16) {
    std::vector<std::size_t> start(65537, 0);
    for (const Item& item : items) ++start[((item.key >> shift) & 0xFFFF) + 1];
    bool single = false;
    for (const std::size_t k : start) single = single || k == n;
    if (single) continue;
    for (std::size_t k = 1; k < start.size(); ++k) start[k] += start[k - 1];
    for (const Item& item : items) other[start[(item.key >> shift) & 0xFFFF]++] = item;
    items.swap(other);
  }
  for (std::size_t from = 0; from < n;) {
    std::size_t end = from;
    while (end < n && items[end].key == items[from].key) ++end;
    for (std::size_t k = from; k < end; ++k) {
      if (out.less) out.less[items[k].row] = static_cast<int>(from);
      if (out.more) out.more[items[k].row] = static_cast<int>(n - end);
    }
    from = end;
  }
}

// The rows (from 1) from rank 1 down, equal ranks in their order; `rank` is 1 + the number strictly
// better.
inline void rows_by_rank(const int* rank, std::size_t n, int* out) {
  std::vector<int> placed(n + 1, 0);  // how many of the rank
  for (std::size_t i = 0; i < n; ++i) {
    const int r = rank[i];
    out[r - 1 + placed[static_cast<std::size_t>(r)]++] = static_cast<int>(i) + 1;
  }
}

enum class Ties { competition, dense, row };

// The rank of each row within its group (from 1), the highest value first; rows for which `known`
// is false have none and keep what stands there. Ranks above `most` need not be told apart (of
// dense ones all are): such rows get the size of their group.
template <class T, class Known>
void rank_in_groups(const T* value, const int* group, std::size_t n, std::size_t n_groups,
                    const Known& known, Ties ties, std::size_t most, int threads, int* rank) {
  struct Item {
    T value;
    std::uint32_t row;
    bool operator<(const Item& other) const {
      return value != other.value ? value > other.value : row < other.row;
    }
  };
  std::vector<std::size_t> start(n_groups + 1, 0);
  for (std::size_t i = 0; i < n; ++i)
    if (known(value[i])) ++start[static_cast<std::size_t>(group[i])];
  for (std::size_t g = 1; g <= n_groups; ++g) start[g] += start[g - 1];
  std::vector<Item> items(start[n_groups]);
  std::vector<std::size_t> next(start.begin(), start.end() - 1);
  for (std::size_t i = 0; i < n; ++i)
    if (known(value[i]))
      items[next[static_cast<std::size_t>(group[i]) - 1]++] = {value[i],
                                                               static_cast<std::uint32_t>(i)};
  run_tasks(n_groups, threads, [&](std::size_t g) {
    const auto from = items.begin() + static_cast<std::ptrdiff_t>(start[g]),
               end = items.begin() + static_cast<std::ptrdiff_t>(start[g + 1]);
    auto to = end;
    const std::size_t size = start[g + 1] - start[g];
    // a few of many need no sorting of the others
    if (ties != Ties::dense && most > 0 && most < size / 8) {
      to = from + static_cast<std::ptrdiff_t>(most);
      std::nth_element(from, to - 1, end);
      const T edge = (to - 1)->value;
      to = std::partition(to, end, [edge](const Item& item) { return item.value == edge; });
      for (auto item = to; item != end; ++item) rank[item->row] = static_cast<int>(size);
    }
    std::sort(from, to);
    int place = 0, at = 0;
    for (auto item = from; item != to; ++item) {
      ++place;
      if (ties == Ties::row || item == from || item->value != (item - 1)->value)
        at = ties == Ties::dense ? at + 1 : place;
      rank[item->row] = at;
    }
  });
}

// The band of each value, 1 + (bands x number strictly worse) div n (definition 33), and the lowest
// value from each band up, which starts infinite.
inline void cut_bands(const double* value, const int* worse, std::size_t n, int bands, int* band,
                      double* lowest) {
  for (std::size_t i = 0; i < n; ++i) {
    const int b = static_cast<int>(static_cast<std::int64_t>(bands) * worse[i] /
                                   static_cast<std::int64_t>(n));
    band[i] = b + 1;
    if (value[i] < lowest[b]) lowest[b] = value[i];
  }
  for (int b = bands - 1; b > 0; --b)
    if (lowest[b] < lowest[b - 1]) lowest[b - 1] = lowest[b];
}

}  // namespace nubrek
