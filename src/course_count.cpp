#include "course_count.h"

namespace nubrek {

int count_steps(const Population& people, const std::vector<Condition>& conditions,
                std::vector<StepCount>& steps, int* failed) {
  int unsure = 0;
  for (std::size_t i = 0; i < people.n; ++i) {
    if (people.inside[i] != 1) continue;
    bool in = true, told = true;
    failed[i] = 0;
    for (std::size_t k = 0; k < conditions.size(); ++k) {
      const int truth = conditions[k].truth[i];
      const bool holds = truth == 1, known = holds || truth == 0;
      steps[k].alone += holds;
      steps[k].cannot_tell += !known;
      told = told && known;
      if (!in) continue;
      in = holds != conditions[k].takes_away;
      if (in) {
        ++steps[k].customers;
        steps[k].money += people.money[i];
      } else {
        ++steps[k].taken;
        failed[i] = static_cast<int>(k) + 1;
      }
    }
    unsure += !told;
  }
  return unsure;
}

}  // namespace nubrek
