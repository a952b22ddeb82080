#include <Rcpp.h>
#include "lazy_text.h"
#include "threads.h"
#include "unit_kernels.h"

// Numbers distinct pairs of codes from 1, in order of appearance. Where b are mostly codes from 1
// to `n_b` that go with one a each, that is quick.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_number_pairs(Rcpp::IntegerVector a, Rcpp::IntegerVector b, int n_b) {
  Rcpp::IntegerVector unit = Rcpp::no_init(a.size());
  const std::size_t n =
      nubrek::number_pairs(a.begin(), b.begin(), static_cast<std::size_t>(a.size()),
                           static_cast<std::size_t>(n_b), unit.begin());
  return Rcpp::List::create(Rcpp::_["unit"] = unit, Rcpp::_["n"] = static_cast<int>(n));
}

// Per unit (1-based): the first row, the earliest and the latest day, the seconds of the earliest
// moment, the sum of `sales` and the number of rows. `seconds` may be empty (all at midnight). Rows
// listed in `apart` (ascending) do not decide the first row and the time.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_unit_sums(Rcpp::IntegerVector unit, int n_units, Rcpp::IntegerVector day,
                         Rcpp::NumericVector seconds, Rcpp::NumericVector sales,
                         Rcpp::IntegerVector apart, int threads) {
  const bool timed = seconds.size() > 0;
  Rcpp::IntegerVector first(n_units, NA_INTEGER), start(n_units, NA_INTEGER),
      last(n_units, NA_INTEGER), rows(n_units);
  Rcpp::NumericVector total(n_units), moment(timed ? n_units : 0);
  nubrek::sum_units({unit.begin(), day.begin(), timed ? seconds.begin() : nullptr, sales.begin(),
                     static_cast<std::size_t>(unit.size()), apart.begin(),
                     static_cast<std::size_t>(apart.size())},
                    {first.begin(), start.begin(), last.begin(), rows.begin(),
                     timed ? moment.begin() : nullptr, total.begin()},
                    static_cast<std::size_t>(n_units), threads);
  return Rcpp::List::create(Rcpp::_["first"] = first, Rcpp::_["start"] = start,
                            Rcpp::_["seconds"] = moment, Rcpp::_["last"] = last,
                            Rcpp::_["sales"] = total, Rcpp::_["rows"] = rows);
}

// The permutation that sorts orders by customer (1 to n_customers), day, seconds (may be empty),
// the text of their id (`order` picks it from `texts`; 0 is none, which comes first) and
// appearance.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_sort_orders(Rcpp::IntegerVector customer, int n_customers,
                                    Rcpp::IntegerVector day, Rcpp::NumericVector seconds,
                                    Rcpp::IntegerVector order, SEXP texts, int threads) {
  const nubrek::TextView text(texts);
  const double* at = seconds.size() > 0 ? seconds.begin() : nullptr;
  const int* id = order.begin();
  const auto before = [&](int a, int b) {
    if (at && at[a] != at[b]) return at[a] < at[b];
    if (id[a] == id[b]) return a < b;
    if (id[a] == 0 || id[b] == 0) return id[a] == 0;
    return text[static_cast<std::size_t>(id[a]) - 1] < text[static_cast<std::size_t>(id[b]) - 1];
  };
  Rcpp::IntegerVector out = Rcpp::no_init(customer.size());
  // strings of R are looked at by one thread
  nubrek::sort_orders(customer.begin(), day.begin(), static_cast<std::size_t>(customer.size()),
                      static_cast<std::size_t>(n_customers), before, text.column() ? threads : 1,
                      out.begin());
  return out;
}

// Of a permutation that sorts units: the rows (from 1), unit after unit. `first` and `rows` say
// where the rows of each unit stand if they stand together.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_rows_by_unit(Rcpp::IntegerVector unit, Rcpp::IntegerVector sorted,
                                     Rcpp::IntegerVector first, Rcpp::IntegerVector rows) {
  Rcpp::IntegerVector out = Rcpp::no_init(unit.size());
  nubrek::rows_by_unit(unit.begin(), static_cast<std::size_t>(unit.size()), sorted.begin(),
                       static_cast<std::size_t>(sorted.size()), first.begin(), rows.begin(),
                       out.begin());
  return out;
}

// x[at] for whole numbers, factors and doubles, places from 1 (none missing); attributes stay.
// [[Rcpp::export(rng = false)]]
SEXP cpp_gather(SEXP x, Rcpp::IntegerVector at, int threads) {
  constexpr std::size_t kAhead = 24, kStretch = 1u << 18;
  const R_xlen_t n = at.size();
  const int* places = at.begin();
  auto gather = [&](const auto* from, auto* to) {
    const std::size_t rows = static_cast<std::size_t>(n);
    nubrek::run_tasks((rows + kStretch - 1) / kStretch, threads, [&](std::size_t k) {
      const std::size_t end = std::min(rows, (k + 1) * kStretch);
      for (std::size_t i = k * kStretch; i < end; ++i) {
        if (i + kAhead < end) __builtin_prefetch(from + places[i + kAhead] - 1);
        to[i] = from[places[i] - 1];
      }
    });
  };
  SEXP out = PROTECT(Rf_allocVector(TYPEOF(x), n));
  if (TYPEOF(x) == INTSXP)
    gather(INTEGER_RO(x), INTEGER(out));
  else if (TYPEOF(x) == REALSXP)
    gather(REAL_RO(x), REAL(out));
  else
    Rcpp::stop("only numbers and factors are gathered");
  Rf_setAttrib(out, R_LevelsSymbol, Rf_getAttrib(x, R_LevelsSymbol));
  Rf_setAttrib(out, R_ClassSymbol, Rf_getAttrib(x, R_ClassSymbol));
  UNPROTECT(1);
  return out;
}

// The sums of `x` and the numbers of rows by group; `group` less `origin` is 1 to `n_groups`. Rows
// whose group is missing take no part, nor missing values in sums.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_group_sums(Rcpp::NumericVector x, Rcpp::IntegerVector group, int origin,
                          int n_groups) {
  Rcpp::NumericVector sums(n_groups);
  Rcpp::IntegerVector rows(n_groups);
  nubrek::sum_by_group(x.begin(), group.begin(), static_cast<std::size_t>(x.size()), origin,
                       NA_INTEGER, sums.begin(), rows.begin());
  return Rcpp::List::create(Rcpp::_["sums"] = sums, Rcpp::_["rows"] = rows);
}
