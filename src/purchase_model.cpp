#include "purchase_model.h"
#include <cmath>
#include <stdexcept>

namespace nubrek {

namespace {

std::vector<const PurchaseModel*>& registry() {
  static std::vector<const PurchaseModel*> all;
  return all;
}

}  // namespace

const std::vector<const PurchaseModel*>& purchase_models() {
  return registry();
}
void add_purchase_model(const PurchaseModel* model) {
  registry().push_back(model);
}

const PurchaseModel& purchase_model(const std::string& name) {
  for (const PurchaseModel* one : purchase_models())
    if (name == one->name) return *one;
  throw std::invalid_argument("no purchase model is called " + name);
}

namespace {

// Gamma(shape, rate): the rate of the customer is multiplied by e^by. Beta(a, b): the odds a / b
// are, while a + b stays.
void shift_pair(Mixing mixing, const double* base, double by, double* out) {
  if (mixing == Mixing::rate) {
    out[0] = base[0];
    out[1] = base[1] * std::exp(-by);
    return;
  }
  const double odds = base[0] / base[1] * std::exp(by), all = base[0] + base[1];
  out[0] = all * (odds / (1 + odds));
  out[1] = all / (1 + odds);
}

// Jacobian of both log-parameters in (log base0, log base1, shift), and their second derivatives.
struct PairSlopes {
  double first[2][3] = {}, second[3][3] = {};
};  // the second ones are those of both parameters, each

PairSlopes pair_slopes(Mixing mixing, const double* base, const double* shifted) {
  PairSlopes out;
  if (mixing == Mixing::rate) {
    out.first[0][0] = out.first[1][1] = 1;
    out.first[1][2] = -1;
    return out;
  }
  const double all = base[0] + base[1], m = base[0] / all, n = base[1] / all, mi = shifted[0] / all,
               ni = shifted[1] / all;
  const double a[3] = {m + ni, n - ni, ni}, b[3] = {m - mi, n + mi, -mi}, odds[3] = {1, -1, 1};
  for (int i = 0; i < 3; ++i) {
    out.first[0][i] = a[i];
    out.first[1][i] = b[i];
    for (int j = 0; j < 3; ++j)
      out.second[i][j] =
          (i < 2 && j < 2 ? m * n * odds[i] * odds[j] : 0) - mi * ni * odds[i] * odds[j];
  }
  return out;
}

}  // namespace

void shift(const PurchaseModel& model, const double* base, double buying, double leaving,
           double* out) {
  shift_pair(model.buying, base, buying, out);
  shift_pair(model.leaving, base + 2, leaving, out + 2);
}

void shift_slopes(const PurchaseModel& model, const double* base, const double* shifted,
                  const Slopes& inner, ShiftedSlopes& out) {
  const PairSlopes pair[2] = {pair_slopes(model.buying, base, shifted),
                              pair_slopes(model.leaving, base + 2, shifted + 2)};
  const int place[2][3] = {{0, 1, 4}, {2, 3, 5}};
  const auto second = [&](int i, int j) {
    return i <= j ? inner.second[i][j] : inner.second[j][i];
  };
  for (int a = 0; a < 2; ++a) {
    const double* g = inner.first + 2 * a;
    for (int i = 0; i < 3; ++i)
      out.first[place[a][i]] = g[0] * pair[a].first[0][i] + g[1] * pair[a].first[1][i];
    for (int b = 0; b < 2; ++b)
      for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j) {
          double sum = a == b ? (g[0] + g[1]) * pair[a].second[i][j] : 0;
          for (int k = 0; k < 2; ++k)
            for (int l = 0; l < 2; ++l)
              sum += pair[a].first[k][i] * second(2 * a + k, 2 * b + l) * pair[b].first[l][j];
          out.second[place[a][i]][place[b][j]] = sum;
        }
  }
}

}  // namespace nubrek
