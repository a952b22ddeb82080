#include "purchase_kernels.h"
#include <array>
#include <cstdint>
#include <cstring>
#include <unordered_map>

namespace nubrek {
namespace {

// Customers with the same future: what is expected depends only on the updated parameters and the
// horizon.
using Future = std::array<double, 5>;
struct FutureHash {
  std::size_t operator()(const Future& f) const {
    std::uint64_t h = 0;
    for (const double one : f) {
      std::uint64_t bits;
      std::memcpy(&bits, &one, sizeof bits);
      h = (h ^ bits) * 0x9E3779B97F4A7C15ULL;
      h ^= h >> 29;
    }
    return static_cast<std::size_t>(h);
  }
};

struct Futures {
  std::vector<std::size_t> of;  // of each row
  std::vector<Future> distinct;
  std::vector<std::size_t> row;  // the first with each of them
  Futures(const PurchaseModel& model, const ParameterSets& sets, const Histories& h,
          const std::vector<double>& horizon)
      : of(h.n) {
    std::unordered_map<Future, std::size_t, FutureHash> seen;
    for (std::size_t i = 0; i < h.n; ++i) {
      Future f;
      model.update(sets.of(i), h.of(i), f.data());
      f[4] = horizon[horizon.size() > 1 ? i : 0];
      const auto found = seen.emplace(f, distinct.size());
      if (found.second) {
        distinct.push_back(f);
        row.push_back(i);
      }
      of[i] = found.first->second;
    }
  }
};

// Probability of still being a customer, for each row. Who has bought once only is told by the time
// since then: such customers with the same future are the same.
std::vector<double> still_active(const PurchaseModel& model, const ParameterSets& sets,
                                 const Histories& h, const Futures& futures, int threads) {
  std::vector<double> once(futures.distinct.size()), out(h.n);
  const auto one = [&](std::size_t i) {
    return model.density(sets.of(i), h.of(i), nullptr).active;
  };
  run_tasks(once.size(), threads, [&](std::size_t k) {
    if (h.x[futures.row[k]] == 0) once[k] = one(futures.row[k]);
  });
  each_row(h.n, threads,
           [&](std::size_t i) { out[i] = h.x[i] == 0 ? once[futures.of[i]] : one(i); });
  return out;
}

// The sum over the rows of one chunk: value, gradient, upper half of the Hessian in one array.
class ChunkSum {
 public:
  ChunkSum(const PurchaseModel& model, const double* base, const Design& design)
      : model_(model), base_(base), design_(design), wide_(4 + design.wide), sum_(size(wide_), 0) {
    std::copy(base, base + 4, mine_);
  }

  static std::size_t size(std::size_t wide) { return 1 + wide + wide * wide; }

  void add(const History& h, int set, double count) {
    if (design_.wide > 0 && set != set_) move_to(set);
    Slopes slopes;
    sum_[0] += count * model_.density(mine_, h, &slopes).log_lik;
    for (int k = 0; k < 4; ++k) {
      inner_.first[k] += count * slopes.first[k];
      for (int l = k; l < 4; ++l) inner_.second[k][l] += count * slopes.second[k][l];
    }
  }

  // What stands in `inner_` belongs to one set: it is spread over the effects.
  void flush() {
    double* gradient = sum_.data() + 1;
    double* hessian = gradient + wide_;
    if (design_.wide == 0) {
      for (std::size_t i = 0; i < 4; ++i) {
        gradient[i] += inner_.first[i];
        for (std::size_t j = i; j < 4; ++j) hessian[i * wide_ + j] += inner_.second[i][j];
      }
    } else if (row_) {
      ShiftedSlopes outer;
      shift_slopes(model_, base_, mine_, inner_, outer);
      for (std::size_t i = 0; i < wide_; ++i) {
        if (weight(i) == 0) continue;
        gradient[i] += weight(i) * outer.first[place(i)];
        for (std::size_t j = i; j < wide_; ++j)
          hessian[i * wide_ + j] += weight(i) * weight(j) * outer.second[place(i)][place(j)];
      }
    }
    inner_ = {};
  }

  std::vector<double> take() { return std::move(sum_); }

 private:
  void move_to(int set) {
    flush();
    set_ = set;
    row_ = design_.columns + static_cast<std::size_t>(set - 1) * design_.wide;
    double shifts[2] = {0, 0};
    for (std::size_t k = 0; k < design_.wide; ++k)
      shifts[k < design_.buying ? 0 : 1] += design_.effects[k] * row_[k];
    shift(model_, base_, shifts[0], shifts[1], mine_);
  }
  std::size_t place(std::size_t i) const {
    if (i < 4) return i;
    return i - 4 < design_.buying ? 4 : 5;
  }
  double weight(std::size_t i) const { return i < 4 ? 1.0 : row_[i - 4]; }

  const PurchaseModel& model_;
  const double* base_;
  const Design& design_;
  std::size_t wide_;
  std::vector<double> sum_;
  Slopes inner_ = {};
  double mine_[4];
  const double* row_ = nullptr;  // of the design
  int set_ = -1;
};

}  // namespace

LogLikelihood sum_log_likelihood(const PurchaseModel& model, const double* base,
                                 const Design& design, const Histories& h, const double* count,
                                 int threads) {
  const std::size_t wide = 4 + design.wide;
  std::vector<std::vector<double>> parts(chunks_of(h.n));
  run_tasks(parts.size(), threads, [&](std::size_t chunk) {
    ChunkSum sum(model, base, design);
    const std::size_t from = chunk * kChunk, to = std::min(h.n, from + kChunk);
    for (std::size_t i = from; i < to; ++i)
      sum.add(h.of(i), design.set ? design.set[i] : 0, count[i]);
    sum.flush();
    parts[chunk] = sum.take();
  });
  std::vector<double> sum(ChunkSum::size(wide), 0);
  for (const auto& part : parts)
    for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += part[i];
  LogLikelihood out{sum[0], std::vector<double>(sum.begin() + 1, sum.begin() + 1 + wide),
                    std::vector<double>(wide * wide)};
  for (std::size_t i = 0; i < wide; ++i)
    for (std::size_t j = i; j < wide; ++j)
      out.hessian[i * wide + j] = out.hessian[j * wide + i] = sum[1 + wide + i * wide + j];
  return out;
}

void expected_purchases(const PurchaseModel& model, const ParameterSets& sets, const Histories& h,
                        const std::vector<double>& horizon, double delta, int threads,
                        double* out) {
  const Futures futures(model, sets, h, horizon);
  std::vector<double> ahead(futures.distinct.size());
  run_tasks(ahead.size(), threads, [&](std::size_t k) {
    ahead[k] = model.expected(futures.distinct[k].data(), futures.distinct[k][4], delta);
  });
  const std::vector<double> there = still_active(model, sets, h, futures, threads);
  each_row(h.n, threads, [&](std::size_t i) { out[i] = there[i] * ahead[futures.of[i]]; });
}

void purchases_ahead(const PurchaseModel& model, const ParameterSets& sets, const Histories& h,
                     const std::vector<double>& horizons, const std::vector<double>& deltas,
                     int threads, double* active, double* expected) {
  const Futures futures(model, sets, h, {0});
  const std::size_t wide = horizons.size();
  std::vector<double> ahead(futures.distinct.size() * wide);
  run_tasks(futures.distinct.size(), threads, [&](std::size_t k) {
    for (std::size_t j = 0; j < wide; ++j)
      ahead[k * wide + j] = model.expected(futures.distinct[k].data(), horizons[j], deltas[j]);
  });
  const std::vector<double> there = still_active(model, sets, h, futures, threads);
  each_row(h.n, threads, [&](std::size_t i) {
    active[i] = there[i];
    const double* from = ahead.data() + futures.of[i] * wide;
    for (std::size_t j = 0; j < wide; ++j) expected[i + j * h.n] = there[i] * from[j];
  });
}

void purchase_distribution(const PurchaseModel& model, const ParameterSets& sets,
                           const Histories& h, const std::vector<double>& horizon, std::size_t wide,
                           int threads, double* out) {
  const Futures futures(model, sets, h, horizon);
  std::vector<double> ahead(futures.distinct.size() * wide);
  run_tasks(futures.distinct.size(), threads, [&](std::size_t k) {
    model.distribution(futures.distinct[k].data(), futures.distinct[k][4], static_cast<int>(wide),
                       ahead.data() + k * wide);
  });
  each_row(h.n, threads, [&](std::size_t i) {
    const double active = model.density(sets.of(i), h.of(i), nullptr).active;
    const double* from = ahead.data() + futures.of[i] * wide;
    for (std::size_t k = 0; k < wide; ++k)
      out[i + k * h.n] = active * from[k] + (k == 0 ? 1 - active : 0);
  });
}

std::vector<std::vector<double>> draw_purchases(const PurchaseModel& model,
                                                const ParameterSets& sets, const double* span,
                                                std::size_t n, std::uint64_t seed, int threads) {
  std::vector<std::vector<double>> out(n);
  each_row(n, threads, [&](std::size_t i) {
    Stream gen(seed, i);
    double q[4];
    model.update(sets.of(i), {0, 0, 0}, q);
    if (gen.unit() < model.density(sets.of(i), {0, 0, 0}, nullptr).active)
      model.draw(q, span[i], gen.unit(), gen, out[i]);
  });
  return out;
}

}  // namespace nubrek
