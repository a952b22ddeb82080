#include "unit_kernels.h"
#include <cstdint>

namespace nubrek {

std::size_t number_pairs(const int* a, const int* b, std::size_t n, int* unit) {
  std::size_t room = 16;
  while (room < 2 * n) room *= 2;
  std::vector<int> slot(room, -1), first;      // slot holds a unit, first its first row
  std::size_t units = 0;
  for (std::size_t i = 0; i < n; ++i) {
    std::uint64_t h = (static_cast<std::uint64_t>(static_cast<std::uint32_t>(a[i])) << 32) | static_cast<std::uint32_t>(b[i]);
    h = (h ^ (h >> 30)) * 0xBF58476D1CE4E5B9ULL;
    h = (h ^ (h >> 27)) * 0x94D049BB133111EBULL;
    std::size_t at = static_cast<std::size_t>(h ^ (h >> 31)) & (room - 1);
    for (;; at = (at + 1) & (room - 1)) {
      const int u = slot[at];
      if (u < 0) { slot[at] = unit[i] = static_cast<int>(units++); first.push_back(static_cast<int>(i)); break; }
      const std::size_t f = static_cast<std::size_t>(first[static_cast<std::size_t>(u)]);
      if (a[f] == a[i] && b[f] == b[i]) { unit[i] = u; break; }
    }
  }
  return units;
}

}  // namespace nubrek
