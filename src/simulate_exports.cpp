#include "model_exports.h"
#include <algorithm>
#include "threads.h"

namespace {

// Quantile of type 7 of `values` and so many zeros; all values are positive. Reorders the values.
double quantile7(std::vector<double>& values, std::size_t zeros, double level) {
  const std::size_t n = values.size() + zeros;
  const double place = level * (n - 1);
  const std::size_t below = static_cast<std::size_t>(place);
  const auto at = [&](std::size_t rank) {
    if (rank < zeros) return 0.0;
    const auto nth = values.begin() + static_cast<std::ptrdiff_t>(rank - zeros);
    std::nth_element(values.begin(), nth, values.end());
    return *nth;
  };
  const double low = at(below);
  return below + 1 < n && place > below ? low + (place - below) * (at(below + 1) - low) : low;
}

// Nested draws of what each customer does in (0, horizon] after what is known: for every draw of
// the parameters `individual` courses. `draws` has for each draw a matrix of purchase parameters (a
// column per set) and a row of spend parameters. The random numbers of a customer are those of his
// number, from `first` on.
struct Worlds {
  const nubrek::PurchaseModel& buys;
  const nubrek::SpendModel& spends;
  nubrek::Histories h;
  nubrek::Spends amounts;
  std::vector<nubrek::ParameterSets> purchase;
  Rcpp::NumericMatrix spend;
  std::vector<double> levels;  // spend parameters, three for each draw
  int individual;
  std::uint64_t seed, first;

  std::size_t draws() const { return purchase.size() * static_cast<std::size_t>(individual); }

  // Visits every draw of customer i in which he is still there, with his level of spending; `visit`
  // draws the course itself.
  template <class Visit>
  void each(R_xlen_t i, const Visit& visit) const {
    nubrek::Stream gen(seed, first + static_cast<std::uint64_t>(i));
    const nubrek::History seen = h.of(i);
    for (std::size_t d = 0; d < purchase.size(); ++d) {
      const double* p = purchase[d].of(i);
      const double* z = levels.data() + 3 * d;
      const double active = buys.roughly_active(p, seen);
      double q[4];
      buys.update(p, seen, q);
      for (int k = 0; k < individual; ++k)
        visit(d * static_cast<std::size_t>(individual) + static_cast<std::size_t>(k),
              gen.unit() < active, q, z, gen);
    }
  }

  // Visits every draw of customer i with his discounted spend in (0, horizon].
  template <class Visit>
  void each_value(R_xlen_t i, double horizon, double delta, std::vector<double>& times,
                  const Visit& visit) const {
    each(i,
         [&](std::size_t draw, bool active, const double* q, const double* z, nubrek::Stream& gen) {
           double value = 0;
           times.clear();
           if (active) buys.draw(q, horizon, gen, times);
           if (!times.empty()) {
             const double level = spends.draw_level(z, amounts.of(i), gen);
             for (const double t : times)
               value += spends.draw_amount(z, level, gen) * (delta > 0 ? std::exp(-delta * t) : 1);
           }
           visit(draw, value);
         });
  }
};

Worlds worlds_of(const Rcpp::List& models, const Rcpp::List& histories,
                 const Rcpp::IntegerVector& set, const Rcpp::List& purchase,
                 const Rcpp::NumericMatrix& spend, int individual, double seed, double first = 0) {
  Worlds out{nubrek::purchase_model(Rcpp::as<std::string>(models["purchases"])),
             nubrek::spend_model(Rcpp::as<std::string>(models["spend"])),
             nubrek::Histories(histories),
             nubrek::Spends(histories),
             {},
             spend,
             {},
             individual,
             static_cast<std::uint64_t>(seed),
             static_cast<std::uint64_t>(first)};
  for (R_xlen_t d = 0; d < purchase.size(); ++d) {
    out.purchase.emplace_back(Rcpp::as<Rcpp::NumericMatrix>(purchase[d]), set);
    for (int j = 0; j < 3; ++j) out.levels.push_back(spend(static_cast<int>(d), j));
  }
  return out;
}

}  // namespace

// Per-customer quantiles of the discounted spend, and the draws of the totals of groups of
// customers (numbered from 1).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_simulate_value(Rcpp::List models, Rcpp::List histories, Rcpp::IntegerVector set,
                              Rcpp::List purchase, Rcpp::NumericMatrix spend, int individual,
                              Rcpp::IntegerVector group, int groups, double horizon, double delta,
                              Rcpp::NumericVector levels, double seed, double first_row,
                              int threads) {
  const Worlds worlds =
      worlds_of(models, histories, set, purchase, spend, individual, seed, first_row);
  const R_xlen_t n = worlds.h.n;
  const std::size_t draws = worlds.draws(), wide = static_cast<std::size_t>(groups),
                    tails = static_cast<std::size_t>(levels.size());
  Rcpp::NumericMatrix quantiles(static_cast<int>(n), static_cast<int>(tails)),
      totals(static_cast<int>(draws), groups);
  double* to = quantiles.begin();
  const double* level = levels.begin();
  const int* of = group.begin();
  // a batch of chunks at a time, so that the user can stop it and the partial totals stay few
  const std::size_t chunks = nubrek::chunks_of(n), batch = std::max<std::size_t>(4, 64 / wide);
  for (std::size_t from = 0; from < chunks; from += batch) {
    const std::size_t here = std::min(batch, chunks - from);
    std::vector<std::vector<double>> parts(here, std::vector<double>(draws * wide, 0));
    nubrek::run_tasks(here, threads, [&](std::size_t k) {
      std::vector<double> values, times;
      const R_xlen_t first = static_cast<R_xlen_t>(from + k) * nubrek::kChunk,
                     end = std::min(n, first + nubrek::kChunk);
      for (R_xlen_t i = first; i < end; ++i) {
        double* sum = parts[k].data() + static_cast<std::size_t>(of[i] - 1) * draws;
        values.clear();
        worlds.each_value(i, horizon, delta, times, [&](std::size_t draw, double value) {
          if (value <= 0) return;
          values.push_back(value);
          sum[draw] += value;
        });
        for (std::size_t j = 0; j < tails; ++j)
          to[i + static_cast<R_xlen_t>(j) * n] = quantile7(values, draws - values.size(), level[j]);
      }
    });
    for (const auto& part : parts)
      for (std::size_t d = 0; d < draws * wide; ++d) totals[static_cast<R_xlen_t>(d)] += part[d];
    Rcpp::checkUserInterrupt();
  }
  return Rcpp::List::create(Rcpp::_["quantiles"] = quantiles, Rcpp::_["totals"] = totals);
}

// The draws of purchases, active customers and spend of groups of customers (numbered from 1 in
// ascending order) in each period: an array of draw x period x group for each. `edges` are the ends
// of the periods after today, the first being 0. A row with `come` > 0 is a customer who comes in
// that period, at a time of his own, in those draws in which his `place` is not above the number of
// new customers (row = draw, column = period); his first purchase, worth `first_factor` times the
// others, is in it.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_simulate_periods(Rcpp::List models, Rcpp::List histories, Rcpp::IntegerVector set,
                                Rcpp::List purchase, Rcpp::NumericMatrix spend, int individual,
                                Rcpp::IntegerVector group, int groups, Rcpp::NumericVector edges,
                                Rcpp::IntegerVector come, Rcpp::IntegerVector place,
                                Rcpp::IntegerMatrix arrivals, double first_factor, double seed,
                                double first_row, int threads) {
  const Worlds worlds =
      worlds_of(models, histories, set, purchase, spend, individual, seed, first_row);
  const R_xlen_t n = worlds.h.n;
  const std::size_t draws = worlds.draws(), periods = static_cast<std::size_t>(edges.size() - 1),
                    one = draws * periods;
  Rcpp::NumericVector sums[3] = {Rcpp::NumericVector(static_cast<R_xlen_t>(one * groups)),
                                 Rcpp::NumericVector(static_cast<R_xlen_t>(one * groups)),
                                 Rcpp::NumericVector(static_cast<R_xlen_t>(one * groups))};
  const double* edge = edges.begin();
  const double horizon = edge[periods];
  const int *of = group.begin(), *new_in = come.begin(), *rank = place.begin(),
            *number = arrivals.begin();
  const bool newcomers = come.size() > 0;
  const std::size_t chunks = nubrek::chunks_of(n),
                    batch =
                        std::max<std::size_t>(8, std::min<std::size_t>(64, 20000000 / (3 * one)));
  for (std::size_t from = 0; from < chunks; from += batch) {
    const std::size_t here = std::min(batch, chunks - from);
    std::vector<std::vector<double>> parts(here);
    nubrek::run_tasks(here, threads, [&](std::size_t k) {
      const R_xlen_t first = static_cast<R_xlen_t>(from + k) * nubrek::kChunk,
                     end = std::min(n, first + nubrek::kChunk);
      const std::size_t lowest = static_cast<std::size_t>(of[first]),
                        wide = static_cast<std::size_t>(of[end - 1]) - lowest + 1;
      std::vector<double>& part = parts[k];
      part.assign(3 * one * wide, 0);
      std::vector<double> times;
      for (R_xlen_t i = first; i < end; ++i) {
        double* own = part.data() + (static_cast<std::size_t>(of[i]) - lowest) * 3 * one;
        worlds.each(i, [&](std::size_t draw, bool active, const double* q, const double* z,
                           nubrek::Stream& gen) {
          double came = 0, level = 0;
          std::size_t p = 0, last = periods;  // the period reached, the last one with a purchase
          const auto buy = [&](double amount) {
            double* at = own + p * draws + draw;
            at[0] += 1;
            if (last != p) at[one] += 1;
            last = p;
            at[2 * one] += amount;
          };
          if (newcomers) {
            p = static_cast<std::size_t>(new_in[i]) - 1;
            if (rank[i] > number[draw + p * draws]) return;
            came = edge[p] + gen.unit() * (edge[p + 1] - edge[p]);
            level = worlds.spends.draw_level(z, worlds.amounts.of(i), gen);
            buy(first_factor * worlds.spends.draw_amount(z, level, gen));
          }
          times.clear();
          if (active) worlds.buys.draw(q, horizon - came, gen, times);
          if (times.empty()) return;
          if (!newcomers) level = worlds.spends.draw_level(z, worlds.amounts.of(i), gen);
          for (const double t : times) {
            while (p + 1 < periods && came + t > edge[p + 1]) ++p;
            buy(worlds.spends.draw_amount(z, level, gen));
          }
        });
      }
    });
    for (std::size_t k = 0; k < here; ++k) {
      const std::size_t lowest = static_cast<std::size_t>(
                                     of[static_cast<R_xlen_t>(from + k) * nubrek::kChunk]) -
                                 1,
                        wide = parts[k].size() / (3 * one);
      for (std::size_t g = 0; g < wide; ++g)
        for (std::size_t m = 0; m < 3; ++m) {
          double* to = sums[m].begin() + (lowest + g) * one;
          const double* part = parts[k].data() + (g * 3 + m) * one;
          for (std::size_t d = 0; d < one; ++d) to[d] += part[d];
        }
    }
    Rcpp::checkUserInterrupt();
  }
  const Rcpp::IntegerVector dim =
      Rcpp::IntegerVector::create(static_cast<int>(draws), static_cast<int>(periods), groups);
  for (auto& sum : sums) sum.attr("dim") = dim;
  return Rcpp::List::create(Rcpp::_["purchases"] = sums[0], Rcpp::_["active"] = sums[1],
                            Rcpp::_["sales"] = sums[2]);
}

// The share of draws of each customer's coming sales that fall between the limits: row = customer,
// column = tier, the last one without any purchase. `limits` fall from the best tier down.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_simulate_tiers(Rcpp::List models, Rcpp::List histories,
                                       Rcpp::IntegerVector set, Rcpp::List purchase,
                                       Rcpp::NumericMatrix spend, int individual, double horizon,
                                       Rcpp::NumericVector limits, double kept, double seed,
                                       int threads) {
  const Worlds worlds = worlds_of(models, histories, set, purchase, spend, individual, seed);
  const R_xlen_t n = worlds.h.n;
  const int tiers = static_cast<int>(limits.size());
  Rcpp::NumericMatrix out(static_cast<int>(n), tiers + 1);
  double* to = out.begin();
  const double* edge = limits.begin();
  const double weight = 1.0 / (static_cast<double>(spend.nrow()) * individual);
  nubrek::run_tasks(nubrek::chunks_of(n), threads, [&](std::size_t chunk) {
    const R_xlen_t first = static_cast<R_xlen_t>(chunk) * nubrek::kChunk,
                   end = std::min(n, first + nubrek::kChunk);
    std::vector<double> times;
    for (R_xlen_t i = first; i < end; ++i)
      worlds.each_value(i, horizon, 0, times, [&](std::size_t, double value) {
        int tier = tiers;
        if (value > 0)
          for (tier = 0; tier < tiers - 1 && kept * value < edge[tier]; ++tier) {
          }
        to[i + tier * n] += weight;
      });
  });
  return out;
}
