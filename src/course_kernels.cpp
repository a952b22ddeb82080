#include "course_kernels.h"
#include <cmath>

namespace nubrek {
namespace {

// Quantile of type 7 of `values` and so many zeros; all values are positive. Reorders the values.
double quantile7(std::vector<double>& values, std::size_t zeros, double level) {
  const std::size_t n = values.size() + zeros;
  const double place = level * (n - 1);
  const std::size_t below = static_cast<std::size_t>(place);
  const auto at = [&](std::size_t rank) {
    if (rank < zeros) return 0.0;
    const auto nth = values.begin() + static_cast<std::ptrdiff_t>(rank - zeros);
    std::nth_element(values.begin(), nth, values.end());
    return *nth;
  };
  const double low = at(below);
  return below + 1 < n && place > below ? low + (place - below) * (at(below + 1) - low) : low;
}

// What is to come has random numbers of its own: with those by which histories of the same seed
// were simulated it would come as they went.
constexpr std::uint64_t kAhead = 0x61686561646F6674ULL;

// The draws of customers one after the other. What holds for a history and its parameters is kept,
// so that those who stand beside their equals cost little more than their random numbers.
class Courses {
 public:
  Courses(const Worlds& worlds, double horizon)
      : w_(worlds), horizon_(horizon), known_(worlds.purchase.size()) {}

  // Visits every draw of customer i with the number his course begins with (1 where he buys nothing
  // within the horizon), his parameters and his random numbers; `visit` draws the course itself.
  template <class Visit>
  void each(std::size_t i, const Visit& visit) {
    look_at(i);
    Stream gen(w_.seed ^ kAhead, w_.first + i);
    for (std::size_t d = 0; d < known_.size(); ++d) {
      const Known& one = known_[d];
      for (std::size_t k = 0; k < w_.individual; ++k) {
        const double u = gen.unit();
        visit(d * w_.individual + k, u < one.buys ? u / one.active : 1, one.q,
              w_.levels.data() + 3 * d, gen);
      }
    }
  }

 private:
  struct Known {
    double active, buys;  // chances: still there; there, and a number to begin a course with
    double q[4];
  };

  void look_at(std::size_t i) {
    const History h = w_.h.of(i);
    const int set = w_.purchase.empty() || !w_.purchase[0].set ? 1 : w_.purchase[0].set[i];
    if (set == set_ && h.x == seen_.x && h.t_x == seen_.t_x && h.T == seen_.T) return;
    set_ = set;
    seen_ = h;
    for (std::size_t d = 0; d < known_.size(); ++d) {
      const double* p = w_.purchase[d].of(i);
      known_[d].active = w_.buys.roughly_active(p, h);
      w_.buys.update(p, h, known_[d].q);
      known_[d].buys = known_[d].active * w_.buys.may_buy(known_[d].q, horizon_);
    }
  }

  const Worlds& w_;
  double horizon_;
  std::vector<Known> known_;
  History seen_{};
  int set_ = 0;  // none is seen yet
};

// The discounted spend in (0, horizon] of each draw of customers.
class Values {
 public:
  Values(const Worlds& worlds, double horizon, double delta)
      : w_(worlds), horizon_(horizon), delta_(delta), courses_(worlds, horizon) {}

  // Visits the draws of customer i in which he buys.
  template <class Visit>
  void each(std::size_t i, const Visit& visit) {
    courses_.each(i, [&](std::size_t draw, double first, const double* q, const double* z,
                         Stream& gen) {
      if (first >= 1) return;
      times_.clear();
      w_.buys.draw(q, horizon_, first, gen, times_);
      if (times_.empty()) return;
      const double level = w_.spends.draw_level(z, w_.amounts.of(i), gen);
      double value = 0;
      for (const double t : times_)
        value += w_.spends.draw_amount(z, level, gen) * (delta_ > 0 ? std::exp(-delta_ * t) : 1);
      if (value > 0) visit(draw, value);
    });
  }

 private:
  const Worlds& w_;
  double horizon_, delta_;
  Courses courses_;
  std::vector<double> times_;
};

// Chunks in batches, so that the partial sums stay few: `work(chunk, place in the batch)` on
// threads, then `gather(chunk, place)` in order.
template <class Work, class Gather>
void in_batches(std::size_t n, std::size_t batch, int threads, const Work& work,
                const Gather& gather, const Pause& pause) {
  const std::size_t chunks = chunks_of(n);
  for (std::size_t from = 0; from < chunks; from += batch) {
    const std::size_t here = std::min(batch, chunks - from);
    run_tasks(here, threads, [&](std::size_t k) { work(from + k, k); });
    for (std::size_t k = 0; k < here; ++k) gather(from + k, k);
    pause();
  }
}

// The courses of one customer over the periods.
class PeriodCourse {
 public:
  PeriodCourse(const Worlds& worlds, const std::vector<double>& edges, const NewCustomers* arrivals)
      : w_(worlds),
        edges_(edges),
        arrivals_(arrivals),
        draws_(worlds.draws()),
        periods_(edges.size() - 1),
        courses_(worlds, edges.back()) {}

  // Adds to counts, active customers and sums, each draw x period.
  void add(std::size_t i, double* to) {
    courses_.each(
        i, [&](std::size_t draw, double first, const double* q, const double* z, Stream& gen) {
          if (first >= 1 && !arrivals_) return;
          period_ = 0;
          last_ = periods_;
          double came = 0, level = 0;
          if (arrivals_) {
            period_ = static_cast<std::size_t>(arrivals_->come[i]) - 1;
            if (arrivals_->place[i] > arrivals_->number[draw + period_ * draws_]) return;
            came = edges_[period_] + gen.unit() * (edges_[period_ + 1] - edges_[period_]);
            level = w_.spends.draw_level(z, w_.amounts.of(i), gen);
            buy(to + draw, arrivals_->first_factor * w_.spends.draw_amount(z, level, gen));
          }
          times_.clear();
          if (first < 1) w_.buys.draw(q, edges_[periods_] - came, first, gen, times_);
          if (times_.empty()) return;
          if (!arrivals_) level = w_.spends.draw_level(z, w_.amounts.of(i), gen);
          for (const double t : times_) {
            while (period_ + 1 < periods_ && came + t > edges_[period_ + 1]) ++period_;
            buy(to + draw, w_.spends.draw_amount(z, level, gen));
          }
        });
  }

 private:
  void buy(double* to, double amount) {
    double* here = to + period_ * draws_;
    here[0] += 1;
    if (last_ != period_) here[draws_ * periods_] += 1;
    last_ = period_;
    here[2 * draws_ * periods_] += amount;
  }

  const Worlds& w_;
  const std::vector<double>& edges_;
  const NewCustomers* arrivals_;
  std::size_t draws_, periods_;
  std::size_t period_ = 0, last_ = 0;  // the period reached, the last one with a purchase
  Courses courses_;
  std::vector<double> times_;
};

}  // namespace

void draw_value(const Worlds& worlds, const Groups& groups, double horizon, double delta,
                const std::vector<double>& levels, const Pause& pause, double* quantiles,
                double* totals) {
  const std::size_t n = worlds.h.n, draws = worlds.draws(), size = draws * groups.number;
  const std::size_t batch = std::max<std::size_t>(4, 64 / groups.number);
  std::vector<std::vector<double>> parts(batch);
  const auto work = [&](std::size_t chunk, std::size_t k) {
    parts[k].assign(size, 0);
    std::vector<double> values;
    Values course(worlds, horizon, delta);
    const std::size_t end = std::min(n, (chunk + 1) * kChunk);
    for (std::size_t i = chunk * kChunk; i < end; ++i) {
      double* sum = parts[k].data() + static_cast<std::size_t>(groups.of[i] - 1) * draws;
      values.clear();
      course.each(i, [&](std::size_t draw, double value) {
        values.push_back(value);
        sum[draw] += value;
      });
      for (std::size_t j = 0; j < levels.size(); ++j)
        quantiles[i + j * n] = quantile7(values, draws - values.size(), levels[j]);
    }
  };
  const auto gather = [&](std::size_t, std::size_t k) {
    for (std::size_t d = 0; d < size; ++d) totals[d] += parts[k][d];
  };
  in_batches(n, batch, worlds.threads, work, gather, pause);
}

void draw_periods(const Worlds& worlds, const Groups& groups, const std::vector<double>& edges,
                  const NewCustomers* arrivals, const Pause& pause, double* const sums[3]) {
  const std::size_t n = worlds.h.n, one = worlds.draws() * (edges.size() - 1);
  const std::size_t batch =
      std::max<std::size_t>(8, std::min<std::size_t>(64, 20000000 / (3 * one)));
  std::vector<std::vector<double>> parts(batch);
  const auto group_of = [&](std::size_t i) { return static_cast<std::size_t>(groups.of[i] - 1); };
  const auto work = [&](std::size_t chunk, std::size_t k) {
    const std::size_t first = chunk * kChunk, end = std::min(n, first + kChunk);
    const std::size_t lowest = group_of(first);
    parts[k].assign(3 * one * (group_of(end - 1) - lowest + 1), 0);
    PeriodCourse course(worlds, edges, arrivals);
    for (std::size_t i = first; i < end; ++i)
      course.add(i, parts[k].data() + (group_of(i) - lowest) * 3 * one);
  };
  const auto gather = [&](std::size_t chunk, std::size_t k) {
    const std::size_t lowest = group_of(chunk * kChunk), wide = parts[k].size() / (3 * one);
    for (std::size_t g = 0; g < wide; ++g)
      for (std::size_t m = 0; m < 3; ++m) {
        double* to = sums[m] + (lowest + g) * one;
        const double* part = parts[k].data() + (g * 3 + m) * one;
        for (std::size_t d = 0; d < one; ++d) to[d] += part[d];
      }
  };
  in_batches(n, batch, worlds.threads, work, gather, pause);
}

void draw_tiers(const Worlds& worlds, double horizon, const std::vector<double>& limits,
                double kept, double* out) {
  const std::size_t n = worlds.h.n, tiers = limits.size();
  const double weight = 1.0 / static_cast<double>(worlds.draws());
  run_tasks(chunks_of(n), worlds.threads, [&](std::size_t chunk) {
    Values course(worlds, horizon, 0);
    const std::size_t end = std::min(n, (chunk + 1) * kChunk);
    for (std::size_t i = chunk * kChunk; i < end; ++i) {
      std::size_t bought = 0;
      course.each(i, [&](std::size_t, double value) {
        std::size_t tier = 0;
        while (tier + 1 < tiers && kept * value < limits[tier]) ++tier;
        out[i + tier * n] += weight;
        ++bought;
      });
      out[i + tiers * n] = static_cast<double>(worlds.draws() - bought) * weight;
    }
  });
}

}  // namespace nubrek
