#include <Rcpp.h>
#include "cell_kernels.h"

namespace {

// Calls `work` with the place that `spec` describes: `row` and `origin` (calendar), `step` days, or
// `step` months with the calendar's parts.
template <class Work>
void with_place(Rcpp::List spec, Rcpp::IntegerVector start, const Work& work) {
  const std::string kind = spec["kind"];
  if (kind == "calendar") {
    Rcpp::IntegerVector row = spec["row"];
    work(nubrek::CalendarPlace{{row.begin(), spec["origin"]}});
  } else if (kind == "days") {
    work(nubrek::ElapsedDays{start.begin(), spec["step"]});
  } else {
    Rcpp::IntegerVector month = spec["month"], day = spec["day"], last = spec["last"];
    work(nubrek::ElapsedMonths{month.begin(), day.begin(), last.begin(), spec["origin"],
                               start.begin(), spec["step"]});
  }
}

nubrek::Events events_of(Rcpp::IntegerVector customer, Rcpp::IntegerVector day) {
  return {customer.begin(), day.begin(), static_cast<std::size_t>(customer.size())};
}

}  // namespace

// `cohort`, `start` (the day from which ages count) and `first` (the first purchase day in the
// data) are per customer, NA without a purchase.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_active_cells(Rcpp::List purchases, Rcpp::List place, Rcpp::IntegerVector start,
                            Rcpp::IntegerVector cohort, int n_cohorts, int n_places) {
  Rcpp::IntegerVector customer = purchases["customer"], day = purchases["day"];
  Rcpp::IntegerMatrix customers(n_cohorts, n_places), n_purchases(n_cohorts, n_places),
      last(n_cohorts, n_places);
  with_place(place, start, [&](const auto& at) {
    nubrek::count_active(events_of(customer, day), at,
                         {cohort.begin(), NA_INTEGER, static_cast<std::size_t>(n_cohorts)},
                         static_cast<std::size_t>(n_places),
                         {customers.begin(), n_purchases.begin(), last.begin()});
  });
  return Rcpp::List::create(Rcpp::_["customers"] = customers, Rcpp::_["purchases"] = n_purchases,
                            Rcpp::_["last"] = last);
}

// `customers` has `start`, `first` and `cohort`.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_money_cells(Rcpp::List orders, Rcpp::NumericVector money, Rcpp::List place,
                           Rcpp::List customers, int n_cohorts, int n_places) {
  const Rcpp::IntegerVector start = customers["start"], first = customers["first"],
                            cohort = customers["cohort"];
  Rcpp::IntegerVector customer = orders["customer"], day = orders["day"];
  Rcpp::IntegerMatrix n_orders(n_cohorts, n_places);
  Rcpp::NumericMatrix sums(n_cohorts, n_places), squares(n_cohorts, n_places),
      with_first(n_cohorts, n_places), running(n_cohorts, n_places);
  nubrek::MoneyCells cells{n_orders.begin(),   sums.begin(),    squares.begin(),
                           with_first.begin(), running.begin(), 0};
  with_place(place, start, [&](const auto& at) {
    nubrek::sum_money(events_of(customer, day), money.begin(), first.begin(), at,
                      {cohort.begin(), NA_INTEGER, static_cast<std::size_t>(n_cohorts)},
                      static_cast<std::size_t>(n_places), cells);
  });
  return Rcpp::List::create(Rcpp::_["orders"] = n_orders, Rcpp::_["sums"] = sums,
                            Rcpp::_["squares"] = squares, Rcpp::_["with_first"] = with_first,
                            Rcpp::_["running"] = running, Rcpp::_["outside"] = cells.outside);
}

// The earliest and latest start of each cohort's customers.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_cohort_starts(Rcpp::IntegerVector start, Rcpp::IntegerVector cohort, int n_cohorts) {
  Rcpp::IntegerVector oldest(n_cohorts, NA_INTEGER), youngest(n_cohorts, NA_INTEGER);
  nubrek::cohort_starts(start.begin(), cohort.begin(), static_cast<std::size_t>(start.size()),
                        NA_INTEGER, oldest.begin(), youngest.begin());
  return Rcpp::List::create(Rcpp::_["oldest"] = oldest, Rcpp::_["youngest"] = youngest);
}
