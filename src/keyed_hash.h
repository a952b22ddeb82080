// A keyed hash of texts (SipHash-2-4, Aumasson & Bernstein 2012): numbers that look drawn, depend
// on key and text alone, and tell nothing of each other. No R.
#pragma once
#include <cstdint>
#include <string_view>

namespace nubrek {

struct HashKey {
  std::uint64_t low, high;
};

std::uint64_t keyed_hash(const HashKey& key, std::string_view text);

// In [0, 1), by the upper 53 bits.
inline double keyed_unit(const HashKey& key, std::string_view text) {
  return static_cast<double>(keyed_hash(key, text) >> 11) * 0x1p-53;
}

}  // namespace nubrek
