#include <Rcpp.h>
#include <algorithm>
#include "lazy_text.h"
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
                         Rcpp::IntegerVector apart) {
  const bool timed = seconds.size() > 0;
  Rcpp::IntegerVector first(n_units, NA_INTEGER), start(n_units, NA_INTEGER),
      last(n_units, NA_INTEGER), rows(n_units);
  Rcpp::NumericVector total(n_units), moment(timed ? n_units : 0);
  R_xlen_t next = 0;
  for (R_xlen_t i = 0; i < unit.size(); ++i) {
    if (i % 1048576 == 0) Rcpp::checkUserInterrupt();
    const int u = unit[i] - 1;
    total[u] += sales[i];
    ++rows[u];
    if (next < apart.size() && apart[next] == i + 1) {
      ++next;
      continue;
    }
    if (first[u] == NA_INTEGER) {
      first[u] = static_cast<int>(i + 1);
      start[u] = last[u] = day[i];
      if (timed) moment[u] = seconds[i];
      continue;
    }
    if (timed && (day[i] < start[u] || (day[i] == start[u] && seconds[i] < moment[u])))
      moment[u] = seconds[i];
    if (day[i] < start[u]) start[u] = day[i];
    if (day[i] > last[u]) last[u] = day[i];
  }
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
                                    Rcpp::IntegerVector order, SEXP texts) {
  const std::size_t n = static_cast<std::size_t>(customer.size());
  const nubrek::TextView text(texts);
  const bool timed = seconds.size() > 0;
  auto before = [&](int a, int b) {  // of one day
    if (timed && seconds[a] != seconds[b]) return seconds[a] < seconds[b];
    if (order[a] != order[b]) {
      if (order[a] == 0 || order[b] == 0) return order[a] == 0;
      return text[static_cast<std::size_t>(order[a]) - 1] <
             text[static_cast<std::size_t>(order[b]) - 1];
    }
    return a < b;
  };
  // day and place in one number, dealt out to the customers, so that each one's few orders are
  // sorted side by side
  struct Entry {
    int day, place;
  };
  std::vector<std::size_t> ends(static_cast<std::size_t>(n_customers) + 1, 0);
  for (const int c : customer) ++ends[static_cast<std::size_t>(c)];
  std::size_t sum = 0;
  for (auto& end : ends) {
    const std::size_t mine = end;
    end = sum;
    sum += mine;
  }
  std::vector<Entry> entries(n);
  for (std::size_t i = 0; i < n; ++i)
    entries[ends[static_cast<std::size_t>(customer[static_cast<R_xlen_t>(i)])]++] = {
        day[static_cast<R_xlen_t>(i)], static_cast<int>(i)};
  Rcpp::IntegerVector out = Rcpp::no_init(customer.size());
  std::size_t from = 0;
  for (std::size_t c = 1; c < ends.size(); ++c) {
    if (c % 65536 == 0) Rcpp::checkUserInterrupt();
    std::sort(entries.begin() + static_cast<std::ptrdiff_t>(from),
              entries.begin() + static_cast<std::ptrdiff_t>(ends[c]),
              [&](const Entry& a, const Entry& b) {
                return a.day != b.day ? a.day < b.day : before(a.place, b.place);
              });
    for (; from < ends[c]; ++from) out[static_cast<R_xlen_t>(from)] = entries[from].place + 1;
  }
  return out;
}

// Of a permutation that sorts units: the rows (from 1), unit after unit. `first` and `rows` say
// where the rows of each unit stand if they stand together.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_rows_by_unit(Rcpp::IntegerVector unit, Rcpp::IntegerVector sorted,
                                     Rcpp::IntegerVector first, Rcpp::IntegerVector rows) {
  const R_xlen_t n = unit.size();
  Rcpp::IntegerVector out = Rcpp::no_init(n);
  bool together = true;
  int seen = 0;
  for (R_xlen_t i = 0; i < n && together; ++i) {
    if (unit[i] == seen + 1)
      ++seen;
    else
      together = unit[i] == seen;
  }
  if (together) {
    int* to = out.begin();
    for (const int u : sorted)
      for (int k = 0; k < rows[u - 1]; ++k) *to++ = first[u - 1] + k;
    return out;
  }
  Rcpp::IntegerVector place = Rcpp::no_init(sorted.size()), number = Rcpp::no_init(n);
  for (R_xlen_t i = 0; i < sorted.size(); ++i) place[sorted[i] - 1] = static_cast<int>(i) + 1;
  for (R_xlen_t i = 0; i < n; ++i) number[i] = place[unit[i] - 1];
  nubrek::order_by_group(number.begin(), static_cast<std::size_t>(n),
                         static_cast<std::size_t>(sorted.size()), out.begin());
  return out;
}

// x[at] for whole numbers, factors and doubles, places from 1 (none missing); attributes stay.
// [[Rcpp::export(rng = false)]]
SEXP cpp_gather(SEXP x, Rcpp::IntegerVector at) {
  constexpr R_xlen_t kAhead = 24;
  const R_xlen_t n = at.size();
  const int* places = at.begin();
  auto gather = [&](const auto* from, auto* to) {
    for (R_xlen_t i = 0; i < n; ++i) {
      if (i + kAhead < n) __builtin_prefetch(from + places[i + kAhead] - 1);
      to[i] = from[places[i] - 1];
    }
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
  Rcpp::NumericVector out(n_groups);
  Rcpp::IntegerVector rows(n_groups);
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (group[i] == NA_INTEGER) continue;
    const int g = group[i] - origin - 1;
    ++rows[g];
    if (!ISNAN(x[i])) out[g] += x[i];
  }
  return Rcpp::List::create(Rcpp::_["sums"] = out, Rcpp::_["rows"] = rows);
}
