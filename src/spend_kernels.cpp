#include "spend_kernels.h"
#include <cmath>
#include "purchase_kernels.h"

namespace nubrek {

SpendLikelihood sum_log_likelihood(const SpendModel& model, const double* parameters,
                                   const Spends& spends, const double* weight, int threads) {
  std::vector<SpendLikelihood> parts(chunks_of(spends.n));
  run_tasks(parts.size(), threads, [&](std::size_t chunk) {
    SpendLikelihood& sum = parts[chunk];
    double g[3], h[3][3];
    const std::size_t from = chunk * kChunk, to = std::min(spends.n, from + kChunk);
    for (std::size_t i = from; i < to; ++i) {
      sum.value += weight[i] * model.density(parameters, spends.of(i), g, h);
      for (int k = 0; k < 3; ++k) {
        sum.first[k] += weight[i] * g[k];
        for (int l = k; l < 3; ++l) sum.second[k][l] += weight[i] * h[k][l];
      }
    }
  });
  SpendLikelihood out;
  for (const SpendLikelihood& part : parts) {
    out.value += part.value;
    for (int k = 0; k < 3; ++k) {
      out.first[k] += part.first[k];
      for (int l = k; l < 3; ++l) out.second[l][k] = out.second[k][l] += part.second[k][l];
    }
  }
  return out;
}

DrawnAmounts draw_amounts(const SpendModel& model, const double* parameters, double n,
                          Stream& gen) {
  const double level = model.draw_level(parameters, {0, 0, 0, 0}, gen);
  DrawnAmounts out;
  for (int k = 0; k < n; ++k) {
    const double amount = model.draw_amount(parameters, level, gen);
    out.sum += amount;
    out.logs.add(std::log(amount));
  }
  return out;
}

std::vector<Moments> log_moments(const int* customer, const double* sales, double unit,
                                 std::size_t rows, std::size_t customers) {
  std::vector<Moments> out(customers);
  std::vector<bool> seen(customers, false);
  for (std::size_t i = 0; i < rows; ++i) {
    const std::size_t c = static_cast<std::size_t>(customer[i] - 1);
    // an order worth nothing has no log
    if (seen[c] && sales[i] > 0) out[c].add(std::log(sales[i] / unit));
    seen[c] = true;
  }
  return out;
}

}  // namespace nubrek
