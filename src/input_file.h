// A file read from its start, closed whatever happens.
#pragma once
#include <cstdio>
#include <memory>
#include <stdexcept>
#include <string>

namespace nubrek {

class InputFile {
 public:
  explicit InputFile(const std::string& path)
      : handle_(std::fopen(path.c_str(), "rb"), &std::fclose) {
    if (!handle_) throw std::runtime_error("cannot open " + path);
  }
  // How many bytes came; 0 at the end.
  std::size_t read(char* to, std::size_t n) { return std::fread(to, 1, n, handle_.get()); }

 private:
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> handle_;
};

}  // namespace nubrek
