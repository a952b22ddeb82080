#include "course_kernels.h"
#include "model_exports.h"

namespace {

// `worlds` from R: names of both `models`, `histories` with amounts, the `set` of each row, for
// each draw a matrix of `purchase` parameters (a column per set) and a row of `spend` parameters;
// `draw` has how many `individual` courses, the `seed`, the number of the first row, `threads`.
struct WorldColumns {
  nubrek::HistoryColumns histories;
  nubrek::SpendColumns amounts;
  std::vector<nubrek::SetColumns> sets;
  nubrek::Worlds rows;

  WorldColumns(const Rcpp::List& worlds, const Rcpp::List& draw)
      : histories(Rcpp::List(worlds["histories"])),
        amounts(Rcpp::List(worlds["histories"])),
        rows{nubrek::purchase_model(model_name(worlds, "purchases")),
             nubrek::spend_model(model_name(worlds, "spend")),
             histories.rows,
             amounts.rows,
             {},
             {},
             static_cast<std::size_t>(Rcpp::as<int>(draw["individual"])),
             static_cast<std::uint64_t>(Rcpp::as<double>(draw["seed"])),
             static_cast<std::uint64_t>(Rcpp::as<double>(draw["first"])),
             Rcpp::as<int>(draw["threads"])} {
    const Rcpp::List purchase = worlds["purchase"];
    const Rcpp::NumericMatrix spend = worlds["spend"];
    for (R_xlen_t d = 0; d < purchase.size(); ++d) {
      sets.emplace_back(Rcpp::as<Rcpp::NumericMatrix>(purchase[d]),
                        Rcpp::IntegerVector(worlds["set"]));
      rows.purchase.push_back(sets.back().rows);
      for (int j = 0; j < 3; ++j) rows.levels.push_back(spend(static_cast<int>(d), j));
    }
  }

 private:
  static std::string model_name(const Rcpp::List& worlds, const char* which) {
    return Rcpp::as<std::string>(Rcpp::List(worlds["models"])[which]);
  }
};

void check_interrupt() {
  Rcpp::checkUserInterrupt();
}

}  // namespace

// Per-customer quantiles of the discounted spend, and the draws of the totals of groups of
// customers (numbered from 1).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_simulate_value(Rcpp::List worlds, Rcpp::List draw, Rcpp::List groups, double horizon,
                              double delta, std::vector<double> levels) {
  const WorldColumns w(worlds, draw);
  const Rcpp::IntegerVector of = groups["of"];
  const int number = groups["number"];
  Rcpp::NumericMatrix quantiles(static_cast<int>(w.rows.h.n), static_cast<int>(levels.size())),
      totals(static_cast<int>(w.rows.draws()), number);
  nubrek::draw_value(w.rows, {of.begin(), static_cast<std::size_t>(number)}, horizon, delta, levels,
                     check_interrupt, quantiles.begin(), totals.begin());
  return Rcpp::List::create(Rcpp::_["quantiles"] = quantiles, Rcpp::_["totals"] = totals);
}

// The draws of purchases, active customers and spend of groups of customers (numbered from 1 in
// ascending order) in each period: an array of draw x period x group for each. `edges` are the ends
// of the periods after today, the first being 0. With `arrivals` (`come`, `place`, `number`,
// `first_factor`) the rows are customers still to come.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_simulate_periods(Rcpp::List worlds, Rcpp::List draw, Rcpp::List groups,
                                std::vector<double> edges, Rcpp::Nullable<Rcpp::List> arrivals) {
  const WorldColumns w(worlds, draw);
  const Rcpp::IntegerVector of = groups["of"];
  const int number = groups["number"], draws = static_cast<int>(w.rows.draws()),
            periods = static_cast<int>(edges.size()) - 1;
  const R_xlen_t size = static_cast<R_xlen_t>(draws) * periods * number;
  Rcpp::NumericVector purchases(size), active(size), sales(size);
  double* const sums[3] = {purchases.begin(), active.begin(), sales.begin()};
  const nubrek::Groups plain{of.begin(), static_cast<std::size_t>(number)};
  if (arrivals.isNull()) {
    nubrek::draw_periods(w.rows, plain, edges, nullptr, check_interrupt, sums);
  } else {
    const Rcpp::List a(arrivals);
    const Rcpp::IntegerVector come = a["come"], place = a["place"];
    const Rcpp::IntegerMatrix new_customers = a["number"];
    const nubrek::NewCustomers coming{come.begin(), place.begin(), new_customers.begin(),
                                      Rcpp::as<double>(a["first_factor"])};
    nubrek::draw_periods(w.rows, plain, edges, &coming, check_interrupt, sums);
  }
  for (auto* one : {&purchases, &active, &sales})
    one->attr("dim") = Rcpp::IntegerVector::create(draws, periods, number);
  return Rcpp::List::create(Rcpp::_["purchases"] = purchases, Rcpp::_["active"] = active,
                            Rcpp::_["sales"] = sales);
}

// The share of draws of each customer's coming sales that fall between the limits: row = customer,
// column = tier, the last one without any purchase. `limits` fall from the best tier down.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_simulate_tiers(Rcpp::List worlds, Rcpp::List draw, double horizon,
                                       std::vector<double> limits, double kept) {
  const WorldColumns w(worlds, draw);
  Rcpp::NumericMatrix out(static_cast<int>(w.rows.h.n), static_cast<int>(limits.size()) + 1);
  nubrek::draw_tiers(w.rows, horizon, limits, kept, out.begin());
  return out;
}
