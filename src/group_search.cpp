#include "group_search.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include "threads.h"

namespace nubrek {
namespace {

constexpr int most_bins = 64;
constexpr int target_bins = 64;

struct Bins {
  std::array<std::size_t, most_bins> rows{};
  std::array<double, most_bins> sum{};
};

// The target in bins from its highest values down, to bound what any part of a group can reach.
struct TargetBins {
  std::vector<unsigned char> bin;
  std::array<double, target_bins> highest{};
};

TargetBins bin_target(const std::vector<double>& target) {
  TargetBins out;
  std::vector<double> sorted(target);
  std::sort(sorted.begin(), sorted.end(), std::greater<double>());
  const std::size_t n = sorted.size();
  for (std::size_t k = 0; k < target_bins; ++k) out.highest[k] = sorted[k * n / target_bins];
  out.bin.resize(n);
  for (std::size_t i = 0; i < n; ++i) {
    // the last bin whose highest value is not below the row's
    const auto end =
        std::upper_bound(out.highest.begin(), out.highest.end(), target[i], std::greater<double>());
    out.bin[i] = static_cast<unsigned char>(
        std::max<std::ptrdiff_t>(0, std::distance(out.highest.begin(), end) - 1));
  }
  return out;
}

using Conditions = std::vector<SearchCondition>;

bool before(const Conditions& a, const Conditions& b) {
  return std::lexicographical_compare(
      a.begin(), a.end(), b.begin(), b.end(),
      [](const SearchCondition& x, const SearchCondition& y) {
        return x.attribute != y.attribute ? x.attribute < y.attribute : x.inside < y.inside;
      });
}

bool same_conditions(const Conditions& a, const Conditions& b) {
  return !before(a, b) && !before(b, a);
}

// Best first; of equal ones the shorter, then by its conditions.
bool better(const FoundGroup& a, const FoundGroup& b) {
  if (a.quality != b.quality) return a.quality > b.quality;
  if (a.conditions.size() != b.conditions.size()) return a.conditions.size() < b.conditions.size();
  return before(a.conditions, b.conditions);
}

void sort_distinct(std::vector<FoundGroup>& groups) {
  std::sort(groups.begin(), groups.end(), better);
  groups.erase(std::unique(groups.begin(), groups.end(),
                           [](const FoundGroup& a, const FoundGroup& b) {
                             return same_conditions(a.conditions, b.conditions);
                           }),
               groups.end());
}

class Search {
 public:
  Search(const std::vector<SearchAttribute>& attributes, const std::vector<double>& target,
         const SearchLimits& limits)
      : attributes_(attributes), target_(target), limits_(limits), binned_(bin_target(target)) {
    double sum = 0;
    for (const double y : target_) sum += y;
    mean_ = sum / static_cast<double>(target_.size());
  }

  std::vector<FoundGroup> run() {
    std::vector<FoundGroup> pool, parents(1);
    for (int depth = 1; depth <= limits_.depth && !parents.empty(); ++depth) {
      const double enough = pool.size() < pool_size() ? 0 : pool[pool_size() - 1].quality;
      std::vector<std::vector<FoundGroup>> found(parents.size());
      run_tasks(parents.size(), limits_.threads,
                [&](std::size_t i) { found[i] = refine(parents[i], enough); });
      std::vector<FoundGroup> children;
      for (auto& part : found)
        for (auto& one : part) children.push_back(std::move(one));
      sort_distinct(children);
      parents = chosen(children);
      pool.insert(pool.end(), children.begin(), children.end());
      sort_distinct(pool);
      if (pool.size() > pool_size()) pool.resize(pool_size());
    }
    return distinct(pool);
  }

 private:
  std::size_t pool_size() const { return 20 * limits_.keep + 100; }

  bool holds(const Conditions& conditions, std::size_t i) const {
    for (const auto& one : conditions)
      if (!((one.inside >> attributes_[static_cast<std::size_t>(one.attribute)].bin[i]) & 1U))
        return false;
    return true;
  }

  double quality(std::size_t n, double sum) const {
    const double size = static_cast<double>(n);
    return std::sqrt(size) * (sum / size - mean_);
  }

  // What the best part of a group can reach: its highest rows, at least so many as a group needs.
  double optimistic(const Bins& of_target) const {
    double best = 0, sum = 0;
    std::size_t n = 0;
    const std::size_t least = std::max<std::size_t>(1, limits_.least);
    for (int k = 0; k < target_bins; ++k) {
      const std::size_t rows = of_target.rows[static_cast<std::size_t>(k)];
      if (rows == 0) continue;
      const double highest = binned_.highest[static_cast<std::size_t>(k)];
      // between the ends of a bin the bound has no highest point
      if (n < least && n + rows > least)
        best = std::max(best, quality(least, sum + highest * static_cast<double>(least - n)));
      n += rows;
      sum += highest * static_cast<double>(rows);
      if (n >= least) best = std::max(best, quality(n, sum));
    }
    return best;
  }

  // All groups with one condition more that are better than the group itself.
  std::vector<FoundGroup> refine(const FoundGroup& parent, double enough) const {
    std::vector<std::size_t> open;
    for (std::size_t a = 0; a < attributes_.size(); ++a) {
      bool used = false;
      for (const auto& one : parent.conditions) used |= one.attribute == static_cast<int>(a);
      if (!used) open.push_back(a);
    }
    std::vector<Bins> seen(open.size());
    Bins of_target;
    std::size_t rows = 0;
    for (std::size_t i = 0; i < target_.size(); ++i) {
      if (!holds(parent.conditions, i)) continue;
      const double y = target_[i];
      ++rows;
      ++of_target.rows[binned_.bin[i]];
      for (std::size_t k = 0; k < open.size(); ++k) {
        const unsigned char bin = attributes_[open[k]].bin[i];
        ++seen[k].rows[bin];
        seen[k].sum[bin] += y;
      }
    }
    std::vector<FoundGroup> out;
    if (optimistic(of_target) <= enough) return out;
    for (std::size_t k = 0; k < open.size(); ++k) {
      const auto add = [&](std::uint64_t inside, std::size_t n, double sum) {
        if (n < limits_.least || n == rows) return;
        FoundGroup one;
        one.quality = quality(n, sum);
        if (!(one.quality > std::max(parent.quality + limits_.gain, enough))) return;
        one.size = n;
        one.sum = sum;
        one.conditions = parent.conditions;
        one.conditions.push_back({static_cast<int>(open[k]), inside});
        std::sort(one.conditions.begin(), one.conditions.end(),
                  [](const SearchCondition& a, const SearchCondition& b) {
                    return a.attribute < b.attribute;
                  });
        out.push_back(std::move(one));
      };
      const SearchAttribute& of = attributes_[open[k]];
      if (of.ordered)
        ranges(of, seen[k], add);
      else
        sets(of, seen[k], add);
    }
    return out;
  }

  template <class Add>
  static void ranges(const SearchAttribute& of, const Bins& seen, const Add& add) {
    const int last = of.missing >= 0 ? of.missing : of.bins;  // missing values stand last
    if (of.missing >= 0) {
      const auto place = static_cast<std::size_t>(of.missing);
      add(std::uint64_t{1} << place, seen.rows[place], seen.sum[place]);
    }
    for (int from = 0; from < last; ++from) {
      std::uint64_t inside = 0;
      std::size_t n = 0;
      double sum = 0;
      for (int until = from; until < last; ++until) {
        inside |= std::uint64_t{1} << until;
        n += seen.rows[static_cast<std::size_t>(until)];
        sum += seen.sum[static_cast<std::size_t>(until)];
        add(inside, n, sum);
      }
    }
  }

  // The levels by their means: the best ones together, and all but the worst ones.
  template <class Add>
  static void sets(const SearchAttribute& of, const Bins& seen, const Add& add) {
    std::vector<std::size_t> levels;
    std::size_t rows = 0;
    double whole = 0;
    std::uint64_t all = 0;
    for (int b = 0; b < of.bins; ++b) {
      const auto place = static_cast<std::size_t>(b);
      rows += seen.rows[place];
      whole += seen.sum[place];
      all |= std::uint64_t{1} << b;
      if (seen.rows[place] > 0 && b != of.rest) levels.push_back(place);
    }
    const auto mean = [&](std::size_t b) {
      return seen.sum[b] / static_cast<double>(seen.rows[b]);
    };
    std::sort(levels.begin(), levels.end(), [&](std::size_t a, std::size_t b) {
      return mean(a) != mean(b) ? mean(a) > mean(b) : a < b;
    });
    const std::size_t most = std::min<std::size_t>(levels.size(), 4);
    const bool few = levels.size() <= 12;  // of many all but some says little
    std::uint64_t inside = 0, outside = 0;
    std::size_t n = 0, less = 0;
    double sum = 0, lost = 0;
    for (std::size_t k = 0; k < most; ++k) {
      const std::size_t high = levels[k], low = levels[levels.size() - 1 - k];
      inside |= std::uint64_t{1} << high;
      n += seen.rows[high];
      sum += seen.sum[high];
      add(inside, n, sum);
      outside |= std::uint64_t{1} << low;
      less += seen.rows[low];
      lost += seen.sum[low];
      if (few) add(all & ~outside, rows - less, whole - lost);
    }
    for (const std::size_t b : levels) add(std::uint64_t{1} << b, seen.rows[b], seen.sum[b]);
  }

  // The groups to look into: the best, not all of them on the same attributes.
  std::vector<FoundGroup> chosen(const std::vector<FoundGroup>& groups) const {
    std::map<std::vector<int>, std::size_t> taken;
    std::vector<FoundGroup> out;
    for (const auto& one : groups) {
      if (out.size() >= limits_.beam) break;
      std::vector<int> set;
      for (const auto& condition : one.conditions) set.push_back(condition.attribute);
      if (taken[set]++ < limits_.per_set) out.push_back(one);
    }
    return out;
  }

  // Groups that share nearly all their rows are one.
  std::vector<FoundGroup> distinct(const std::vector<FoundGroup>& pool) const {
    const std::size_t words = (target_.size() + 63) / 64;
    std::vector<std::vector<std::uint64_t>> rows(pool.size());
    run_tasks(pool.size(), limits_.threads, [&](std::size_t g) {
      rows[g].assign(words, 0);
      for (std::size_t i = 0; i < target_.size(); ++i)
        if (holds(pool[g].conditions, i)) rows[g][i / 64] |= std::uint64_t{1} << (i % 64);
    });
    std::vector<FoundGroup> out;
    std::vector<std::size_t> place;
    for (std::size_t g = 0; g < pool.size(); ++g) {
      bool copy = false;
      for (std::size_t k = 0; k < out.size() && !copy; ++k) {
        std::size_t both = 0;
        for (std::size_t w = 0; w < words; ++w)
          both += static_cast<std::size_t>(__builtin_popcountll(rows[g][w] & rows[place[k]][w]));
        const std::size_t larger = std::max(pool[g].size, out[k].size);
        copy = static_cast<double>(both) >= limits_.same * static_cast<double>(larger);
        if (copy) ++out[k].copies;
      }
      if (copy || out.size() >= limits_.keep) continue;
      out.push_back(pool[g]);
      place.push_back(g);
    }
    return out;
  }

  const std::vector<SearchAttribute>& attributes_;
  const std::vector<double>& target_;
  const SearchLimits limits_;
  const TargetBins binned_;
  double mean_ = 0;
};

}  // namespace

std::vector<FoundGroup> find_groups(const std::vector<SearchAttribute>& attributes,
                                    const std::vector<double>& target, const SearchLimits& limits) {
  if (target.empty()) return {};
  return Search(attributes, target, limits).run();
}

}  // namespace nubrek
