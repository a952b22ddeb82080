#include "model_exports.h"
#include <algorithm>
#include <array>
#include <cstring>
#include <unordered_map>
#include "threads.h"

using nubrek::chunks_of;
using nubrek::Histories;
using nubrek::kChunk;
using nubrek::ParameterSets;
using nubrek::purchase_model;
using nubrek::PurchaseModel;
using nubrek::run_tasks;

namespace {

template <class Row>
void each_row(R_xlen_t n, int threads, const Row& row) {
  run_tasks(chunks_of(n), threads, [&](std::size_t chunk) {
    const R_xlen_t from = static_cast<R_xlen_t>(chunk) * kChunk, to = std::min(n, from + kChunk);
    for (R_xlen_t i = from; i < to; ++i) row(i);
  });
}

// Customers with the same future: what is expected depends only on the updated parameters and the
// horizon.
using Future = std::array<double, 5>;
struct FutureHash {
  std::size_t operator()(const Future& f) const {
    std::uint64_t h = 0;
    for (const double one : f) {
      std::uint64_t bits;
      std::memcpy(&bits, &one, sizeof bits);
      h = (h ^ bits) * 0x9E3779B97F4A7C15ULL;
      h ^= h >> 29;
    }
    return static_cast<std::size_t>(h);
  }
};

struct Futures {
  std::vector<int> of;  // of each row
  std::vector<Future> distinct;
  std::vector<R_xlen_t> row;  // the first with each of them
  Futures(const PurchaseModel& model, const ParameterSets& sets, const Histories& h,
          const Rcpp::NumericVector& horizon)
      : of(static_cast<std::size_t>(h.n)) {
    std::unordered_map<Future, int, FutureHash> seen;
    for (R_xlen_t i = 0; i < h.n; ++i) {
      Future f;
      model.update(sets.of(i), h.of(i), f.data());
      f[4] = horizon[horizon.size() > 1 ? i : 0];
      const auto found = seen.emplace(f, static_cast<int>(distinct.size()));
      if (found.second) {
        distinct.push_back(f);
        row.push_back(i);
      }
      of[static_cast<std::size_t>(i)] = found.first->second;
    }
  }
};

// Probability of still being a customer, for each row. Who has bought once only is told by the time
// since then: such customers with the same future are the same.
std::vector<double> still_active(const PurchaseModel& model, const ParameterSets& sets,
                                 const Histories& h, const Futures& futures, int threads) {
  std::vector<double> once(futures.distinct.size()), out(static_cast<std::size_t>(h.n));
  const auto one = [&](R_xlen_t i) { return model.density(sets.of(i), h.of(i), nullptr).active; };
  run_tasks(once.size(), threads, [&](std::size_t k) {
    if (h.x[futures.row[k]] == 0) once[k] = one(futures.row[k]);
  });
  each_row(h.n, threads, [&](R_xlen_t i) {
    out[static_cast<std::size_t>(i)] =
        h.x[i] == 0 ? once[static_cast<std::size_t>(futures.of[static_cast<std::size_t>(i)])]
                    : one(i);
  });
  return out;
}

}  // namespace

// Names, parameters and kind of time of every purchase model.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_purchase_models() {
  Rcpp::List out;
  for (const PurchaseModel* model : nubrek::purchase_models()) {
    Rcpp::CharacterVector parameters(4);
    for (int i = 0; i < 4; ++i) parameters[i] = model->parameters[i];
    out.push_back(
        Rcpp::List::create(
            Rcpp::_["parameters"] = parameters, Rcpp::_["discrete"] = model->discrete,
            Rcpp::_["leaving"] = model->leaving == nubrek::Mixing::gamma ? "rate" : "share",
            Rcpp::_["buying"] = model->buying == nubrek::Mixing::gamma ? "rate" : "share"),
        model->name);
  }
  return out;
}

// Where a fit starts: one row per start.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_purchase_starts(std::string name, double rate, double span) {
  const auto starts = purchase_model(name).starts(rate, span);
  Rcpp::NumericMatrix out(static_cast<int>(starts.size()), 4);
  for (int i = 0; i < out.nrow(); ++i)
    for (int k = 0; k < 4; ++k)
      out(i, k) = starts[static_cast<std::size_t>(i)][static_cast<std::size_t>(k)];
  return out;
}

// The parameters of each set of covariates, a column each; `shifts` has two rows, of buying and of
// leaving.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_shift_parameters(std::string name, Rcpp::NumericVector base,
                                         Rcpp::NumericMatrix shifts) {
  const PurchaseModel& model = purchase_model(name);
  Rcpp::NumericMatrix out(4, shifts.ncol());
  for (int i = 0; i < shifts.ncol(); ++i)
    nubrek::shift(model, base.begin(), shifts(0, i), shifts(1, i), &out(0, i));
  return out;
}

// Log-density and probability of being active of each history.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_purchase_density(std::string name, Rcpp::NumericMatrix sets, Rcpp::IntegerVector set,
                                Rcpp::List histories, int threads) {
  const PurchaseModel& model = purchase_model(name);
  const ParameterSets of(sets, set);
  const Histories h(histories);
  Rcpp::NumericVector log_lik(h.n), active(h.n);
  double *to_log_lik = log_lik.begin(), *to_active = active.begin();
  each_row(h.n, threads, [&](R_xlen_t i) {
    const nubrek::Density d = model.density(of.of(i), h.of(i), nullptr);
    to_log_lik[i] = d.log_lik;
    to_active[i] = d.active;
  });
  return Rcpp::List::create(Rcpp::_["log_lik"] = log_lik, Rcpp::_["active"] = active);
}

// Weighted log-likelihood with gradient and Hessian in the logs of the base parameters and the
// effects of the design. `design` has a column per set of covariates, its first `buying` rows for
// the rate of buying, the others for leaving; rows of histories should stand in the order of their
// sets.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_purchase_sum(std::string name, Rcpp::NumericVector base, Rcpp::NumericVector effects,
                            Rcpp::NumericMatrix design, int buying, Rcpp::IntegerVector set,
                            Rcpp::List histories, Rcpp::NumericVector count, int threads) {
  const PurchaseModel& model = purchase_model(name);
  const Histories h(histories);
  const std::size_t K = static_cast<std::size_t>(effects.size()), P = 4 + K, size = 1 + P + P * P;
  const double *p = base.begin(), *beta = effects.begin(), *z = design.begin(),
               *counts = count.begin();
  const int* sets = set.size() > 0 ? set.begin() : nullptr;
  std::vector<std::vector<double>> parts(chunks_of(h.n), std::vector<double>(size, 0));
  run_tasks(parts.size(), threads, [&](std::size_t chunk) {
    std::vector<double>& sum = parts[chunk];
    double* gradient = sum.data() + 1;
    double* hessian = gradient + P;
    nubrek::Slopes slopes, inner = {};
    nubrek::ShiftedSlopes outer;
    double mine[4] = {p[0], p[1], p[2], p[3]};
    const double* row = nullptr;  // of the design
    std::vector<double> along(P), across(P);
    // what stands in `inner` belongs to one set: spread it over the effects
    const auto flush = [&] {
      if (K == 0) {
        for (std::size_t i = 0; i < 4; ++i) {
          gradient[i] += inner.first[i];
          for (std::size_t j = i; j < 4; ++j) hessian[i * P + j] += inner.second[i][j];
        }
      } else if (row) {
        nubrek::shift_slopes(model, p, mine, inner, outer);
        const auto place = [&](std::size_t i) {
          return i < 4                                      ? i
                 : i - 4 < static_cast<std::size_t>(buying) ? std::size_t(4)
                                                            : std::size_t(5);
        };
        const auto weight = [&](std::size_t i) { return i < 4 ? 1.0 : row[i - 4]; };
        for (std::size_t i = 0; i < P; ++i) {
          if (weight(i) == 0) continue;
          gradient[i] += weight(i) * outer.first[place(i)];
          for (std::size_t j = i; j < P; ++j)
            hessian[i * P + j] += weight(i) * weight(j) * outer.second[place(i)][place(j)];
        }
      }
      inner = {};
    };
    const R_xlen_t from = static_cast<R_xlen_t>(chunk) * kChunk, to = std::min(h.n, from + kChunk);
    int at = -1;
    for (R_xlen_t i = from; i < to; ++i) {
      if (K > 0 && sets[i] != at) {
        flush();
        at = sets[i];
        row = z + static_cast<std::size_t>(at - 1) * K;
        double shift[2] = {0, 0};
        for (std::size_t k = 0; k < K; ++k)
          shift[k < static_cast<std::size_t>(buying) ? 0 : 1] += beta[k] * row[k];
        nubrek::shift(model, p, shift[0], shift[1], mine);
      }
      sum[0] += counts[i] * model.density(mine, h.of(i), &slopes).log_lik;
      for (int k = 0; k < 4; ++k) {
        inner.first[k] += counts[i] * slopes.first[k];
        for (int l = k; l < 4; ++l) inner.second[k][l] += counts[i] * slopes.second[k][l];
      }
    }
    flush();
  });
  std::vector<double> sum(size, 0);
  for (const auto& part : parts)
    for (std::size_t i = 0; i < size; ++i) sum[i] += part[i];
  Rcpp::NumericVector gradient(sum.begin() + 1, sum.begin() + 1 + static_cast<std::ptrdiff_t>(P));
  Rcpp::NumericMatrix hessian(static_cast<int>(P), static_cast<int>(P));
  for (std::size_t i = 0; i < P; ++i)
    for (std::size_t j = i; j < P; ++j)
      hessian(static_cast<int>(i), static_cast<int>(j)) =
          hessian(static_cast<int>(j), static_cast<int>(i)) = sum[1 + P + i * P + j];
  return Rcpp::List::create(Rcpp::_["log_lik"] = sum[0], Rcpp::_["gradient"] = gradient,
                            Rcpp::_["hessian"] = hessian);
}

// Expected (discounted) purchases in (0, horizon] after each history; `horizon` is one, or one for
// each row.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_purchase_expected(std::string name, Rcpp::NumericMatrix sets,
                                          Rcpp::IntegerVector set, Rcpp::List histories,
                                          Rcpp::NumericVector horizon, double delta, int threads) {
  const PurchaseModel& model = purchase_model(name);
  const ParameterSets of(sets, set);
  const Histories h(histories);
  const Futures futures(model, of, h, horizon);
  std::vector<double> ahead(futures.distinct.size());
  run_tasks(ahead.size(), threads, [&](std::size_t k) {
    ahead[k] = model.expected(futures.distinct[k].data(), futures.distinct[k][4], delta);
  });
  Rcpp::NumericVector out(h.n);
  double* to = out.begin();
  const std::vector<double> there = still_active(model, of, h, futures, threads);
  each_row(h.n, threads, [&](R_xlen_t i) {
    to[i] = there[static_cast<std::size_t>(i)] *
            ahead[static_cast<std::size_t>(futures.of[static_cast<std::size_t>(i)])];
  });
  return out;
}

// Probability of still being a customer after each history, and the expected purchases in (0,
// horizon] discounted at a rate: a column for each horizon with its rate.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_purchase_ahead(std::string name, Rcpp::NumericMatrix sets, Rcpp::IntegerVector set,
                              Rcpp::List histories, Rcpp::NumericVector horizons,
                              Rcpp::NumericVector deltas, int threads) {
  const PurchaseModel& model = purchase_model(name);
  const ParameterSets of(sets, set);
  const Histories h(histories);
  const Futures futures(model, of, h, Rcpp::NumericVector(1));
  const std::size_t wide = static_cast<std::size_t>(horizons.size());
  const double *until = horizons.begin(), *delta = deltas.begin();
  std::vector<double> ahead(futures.distinct.size() * wide);
  run_tasks(futures.distinct.size(), threads, [&](std::size_t k) {
    for (std::size_t j = 0; j < wide; ++j)
      ahead[k * wide + j] = model.expected(futures.distinct[k].data(), until[j], delta[j]);
  });
  Rcpp::NumericVector active(h.n);
  Rcpp::NumericMatrix expected(static_cast<int>(h.n), static_cast<int>(wide));
  double *to_active = active.begin(), *to = expected.begin();
  const std::vector<double> there = still_active(model, of, h, futures, threads);
  each_row(h.n, threads, [&](R_xlen_t i) {
    to_active[i] = there[static_cast<std::size_t>(i)];
    const double* from =
        ahead.data() + static_cast<std::size_t>(futures.of[static_cast<std::size_t>(i)]) * wide;
    for (std::size_t j = 0; j < wide; ++j)
      to[i + static_cast<R_xlen_t>(j) * h.n] = to_active[i] * from[j];
  });
  return Rcpp::List::create(Rcpp::_["active"] = active, Rcpp::_["expected"] = expected);
}

// Probabilities of 0, 1, ..., n - 1 purchases in (0, horizon] after each history: a row each.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_purchase_distribution(std::string name, Rcpp::NumericMatrix sets,
                                              Rcpp::IntegerVector set, Rcpp::List histories,
                                              Rcpp::NumericVector horizon, int n, int threads) {
  const PurchaseModel& model = purchase_model(name);
  const ParameterSets of(sets, set);
  const Histories h(histories);
  const Futures futures(model, of, h, horizon);
  const std::size_t wide = static_cast<std::size_t>(n);
  std::vector<double> ahead(futures.distinct.size() * wide);
  run_tasks(futures.distinct.size(), threads, [&](std::size_t k) {
    model.distribution(futures.distinct[k].data(), futures.distinct[k][4], n,
                       ahead.data() + k * wide);
  });
  Rcpp::NumericMatrix out(static_cast<int>(h.n), n);
  double* to = out.begin();
  each_row(h.n, threads, [&](R_xlen_t i) {
    const double active = model.density(of.of(i), h.of(i), nullptr).active;
    const double* from =
        ahead.data() + static_cast<std::size_t>(futures.of[static_cast<std::size_t>(i)]) * wide;
    for (R_xlen_t k = 0; k < n; ++k) to[i + k * h.n] = active * from[k] + (k == 0 ? 1 - active : 0);
  });
  return out;
}

// Purchase times of new customers observed for `span` each, or only their histories.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_simulate_purchases(std::string name, Rcpp::NumericMatrix sets,
                                  Rcpp::IntegerVector set, Rcpp::NumericVector span,
                                  bool keep_times, double seed, int threads) {
  const PurchaseModel& model = purchase_model(name);
  const ParameterSets of(sets, set);
  const R_xlen_t n = span.size();
  Rcpp::NumericVector repeats(n), last(n);
  double *to_repeats = repeats.begin(), *to_last = last.begin();
  const double* spans = span.begin();
  std::vector<std::vector<double>> kept(keep_times ? static_cast<std::size_t>(n) : 0);
  each_row(n, threads, [&](R_xlen_t i) {
    nubrek::Stream gen(static_cast<std::uint64_t>(seed), static_cast<std::uint64_t>(i));
    double q[4];
    std::vector<double> times;
    model.update(of.of(i), {0, 0, 0}, q);
    if (gen.unit() < model.density(of.of(i), {0, 0, 0}, nullptr).active)
      model.draw(q, spans[i], gen, times);
    to_repeats[i] = static_cast<double>(times.size());
    to_last[i] = times.empty() ? 0 : times.back();
    if (keep_times) kept[static_cast<std::size_t>(i)] = std::move(times);
  });
  Rcpp::List out = Rcpp::List::create(Rcpp::_["repeats"] = repeats, Rcpp::_["last"] = last);
  if (keep_times) {
    std::size_t all = 0;
    for (const auto& one : kept) all += one.size();
    Rcpp::IntegerVector row(static_cast<R_xlen_t>(all));
    Rcpp::NumericVector time(static_cast<R_xlen_t>(all));
    R_xlen_t place = 0;
    for (std::size_t i = 0; i < kept.size(); ++i)
      for (const double t : kept[i]) {
        row[place] = static_cast<int>(i + 1);
        time[place++] = t;
      }
    out["row"] = row;
    out["time"] = time;
  }
  return out;
}
