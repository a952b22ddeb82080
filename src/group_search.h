// Groups of rows whose target is far above everybody's, described by conditions on a few binned
// attributes. No R.
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

namespace nubrek {

// Bins of an attribute, fewer than 64: in order (then conditions are ranges) or levels (then they
// are sets). The bin of missing values and that of the levels too small to be named, or -1.
struct SearchAttribute {
  const unsigned char* bin;
  int bins;
  bool ordered;
  int missing, rest;
};

// The bins that are inside, as bits.
struct SearchCondition {
  int attribute;
  std::uint64_t inside;
};

struct FoundGroup {
  std::vector<SearchCondition> conditions;  // by attribute
  std::size_t size = 0;
  double sum = 0;
  double quality = 0;  // sqrt(size) (mean - everybody's)
  std::size_t copies = 0;
};

struct SearchLimits {
  std::size_t least;    // rows of a group
  int depth;            // conditions of a group
  std::size_t beam;     // groups that are looked into at each depth
  std::size_t per_set;  // of these with conditions on the same attributes
  std::size_t keep;     // groups in the end
  double gain;          // what a condition must add to the quality of a group
  double same;          // share of rows in common from which two groups are one
  int threads;
};

// The best groups, best first; of those that are nearly the same rows only the best one. The answer
// does not depend on the number of threads.
std::vector<FoundGroup> find_groups(const std::vector<SearchAttribute>& attributes,
                                    const std::vector<double>& target, const SearchLimits& limits);

}  // namespace nubrek
