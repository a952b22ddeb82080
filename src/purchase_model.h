// What every purchase model answers. A history is (x repeat purchases, the last at t_x, observed to
// T), times since the first purchase in one unit; a customer who comes today has the history (0, 0,
// 0). All models have two mixing distributions of two parameters each: of buying and of leaving. A
// further model is one file, which makes it known, and its record in R.
#pragma once
#include <string>
#include <vector>
#include "random.h"

namespace nubrek {

struct History {
  double x, t_x, T;
};

// Log of the density of the purchase epochs (of the string of occasions in discrete time), and the
// probability of still being a customer.
struct Density {
  double log_lik, active;
};

// Derivatives of the log-density in the logs of the four parameters; of the second ones the upper
// half is filled.
struct Slopes {
  double first[4];
  double second[4][4];
};

// Gamma of a rate, beta of a probability; by names that no header of R makes a macro.
enum class Mixing { rate, share };

class PurchaseModel {
 public:
  const char* name;
  const char* parameters[4];
  Mixing buying, leaving;
  bool discrete;  // are times counts of occasions?

  virtual Density density(const double* p, const History& h,
                          Slopes* slopes) const = 0;  // `slopes` may be null
  // the same probability for draws, where a hundred thousandth is enough
  virtual double roughly_active(const double* p, const History& h) const {
    return density(p, h, nullptr).active;
  }
  virtual void update(const double* p, const History& h,
                      double* q) const = 0;  // parameters of a customer known to be there after h
  // of a customer who is there, with parameters q: expected purchases in (0, horizon] discounted at
  // rate delta (the horizon may be infinite; without a discount the sum is finite where the third
  // parameter is above 1), probabilities of 0, 1, ..., n - 1 purchases, and drawn purchase times
  virtual double expected(const double* q, double horizon, double delta) const = 0;
  virtual void distribution(const double* q, double horizon, int n, double* out) const = 0;
  // of which `draw` begins with a uniform number below `may_buy()`, so that who buys nothing within
  // the horizon costs no more than that number: no less than the chance that he buys, of one
  virtual double may_buy(const double*, double) const { return 1; }
  virtual void draw(const double* q, double horizon, double first, Stream& gen,
                    std::vector<double>& times) const = 0;
  virtual std::vector<std::vector<double>> starts(
      double rate, double span) const = 0;  // for a fit, from repeats by time and typical span

 protected:
  PurchaseModel(const char* name, const char* p0, const char* p1, const char* p2, const char* p3,
                Mixing buying, Mixing leaving, bool discrete)
      : name(name),
        parameters{p0, p1, p2, p3},
        buying(buying),
        leaving(leaving),
        discrete(discrete) {}
  ~PurchaseModel() = default;
};

const std::vector<const PurchaseModel*>& purchase_models();
const PurchaseModel& purchase_model(const std::string& name);

// A model makes itself known at the end of its file: `const KnownPurchases known(model);`.
void add_purchase_model(const PurchaseModel* model);
struct KnownPurchases {
  explicit KnownPurchases(const PurchaseModel& model) { add_purchase_model(&model); }
};

// The parameters of a customer whose log rate of buying and of leaving (their log-odds where a
// probability is mixed) lie `buying` and `leaving` above the base.
void shift(const PurchaseModel& model, const double* base, double buying, double leaving,
           double* out);

// Derivatives in the logs of the base parameters and in both shifts (places 4 and 5), from those in
// the logs of the shifted parameters. Full matrix.
struct ShiftedSlopes {
  double first[6];
  double second[6][6];
};
void shift_slopes(const PurchaseModel& model, const double* base, const double* shifted,
                  const Slopes& inner, ShiftedSlopes& out);

// Sums up mixtures of densities: value, first and second derivative of log sum w f from those of
// each log f.
struct Mixture {
  double w = 0, g[4] = {}, h[4][4] = {};
  // second derivatives within the pairs (0, 1) and (2, 3); others are zero for every model here
  void add(double weight, const double* first, const double (*pair)[3]) {
    w += weight;
    for (int i = 0; i < 4; ++i) {
      const double wg = weight * first[i];
      g[i] += wg;
      for (int j = i; j < 4; ++j) h[i][j] += wg * first[j];
    }
    for (int k = 0; k < 2; ++k) {
      h[2 * k][2 * k] += weight * pair[k][0];
      h[2 * k][2 * k + 1] += weight * pair[k][1];
      h[2 * k + 1][2 * k + 1] += weight * pair[k][2];
    }
  }
  void finish(Slopes& out) const {
    for (int i = 0; i < 4; ++i) out.first[i] = g[i] / w;
    for (int i = 0; i < 4; ++i)
      for (int j = i; j < 4; ++j) out.second[i][j] = h[i][j] / w - out.first[i] * out.first[j];
  }
};

}  // namespace nubrek
