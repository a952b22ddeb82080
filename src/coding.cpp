#include "coding.h"
#include <cstring>

namespace nubrek {
namespace {

// Both halves of a product, so that every bit of the word counts in all of them.
inline std::uint64_t fold(std::uint64_t h) {
  const unsigned __int128 product =
      static_cast<unsigned __int128>(h ^ 0x9E3779B97F4A7C15ULL) * 0xD6E8FEB86659FD93ULL;
  return static_cast<std::uint64_t>(product) ^ static_cast<std::uint64_t>(product >> 64);
}

// Up to eight bytes as a number.
inline std::uint64_t word(const char* p, std::size_t n) {
  std::uint64_t out = 0;
  if (n == 8) {
    std::memcpy(&out, p, 8);
    return out;
  }
  if (n >= 4) {
    std::uint32_t head, tail;
    std::memcpy(&head, p, 4);
    std::memcpy(&tail, p + n - 4, 4);
    return (static_cast<std::uint64_t>(tail) << 32) | head;
  }
  for (std::size_t i = 0; i < n; ++i)
    out |= static_cast<std::uint64_t>(static_cast<unsigned char>(p[i])) << (8 * i);
  return out;
}

// Short texts, which nearly all are, without a call.
inline bool same_text(std::string_view a, std::string_view b) {
  const std::size_t n = a.size();
  if (n != b.size()) return false;
  if (n <= 8) return word(a.data(), n) == word(b.data(), n);
  if (n <= 16)
    return word(a.data(), 8) == word(b.data(), 8) &&
           word(a.data() + n - 8, 8) == word(b.data() + n - 8, 8);
  return std::memcmp(a.data(), b.data(), n) == 0;
}

// Shorter texts first: ids with running numbers ascend whether or not they are padded.
inline bool ascends(std::string_view before, std::string_view now) {
  if (before.size() != now.size()) return before.size() < now.size();
  return std::memcmp(before.data(), now.data(), now.size()) < 0;
}

}  // namespace

std::uint64_t hash_text(std::string_view text) {
  const char* p = text.data();
  std::size_t n = text.size();
  std::uint64_t h = 0x2545F4914F6CDD1DULL ^ n;
  for (; n > 8; p += 8, n -= 8) h = fold(h ^ word(p, 8));
  return fold(h ^ word(p, n));
}

void Coder::code(const std::string_view* texts, std::size_t n, int* out) {
  std::size_t i = 0;
  if (ascending_) {
    for (; i < n; ++i) {
      const std::size_t known = store_->size();
      if (known > 0) {
        const std::string_view last = (*store_)[known - 1];
        if (same_text(last, texts[i])) {
          out[i] = static_cast<int>(known);
          continue;
        }
        if (!ascends(last, texts[i])) {
          start_table();
          break;
        }
      }
      out[i] = add(texts[i]);
    }
    if (i == n) return;
  }
  hashes_.resize(n);
  for (std::size_t k = i; k < n; ++k)
    hashes_[k] = static_cast<std::uint32_t>(hash_text(texts[k]) >> 16);
  // in a large table the slot, the place of its text and the text itself are each far away: called
  // for ahead of time, one after another
  constexpr std::size_t kSlot = 24, kPlace = 16, kText = 8;
  const bool large = slots_.size() > (1u << 15);
  for (std::size_t k = i; k < n; ++k) {
    if (large) {
      if (k + kSlot < n) __builtin_prefetch(&slots_[hashes_[k + kSlot] & mask_]);
      if (k + kPlace < n)
        if (const std::uint32_t code = likely_code(hashes_[k + kPlace]))
          store_->prefetch_place(code - 1);
      if (k + kText < n)
        if (const std::uint32_t code = likely_code(hashes_[k + kText]))
          store_->prefetch_text(code - 1);
    }
    out[k] =
        k > 0 && same_text(texts[k], texts[k - 1]) ? out[k - 1] : find_or_add(texts[k], hashes_[k]);
  }
}

void Coder::start_table() {
  ascending_ = false;
  std::size_t room = 1024;
  while (room < 3 * store_->size()) room *= 2;
  slots_.assign(room, 0);
  mask_ = room - 1;
  for (std::size_t i = 0; i < store_->size(); ++i)
    place(static_cast<std::uint32_t>(hash_text((*store_)[i]) >> 16),
          static_cast<std::uint32_t>(i + 1));
}

void Coder::place(std::uint32_t hash, std::uint32_t code) {
  std::size_t at = hash & mask_;
  while (slots_[at] != 0) at = (at + 1) & mask_;
  slots_[at] = (static_cast<std::uint64_t>(hash) << 32) | code;
}

void Coder::grow_table() {
  std::vector<std::uint64_t> before(2 * slots_.size(), 0);
  before.swap(slots_);
  mask_ = slots_.size() - 1;
  for (const std::uint64_t slot : before)
    if (slot != 0) place(static_cast<std::uint32_t>(slot >> 32), static_cast<std::uint32_t>(slot));
}

int Coder::find_or_add(std::string_view text, std::uint32_t hash) {
  for (std::size_t at = hash & mask_;; at = (at + 1) & mask_) {
    const std::uint64_t slot = slots_[at];
    if (slot == 0) break;
    if (static_cast<std::uint32_t>(slot >> 32) == hash &&
        same_text((*store_)[static_cast<std::uint32_t>(slot) - 1], text))
      return static_cast<int>(static_cast<std::uint32_t>(slot));
  }
  if (2 * (store_->size() + 1) > slots_.size()) grow_table();
  const int code = add(text);
  place(hash, static_cast<std::uint32_t>(code));
  return code;
}

int KeyCoder::code(std::uint64_t key) {
  if (!keys_.empty() && keys_.back() == key) return static_cast<int>(keys_.size());
  const std::uint32_t hash = static_cast<std::uint32_t>(mix_bits(key));
  std::size_t at = hash & mask_;
  for (; slots_[at] != 0; at = (at + 1) & mask_) {
    const std::uint32_t code = static_cast<std::uint32_t>(slots_[at]);
    if (static_cast<std::uint32_t>(slots_[at] >> 32) == hash && keys_[code - 1] == key)
      return static_cast<int>(code);
  }
  keys_.push_back(key);
  slots_[at] = (static_cast<std::uint64_t>(hash) << 32) | keys_.size();
  if (2 * keys_.size() > slots_.size()) {
    std::vector<std::uint64_t> before(2 * slots_.size(), 0);
    before.swap(slots_);
    mask_ = slots_.size() - 1;
    for (const std::uint64_t slot : before) {
      if (slot == 0) continue;
      std::size_t to = (slot >> 32) & mask_;
      while (slots_[to] != 0) to = (to + 1) & mask_;
      slots_[to] = slot;
    }
  }
  return static_cast<int>(keys_.size());
}

}  // namespace nubrek
