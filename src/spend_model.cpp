#include "spend_model.h"
#include <stdexcept>

namespace nubrek {

namespace {

std::vector<const SpendModel*>& registry() {
  static std::vector<const SpendModel*> all;
  return all;
}

}  // namespace

const std::vector<const SpendModel*>& spend_models() {
  return registry();
}
void add_spend_model(const SpendModel* model) {
  registry().push_back(model);
}

const SpendModel& spend_model(const std::string& name) {
  for (const SpendModel* one : spend_models())
    if (name == one->name) return *one;
  throw std::invalid_argument("no spend model is called " + name);
}

}  // namespace nubrek
