// A small generator with one stream per task (a customer), so that results depend neither on the
// order of work nor on the number of threads, nor, as the distributions are drawn here, on the
// compiler's library.
#pragma once
#include <cmath>
#include <cstdint>

namespace nubrek {

// Layers of equal area under the normal density (Marsaglia & Tsang 2000; all 53 bits of a draw as
// in Doornik 2005).
struct NormalLayers {
  static constexpr int kLayers = 128;
  static constexpr double kTail = 3.442619855899, kArea = 9.91256303526217e-3;
  double x[kLayers + 1], ratio[kLayers];
  NormalLayers() {
    double f = std::exp(-0.5 * kTail * kTail);
    x[0] = kArea / f;
    x[1] = kTail;
    x[kLayers] = 0;
    for (int i = 2; i < kLayers; ++i) {
      x[i] = std::sqrt(-2 * std::log(kArea / x[i - 1] + f));
      f = std::exp(-0.5 * x[i] * x[i]);
    }
    for (int i = 0; i < kLayers; ++i) ratio[i] = x[i + 1] / x[i];
  }
  static const NormalLayers& get() {
    static const NormalLayers layers;
    return layers;
  }
};

// An exponential time whose rate is drawn from a gamma distribution (Lomax); after it, the rate is
// one from gamma(shape + 1, rate + time).
inline double lomax_quantile(double level, double shape, double rate) {
  return rate * std::expm1(-std::log1p(-level) / shape);
}
inline double lomax_chance(double time, double shape, double rate) {
  return -std::expm1(-shape * std::log1p(time / rate));
}

class Stream {
 public:
  using result_type = std::uint64_t;
  Stream(std::uint64_t seed, std::uint64_t task) : state_(mix(mix(seed + 1) + task)) {}
  static constexpr result_type min() { return 0; }
  static constexpr result_type max() { return ~result_type(0); }
  result_type operator()() {  // splitmix64
    return mix(state_ += 0x9E3779B97F4A7C15ULL);
  }
  double unit() { return (static_cast<double>((*this)() >> 11) + 0.5) * 0x1p-53; }  // in (0, 1)
  double exponential(double rate) { return -std::log(unit()) / rate; }
  double lomax(double shape, double rate) { return lomax_quantile(unit(), shape, rate); }
  double normal() {
    const NormalLayers& layer = NormalLayers::get();
    for (;;) {
      const std::uint64_t bits = (*this)();
      const int i = static_cast<int>(bits & (NormalLayers::kLayers - 1));
      const double u = 2 * ((static_cast<double>(bits >> 11) + 0.5) * 0x1p-53) - 1;
      if (std::fabs(u) < layer.ratio[i]) return u * layer.x[i];
      if (i == 0) {  // the tail (Marsaglia 1964)
        double x, y;
        do {
          x = std::log(unit()) / NormalLayers::kTail;
          y = std::log(unit());
        } while (-2 * y < x * x);
        return u < 0 ? x - NormalLayers::kTail : NormalLayers::kTail - x;
      }
      const double x = u * layer.x[i], below = std::exp(-0.5 * (layer.x[i] * layer.x[i] - x * x)),
                   above = std::exp(-0.5 * (layer.x[i + 1] * layer.x[i + 1] - x * x));
      if (above + unit() * (below - above) < 1) return x;
    }
  }
  // Marsaglia & Tsang 2000, shapes below 1 by the shape above and a power
  double gamma(double shape, double rate) {
    const double boost = shape < 1 ? std::exp(std::log(unit()) / shape) : 1,
                 d = (shape < 1 ? shape + 1 : shape) - 1.0 / 3, c = 1 / std::sqrt(9 * d);
    for (;;) {
      double x, v;
      do {
        x = normal();
        v = 1 + c * x;
      } while (v <= 0);
      v = v * v * v;
      const double u = unit(), x2 = x * x;
      if (u < 1 - 0.0331 * x2 * x2 || std::log(u) < 0.5 * x2 + d * (1 - v + std::log(v)))
        return boost * d * v / rate;
    }
  }
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
  double log_gamma_draw(double shape) {
    return shape < 1 ? std::log(gamma(shape + 1, 1)) + std::log(unit()) / shape
                     : std::log(gamma(shape, 1));
  }
  std::uint64_t state_;
};

}  // namespace nubrek
