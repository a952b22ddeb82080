#include "unit_kernels.h"
#include "coding.h"

namespace nubrek {
namespace {
std::uint64_t pair_key(int a, int b) { return (static_cast<std::uint64_t>(static_cast<std::uint32_t>(a)) << 32) | static_cast<std::uint32_t>(b); }
}  // namespace

std::size_t number_pairs(const int* a, const int* b, std::size_t n, int* unit) {
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
  for (std::size_t g = 1; g <= n_groups; ++g) { const std::size_t mine = next[g]; next[g] = before; before += mine; }
  for (std::size_t i = 0; i < n; ++i) out[next[static_cast<std::size_t>(group[i])]++] = static_cast<int>(i) + 1;
}

}  // namespace nubrek
