#include "keyed_hash.h"

namespace nubrek {
namespace {

std::uint64_t turned(std::uint64_t x, int by) {
  return (x << by) | (x >> (64 - by));
}

struct State {
  std::uint64_t v0, v1, v2, v3;
  void round() {
    v0 += v1;
    v1 = turned(v1, 13) ^ v0;
    v0 = turned(v0, 32);
    v2 += v3;
    v3 = turned(v3, 16) ^ v2;
    v0 += v3;
    v3 = turned(v3, 21) ^ v0;
    v2 += v1;
    v1 = turned(v1, 17) ^ v2;
    v2 = turned(v2, 32);
  }
  void take(std::uint64_t word) {
    v3 ^= word;
    round();
    round();
    v0 ^= word;
  }
};

std::uint64_t word_of(std::string_view bytes) {
  std::uint64_t word = 0;
  for (std::size_t k = 0; k < bytes.size(); ++k)
    word |= static_cast<std::uint64_t>(static_cast<unsigned char>(bytes[k])) << (8 * k);
  return word;
}

}  // namespace

std::uint64_t keyed_hash(const HashKey& key, std::string_view text) {
  State s{key.low ^ 0x736f6d6570736575ULL, key.high ^ 0x646f72616e646f6dULL,
          key.low ^ 0x6c7967656e657261ULL, key.high ^ 0x7465646279746573ULL};
  const std::uint64_t size = text.size();
  for (; text.size() >= 8; text.remove_prefix(8)) s.take(word_of(text.substr(0, 8)));
  s.take(word_of(text) | (size << 56));
  s.v2 ^= 0xff;
  for (int k = 0; k < 4; ++k) s.round();
  return s.v0 ^ s.v1 ^ s.v2 ^ s.v3;
}

}  // namespace nubrek
