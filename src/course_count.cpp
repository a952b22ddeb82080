#include "course_count.h"
#include <algorithm>
#include "threads.h"

namespace nubrek {
namespace {

constexpr std::size_t kBlock = 1u << 16;

struct BlockCount {
  std::vector<StepCount> steps;
  int unsure = 0;
};

BlockCount count_block(const Population& people, const std::vector<Condition>& conditions,
                       std::size_t from, std::size_t to, int* failed) {
  BlockCount out;
  out.steps.resize(conditions.size());
  for (std::size_t i = from; i < to; ++i) {
    if (people.inside[i] != 1) continue;
    bool in = true, told = true;
    failed[i] = 0;
    for (std::size_t k = 0; k < conditions.size(); ++k) {
      StepCount& step = out.steps[k];
      const int truth = conditions[k].truth[i];
      const bool holds = truth == 1, known = holds || truth == 0;
      step.alone += holds;
      step.cannot_tell += !known;
      told = told && known;
      if (!in) continue;
      in = holds != conditions[k].takes_away;
      if (in) {
        ++step.customers;
        step.money += people.money[i];
      } else {
        ++step.taken;
        failed[i] = static_cast<int>(k) + 1;
      }
    }
    out.unsure += !told;
  }
  return out;
}

}  // namespace

int count_steps(const Population& people, const std::vector<Condition>& conditions, int threads,
                std::vector<StepCount>& steps, int* failed) {
  std::vector<BlockCount> blocks((people.n + kBlock - 1) / kBlock);
  run_tasks(blocks.size(), threads, [&](std::size_t b) {
    blocks[b] =
        count_block(people, conditions, b * kBlock, std::min(people.n, (b + 1) * kBlock), failed);
  });
  int unsure = 0;
  for (const BlockCount& block : blocks) {  // whole minor units: the order of sums does not matter
    unsure += block.unsure;
    for (std::size_t k = 0; k < steps.size(); ++k) {
      steps[k].customers += block.steps[k].customers;
      steps[k].taken += block.steps[k].taken;
      steps[k].alone += block.steps[k].alone;
      steps[k].cannot_tell += block.steps[k].cannot_tell;
      steps[k].money += block.steps[k].money;
    }
  }
  return unsure;
}

}  // namespace nubrek
