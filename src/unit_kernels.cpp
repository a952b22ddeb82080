#include "unit_kernels.h"
#include "coding.h"

namespace nubrek {
namespace {
std::uint64_t pair_key(int a, int b) {
  return (static_cast<std::uint64_t>(static_cast<std::uint32_t>(a)) << 32) |
         static_cast<std::uint32_t>(b);
}

// Units by b alone; 0 where some b goes with more than one a, or is not from 1 to n_b.
std::size_t number_by_second(const int* a, const int* b, std::size_t n, std::size_t n_b,
                             int* unit) {
  std::vector<int> owner(n_b), number(n_b, 0);
  int units = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (b[i] < 1 || static_cast<std::size_t>(b[i]) > n_b) return 0;
    const std::size_t k = static_cast<std::size_t>(b[i]) - 1;
    if (number[k] == 0) {
      number[k] = ++units;
      owner[k] = a[i];
    } else if (owner[k] != a[i])
      return 0;
    unit[i] = number[k];
  }
  return static_cast<std::size_t>(units);
}

}  // namespace

std::size_t number_pairs(const int* a, const int* b, std::size_t n, std::size_t n_b, int* unit) {
  if (n_b > 0)
    if (const std::size_t units = number_by_second(a, b, n, n_b, unit)) return units;
  constexpr std::size_t kAhead = 16;
  KeyCoder coder;
  for (std::size_t i = 0; i < n; ++i) {
    if (i + kAhead < n) coder.prefetch(pair_key(a[i + kAhead], b[i + kAhead]));
    unit[i] = coder.code(pair_key(a[i], b[i]));
  }
  return coder.size();
}

void order_by_group(const int* group, std::size_t n, std::size_t n_groups, int* out) {
  std::vector<std::size_t> next(n_groups + 1, 0);
  for (std::size_t i = 0; i < n; ++i) ++next[static_cast<std::size_t>(group[i])];
  std::size_t before = 0;
  for (std::size_t g = 1; g <= n_groups; ++g) {
    const std::size_t mine = next[g];
    next[g] = before;
    before += mine;
  }
  for (std::size_t i = 0; i < n; ++i)
    out[next[static_cast<std::size_t>(group[i])]++] = static_cast<int>(i) + 1;
}

}  // namespace nubrek
