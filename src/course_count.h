// The count of an audience while its conditions are put on, one after the other. No R.
#pragma once
#include <cstddef>
#include <vector>

namespace nubrek {

// For each customer 1 where it holds, 0 where not, anything else where it cannot be told. One that
// takes away keeps those for whom it does not hold.
struct Condition {
  const int* truth;
  bool takes_away;
};

struct StepCount {
  int customers = 0, taken = 0, alone = 0, cannot_tell = 0;
  double money = 0;
};

struct Population {
  const int* inside;  // 1: in it
  const double* money;
  std::size_t n;
};

// `failed` has the number (from 1) of the first condition that a customer does not meet, 0 for
// members, and is not touched outside the population. Returns how many have a condition that cannot
// be told.
int count_steps(const Population& people, const std::vector<Condition>& conditions, int threads,
                std::vector<StepCount>& steps, int* failed);

}  // namespace nubrek
