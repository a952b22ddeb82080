#include "spend_model.h"
#include <stdexcept>

namespace nubrek {

const SpendModel& gamma_gamma();
const SpendModel& log_normal();

const std::vector<const SpendModel*>& spend_models() {
  static const std::vector<const SpendModel*> all{&gamma_gamma(), &log_normal()};
  return all;
}

const SpendModel& spend_model(const std::string& name) {
  for (const SpendModel* one : spend_models())
    if (name == one->name) return *one;
  throw std::invalid_argument("no spend model is called " + name);
}

}  // namespace nubrek
