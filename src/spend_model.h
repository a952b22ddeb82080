// What every spend model answers. A customer's amounts are independent given a level of his own;
// `n` amounts have mean `mean`, and their logs mean `log_mean` and sum of squared deviations
// `log_spread` (a model uses what it needs). Who has bought nothing yet has n = 0. A further model
// is one file, which makes it known, and its record in R.
#pragma once
#include <string>
#include <vector>
#include "random.h"

namespace nubrek {

struct Amounts {
  double n, mean, log_mean, log_spread;
};

class SpendModel {
 public:
  const char* name;
  const char* parameters[3];
  bool positive[3];  // such parameters are fitted in their logs
  bool by_logs;      // are the logs of the amounts needed?

  // Log-density, with first and second derivatives in the fitted parameters (both null, or both
  // not; of the second ones the upper half).
  virtual double density(const double* p, const Amounts& a, double* first,
                         double (*second)[3]) const = 0;
  virtual double expected(
      const double* p, const Amounts& a) const = 0;  // of the next amount; NA where it has no mean
  virtual double draw_level(const double* p, const Amounts& a, Stream& gen) const = 0;
  virtual double draw_amount(const double* p, double level, Stream& gen) const = 0;

 protected:
  SpendModel(const char* name, const char* p0, const char* p1, const char* p2, bool l0, bool l1,
             bool l2, bool by_logs)
      : name(name), parameters{p0, p1, p2}, positive{l0, l1, l2}, by_logs(by_logs) {}
  ~SpendModel() = default;
};

const std::vector<const SpendModel*>& spend_models();
const SpendModel& spend_model(const std::string& name);

// A model makes itself known at the end of its file: `const KnownSpend known(model);`.
void add_spend_model(const SpendModel* model);
struct KnownSpend {
  explicit KnownSpend(const SpendModel& model) { add_spend_model(&model); }
};

}  // namespace nubrek
