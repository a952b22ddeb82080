// A small generator with one stream per task (a customer), so that results depend neither on the order of work nor on the number of threads.
#pragma once
#include <cmath>
#include <cstdint>
#include <random>

namespace nubrek {

class Stream {
 public:
  using result_type = std::uint64_t;
  Stream(std::uint64_t seed, std::uint64_t task) : state_(mix(mix(seed + 1) + task)) {}
  static constexpr result_type min() { return 0; }
  static constexpr result_type max() { return ~result_type(0); }
  result_type operator()() {     // splitmix64
    return mix(state_ += 0x9E3779B97F4A7C15ULL);
  }
  double unit() { return (static_cast<double>((*this)() >> 11) + 0.5) * 0x1p-53; }      // in (0, 1)
  double exponential(double rate) { return -std::log(unit()) / rate; }
  double normal() { return std::normal_distribution<double>()(*this); }
  double gamma(double shape, double rate) { return std::gamma_distribution<double>(shape, 1 / rate)(*this); }
  // by way of the smaller half, so that a tiny share does not become 0 / 0
  double beta(double a, double b) {
    const double log_x = log_gamma_draw(a), log_y = log_gamma_draw(b);
    return 1 / (1 + std::exp(log_y - log_x));
  }

 private:
  static std::uint64_t mix(std::uint64_t z) {
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
    return z ^ (z >> 31);
  }
  // shapes below 1 by a draw of the shape above and a power, in logs
  double log_gamma_draw(double shape) { return shape < 1 ? std::log(gamma(shape + 1, 1)) + std::log(unit()) / shape : std::log(gamma(shape, 1)); }
  std::uint64_t state_;
};

}  // namespace nubrek
