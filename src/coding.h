// Texts to codes: each distinct text is kept once, and known afterwards by its number.
#pragma once
#include <memory>
#include "text_store.h"

namespace nubrek {

// Numbers texts from 1 in order of first appearance. As long as texts come in ascending order
// (lines by id, orders by number), each is equal to the last one or new, and nothing is looked up;
// the first that is not begins a hash table.
class Coder {
 public:
  Coder() : store_(std::make_shared<TextStore>()) {}
  void code(const std::string_view* texts, std::size_t n, int* out);
  std::shared_ptr<TextStore> store() const { return store_; }
  // Makes room for `times` what is held: the address space only, until it is used.
  void expect(double times) {
    store_->reserve(
        static_cast<std::size_t>(static_cast<double>(store_->size()) * times) + 16,
        static_cast<std::size_t>(static_cast<double>(store_->bytes().size()) * times) + 64);
  }

 private:
  int add(std::string_view text) {
    store_->add(text);
    return static_cast<int>(store_->size());
  }
  void start_table();
  void grow_table();
  void place(std::uint32_t hash, std::uint32_t code);
  // The code in the slot where a hash belongs, if the hash is the same.
  std::uint32_t likely_code(std::uint32_t hash) const {
    const std::uint64_t slot = slots_[hash & mask_];
    return static_cast<std::uint32_t>(slot >> 32) == hash ? static_cast<std::uint32_t>(slot) : 0;
  }
  int find_or_add(std::string_view text, std::uint32_t hash);

  std::shared_ptr<TextStore> store_;
  bool ascending_ = true;
  std::vector<std::uint64_t> slots_;  // hash in the upper half, code in the lower; 0 is free
  std::size_t mask_ = 0;
  std::vector<std::uint32_t> hashes_;  // of the texts at hand
};

std::uint64_t hash_text(std::string_view text);

inline std::uint64_t mix_bits(std::uint64_t h) {
  h = (h ^ (h >> 30)) * 0xBF58476D1CE4E5B9ULL;
  h = (h ^ (h >> 27)) * 0x94D049BB133111EBULL;
  return h ^ (h >> 31);
}

// Numbers keys (pairs of codes, bits of numbers, addresses) from 1 in order of first appearance.
class KeyCoder {
 public:
  KeyCoder() : slots_(1024, 0), mask_(1023) {}
  int code(std::uint64_t key);
  void prefetch(std::uint64_t key) const {
    __builtin_prefetch(&slots_[static_cast<std::uint32_t>(mix_bits(key)) & mask_]);
  }
  std::size_t size() const { return keys_.size(); }
  std::uint64_t key(std::size_t i) const { return keys_[i]; }

 private:
  std::vector<std::uint64_t> slots_, keys_;
  std::size_t mask_;
};

}  // namespace nubrek
