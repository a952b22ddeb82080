#include "course_count.h"
#include "line_kernels.h"
#include "row_columns.h"

namespace {

// The answers to one question, alive as long as the pass.
struct Answers {
  Rcpp::NumericVector money, units;
  Rcpp::IntegerVector purchases, last, returned;
  Answers(int n, bool counted)
      : money(n), units(counted ? n : 0), purchases(n), last(n, NA_INTEGER), returned(n) {}
  nubrek::LineMeasures out() {
    return {money.begin(), units.size() > 0 ? units.begin() : nullptr, purchases.begin(),
            last.begin(), returned.begin()};
  }
  Rcpp::List list() const {
    return Rcpp::List::create(Rcpp::_["sales"] = money, Rcpp::_["units"] = units,
                              Rcpp::_["purchases"] = purchases, Rcpp::_["last"] = last,
                              Rcpp::_["returned"] = returned);
  }
};

}  // namespace

// For each of `questions` (a `span` of days, `units` where wanted, `tests`: the `code` of each line
// and whether the condition `holds`, first of a missing code, then by code), per customer: sales,
// units, purchases, the day of the latest (NA without one), lines of goods below zero. `lines` has
// `sales`, codes of `quantity` (or nothing), the `units` of a code, which are `goods` (nothing where
// all are), and which orders were `bought`; `rule` is how a purchase is counted:
// `least`, `by_day`, `free`.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_line_measures(Rcpp::List orders, Rcpp::List lines, Rcpp::List questions,
                             Rcpp::List rule, int n_customers, int threads) {
  const nubrek::RowColumns of(orders);
  const Rcpp::IntegerVector n_lines = orders["n_lines"], quantity = lines["quantity"],
                            goods = lines["goods"], bought = lines["bought"];
  const Rcpp::NumericVector money = lines["sales"], units = lines["units"];
  std::vector<Answers> answers;
  std::vector<Rcpp::IntegerVector> kept;
  std::vector<nubrek::LineQuestion> asked;
  for (R_xlen_t q = 0; q < questions.size(); ++q) {
    const Rcpp::List question = questions[q], tests = question["tests"];
    const Rcpp::IntegerVector span = question["span"];
    answers.emplace_back(n_customers, Rcpp::as<bool>(question["units"]));
    asked.push_back({{span[0], span[1]}, {}, answers.back().out()});
    for (R_xlen_t t = 0; t < tests.size(); ++t) {
      const Rcpp::List test = tests[t];
      const Rcpp::IntegerVector code = test["code"], holds = test["holds"];
      kept.insert(kept.end(), {code, holds});
      asked.back().tests.push_back({code.begin(), holds.begin()});
    }
  }
  nubrek::measure_lines({of.events(), n_lines.begin(), money.begin(), quantity.begin(),
                         units.begin(), goods.size() > 0 ? goods.begin() : nullptr,
                         bought.begin()},
                        asked, {rule["least"], rule["by_day"], rule["free"]}, threads);
  Rcpp::List out(questions.size());
  for (R_xlen_t q = 0; q < out.size(); ++q) out[q] = answers[static_cast<std::size_t>(q)].list();
  return out;
}

// The count of an audience step by step: of each of `truths` (by customer) `customers` left, their
// `money`, `taken`, `alone`, `cannot_tell`; the first condition that each customer has `failed` (0:
// none, NA outside the population), and how many are `unsure`.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_count_steps(Rcpp::List truths, Rcpp::LogicalVector takes_away,
                           Rcpp::LogicalVector inside, Rcpp::NumericVector money, int threads) {
  std::vector<Rcpp::LogicalVector> kept;
  std::vector<nubrek::Condition> conditions;
  for (R_xlen_t k = 0; k < truths.size(); ++k) {
    kept.emplace_back(truths[k]);
    conditions.push_back({kept.back().begin(), takes_away[k] == 1});
  }
  std::vector<nubrek::StepCount> steps(conditions.size());
  Rcpp::IntegerVector failed(inside.size(), NA_INTEGER);
  const int unsure =
      nubrek::count_steps({inside.begin(), money.begin(), static_cast<std::size_t>(inside.size())},
                          conditions, threads, steps, failed.begin());
  const R_xlen_t n = truths.size();
  Rcpp::IntegerVector customers(n), taken(n), alone(n), cannot_tell(n);
  Rcpp::NumericVector left(n);
  for (R_xlen_t k = 0; k < n; ++k) {
    const nubrek::StepCount& one = steps[static_cast<std::size_t>(k)];
    customers[k] = one.customers;
    left[k] = one.money;
    taken[k] = one.taken;
    alone[k] = one.alone;
    cannot_tell[k] = one.cannot_tell;
  }
  return Rcpp::List::create(Rcpp::_["customers"] = customers, Rcpp::_["money"] = left,
                            Rcpp::_["taken"] = taken, Rcpp::_["alone"] = alone,
                            Rcpp::_["cannot_tell"] = cannot_tell, Rcpp::_["failed"] = failed,
                            Rcpp::_["unsure"] = unsure);
}
