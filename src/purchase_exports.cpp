#include "model_exports.h"

using nubrek::HistoryColumns;
using nubrek::purchase_model;
using nubrek::PurchaseModel;
using nubrek::SetColumns;

// Parameters and kind of time of every purchase model.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_purchase_models() {
  const auto mixing = [](nubrek::Mixing m) {
    return m == nubrek::Mixing::rate ? "rate" : "share";
  };
  Rcpp::List out;
  for (const PurchaseModel* model : nubrek::purchase_models())
    out.push_back(
        Rcpp::List::create(
            Rcpp::_["parameters"] = Rcpp::CharacterVector(model->parameters, model->parameters + 4),
            Rcpp::_["discrete"] = model->discrete, Rcpp::_["leaving"] = mixing(model->leaving),
            Rcpp::_["buying"] = mixing(model->buying)),
        model->name);
  return out;
}

// A model compiled elsewhere, by its address; it must stay loaded.
// [[Rcpp::export(rng = false)]]
void cpp_add_purchase_model(SEXP address) {
  nubrek::add_purchase_model(static_cast<const PurchaseModel*>(R_ExternalPtrAddr(address)));
}

// Where a fit starts: one column per start.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_purchase_starts(std::string name, double rate, double span) {
  const auto starts = purchase_model(name).starts(rate, span);
  Rcpp::NumericMatrix out(4, static_cast<int>(starts.size()));
  auto to = out.begin();
  for (const auto& start : starts) to = std::copy(start.begin(), start.end(), to);
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
Rcpp::List cpp_purchase_density(std::string name, Rcpp::List own, Rcpp::List histories,
                                int threads) {
  const PurchaseModel& model = purchase_model(name);
  const SetColumns sets(own);
  const HistoryColumns h(histories);
  Rcpp::NumericVector log_lik(h.repeats.size()), active(h.repeats.size());
  double *to_log_lik = log_lik.begin(), *to_active = active.begin();
  nubrek::each_row(h.rows.n, threads, [&](std::size_t i) {
    const nubrek::Density d = model.density(sets.rows.of(i), h.rows.of(i), nullptr);
    to_log_lik[i] = d.log_lik;
    to_active[i] = d.active;
  });
  return Rcpp::List::create(Rcpp::_["log_lik"] = log_lik, Rcpp::_["active"] = active);
}

// Weighted log-likelihood with gradient and Hessian; `design` has `effects`, `columns`, `buying`
// and the `set` of each history.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_purchase_sum(std::string name, Rcpp::NumericVector base, Rcpp::List design,
                            Rcpp::List histories, Rcpp::NumericVector count, int threads) {
  const Rcpp::NumericVector effects = design["effects"];
  const Rcpp::NumericMatrix columns = design["columns"];
  const Rcpp::IntegerVector set = design["set"];
  const HistoryColumns h(histories);
  const nubrek::Design plain{columns.begin(), effects.begin(),
                             static_cast<std::size_t>(effects.size()),
                             static_cast<std::size_t>(Rcpp::as<int>(design["buying"])),
                             set.size() > 0 ? set.begin() : nullptr};
  const auto sum = nubrek::sum_log_likelihood(purchase_model(name), base.begin(), plain, h.rows,
                                              count.begin(), threads);
  return Rcpp::List::create(
      Rcpp::_["log_lik"] = sum.value,
      Rcpp::_["gradient"] = Rcpp::NumericVector(sum.gradient.begin(), sum.gradient.end()),
      Rcpp::_["hessian"] = nubrek::square(sum.hessian, sum.gradient.size()));
}

// Expected (discounted) purchases in (0, horizon] after each history; `horizon` is one, or one for
// each row.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_purchase_expected(std::string name, Rcpp::List own, Rcpp::List histories,
                                          std::vector<double> horizon, double delta, int threads) {
  const HistoryColumns h(histories);
  Rcpp::NumericVector out(h.repeats.size());
  nubrek::expected_purchases(purchase_model(name), SetColumns(own).rows, h.rows, horizon, delta,
                             threads, out.begin());
  return out;
}

// Probability of still being a customer after each history, and the expected purchases in (0,
// horizon] discounted at a rate: a column for each horizon with its rate.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_purchase_ahead(std::string name, Rcpp::List own, Rcpp::List histories,
                              std::vector<double> horizons, std::vector<double> deltas,
                              int threads) {
  const HistoryColumns h(histories);
  Rcpp::NumericVector active(h.repeats.size());
  Rcpp::NumericMatrix expected(static_cast<int>(h.rows.n), static_cast<int>(horizons.size()));
  nubrek::purchases_ahead(purchase_model(name), SetColumns(own).rows, h.rows, horizons, deltas,
                          threads, active.begin(), expected.begin());
  return Rcpp::List::create(Rcpp::_["active"] = active, Rcpp::_["expected"] = expected);
}

// Probabilities of 0, 1, ..., n - 1 purchases in (0, horizon] after each history: a row each.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_purchase_distribution(std::string name, Rcpp::List own,
                                              Rcpp::List histories, std::vector<double> horizon,
                                              int n, int threads) {
  const HistoryColumns h(histories);
  Rcpp::NumericMatrix out(static_cast<int>(h.rows.n), n);
  nubrek::purchase_distribution(purchase_model(name), SetColumns(own).rows, h.rows, horizon,
                                static_cast<std::size_t>(n), threads, out.begin());
  return out;
}

// Purchase times of new customers observed for `span` each, or only their histories.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_simulate_purchases(std::string name, Rcpp::List own, Rcpp::NumericVector span,
                                  bool keep_times, double seed, int threads) {
  const auto drawn = nubrek::draw_purchases(purchase_model(name), SetColumns(own).rows,
                                            span.begin(), static_cast<std::size_t>(span.size()),
                                            static_cast<std::uint64_t>(seed), threads);
  std::vector<double> repeats, last, time;
  std::vector<int> row;
  for (const auto& times : drawn) {
    repeats.push_back(static_cast<double>(times.size()));
    last.push_back(times.empty() ? 0 : times.back());
    if (!keep_times) continue;
    row.resize(row.size() + times.size(), static_cast<int>(repeats.size()));
    time.insert(time.end(), times.begin(), times.end());
  }
  Rcpp::List out = Rcpp::List::create(Rcpp::_["repeats"] = repeats, Rcpp::_["last"] = last);
  if (keep_times) {
    out["row"] = row;
    out["time"] = time;
  }
  return out;
}
