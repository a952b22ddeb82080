// Many texts in one block of bytes: no R string stands behind them until somebody asks for it.
#pragma once
#include <cstddef>
#include <cstdint>
#include <string_view>
#include <vector>

namespace nubrek {

class TextStore {
 public:
  TextStore() : ends_(1, 0) {}
  std::size_t size() const { return ends_.size() - 1; }
  std::string_view operator[](std::size_t i) const {
    return {bytes_.data() + ends_[i], static_cast<std::size_t>(ends_[i + 1] - ends_[i])};
  }
  void add(std::string_view text) {
    bytes_.insert(bytes_.end(), text.begin(), text.end());
    ends_.push_back(bytes_.size());
  }
  std::string_view bytes() const { return {bytes_.data(), bytes_.size()}; }
  void reserve(std::size_t texts, std::size_t bytes) {
    ends_.reserve(texts + 1);
    bytes_.reserve(bytes);
  }
  // For look-ups that know early which text they will compare with.
  void prefetch_place(std::size_t i) const { __builtin_prefetch(&ends_[i]); }
  void prefetch_text(std::size_t i) const { __builtin_prefetch(bytes_.data() + ends_[i]); }
  // Gives back room that is not used; a little is not worth a copy.
  void trim_room() {
    if (bytes_.capacity() > bytes_.size() + bytes_.size() / 4) bytes_.shrink_to_fit();
    if (ends_.capacity() > ends_.size() + ends_.size() / 4) ends_.shrink_to_fit();
  }

 private:
  std::vector<char> bytes_;
  std::vector<std::uint64_t> ends_;
};

}  // namespace nubrek
