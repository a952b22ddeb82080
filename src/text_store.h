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
  std::string_view operator[](std::size_t i) const { return {bytes_.data() + ends_[i], static_cast<std::size_t>(ends_[i + 1] - ends_[i])}; }
  void add(std::string_view text) {
    bytes_.insert(bytes_.end(), text.begin(), text.end());
    ends_.push_back(bytes_.size());
  }
  std::string_view bytes() const { return {bytes_.data(), bytes_.size()}; }
  void trim_room() { bytes_.shrink_to_fit(); ends_.shrink_to_fit(); }

 private:
  std::vector<char> bytes_;
  std::vector<std::uint64_t> ends_;
};

}  // namespace nubrek
