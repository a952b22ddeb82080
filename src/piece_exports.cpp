// Where a text file can be cut.

#include <Rcpp.h>

#include <cstdio>
#include <memory>
#include <string>
#include <vector>

// The bytes at which a row begins, so that pieces between them are about `size` large: the first
// row, one row for each piece more, and the end. Line breaks inside quotes end no row.
// [[Rcpp::export]]
Rcpp::NumericVector cpp_piece_starts(std::string path, double size) {
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), "rb"), std::fclose);
  if (!file) Rcpp::stop("the file cannot be opened");
  std::vector<char> block(1 << 22);
  std::vector<double> starts;
  double at = 0;
  bool quoted = false;
  for (std::size_t got; (got = std::fread(block.data(), 1, block.size(), file.get())) > 0;) {
    Rcpp::checkUserInterrupt();
    for (std::size_t i = 0; i < got; ++i) {
      if (block[i] == '"') {
        quoted = !quoted;
      } else if (block[i] == '\n' && !quoted) {
        const double next = at + static_cast<double>(i) + 1;
        if (starts.empty() || next - starts.back() >= size) starts.push_back(next);
      }
    }
    at += static_cast<double>(got);
  }
  if (starts.empty() || starts.back() < at) starts.push_back(at);
  return Rcpp::wrap(starts);
}
