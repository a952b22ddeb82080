#include "unit_kernels.h"
#include <cmath>
#include "coding.h"

namespace nubrek {
namespace {
std::uint64_t pair_key(int a, int b) {
  return (static_cast<std::uint64_t>(static_cast<std::uint32_t>(a)) << 32) |
         static_cast<std::uint32_t>(b);
}

// Units by b alone; 0 where some b goes with more than one a, or is not from 1 to n_b.
std::size_t number_by_second(const int* a, const int* b, std::size_t n, std::size_t n_b,
                             int* unit) {
  std::vector<int> owner(n_b), number(n_b, 0);
  int units = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (b[i] < 1 || static_cast<std::size_t>(b[i]) > n_b) return 0;
    const std::size_t k = static_cast<std::size_t>(b[i]) - 1;
    if (number[k] == 0) {
      number[k] = ++units;
      owner[k] = a[i];
    } else if (owner[k] != a[i])
      return 0;
    unit[i] = number[k];
  }
  return static_cast<std::size_t>(units);
}

}  // namespace

std::size_t number_pairs(const int* a, const int* b, std::size_t n, std::size_t n_b, int* unit) {
  if (n_b > 0)
    if (const std::size_t units = number_by_second(a, b, n, n_b, unit)) return units;
  constexpr std::size_t kAhead = 16;
  KeyCoder coder;
  for (std::size_t i = 0; i < n; ++i) {
    if (i + kAhead < n) coder.prefetch(pair_key(a[i + kAhead], b[i + kAhead]));
    unit[i] = coder.code(pair_key(a[i], b[i]));
  }
  return coder.size();
}

void order_by_group(const int* group, std::size_t n, std::size_t n_groups, int* out) {
  std::vector<std::size_t> next(n_groups + 1, 0);
  for (std::size_t i = 0; i < n; ++i) ++next[static_cast<std::size_t>(group[i])];
  std::size_t before = 0;
  for (std::size_t g = 1; g <= n_groups; ++g) {
    const std::size_t mine = next[g];
    next[g] = before;
    before += mine;
  }
  for (std::size_t i = 0; i < n; ++i)
    out[next[static_cast<std::size_t>(group[i])]++] = static_cast<int>(i) + 1;
}

namespace {

// The units from `from` to `to` (from 0).
void sum_some_units(const UnitRows& rows, const UnitSums& out, std::size_t from, std::size_t to) {
  std::size_t next = 0;
  for (std::size_t i = 0; i < rows.n; ++i) {
    const std::size_t u = static_cast<std::size_t>(rows.unit[i] - 1);
    if (u < from || u >= to) continue;
    while (next < rows.n_apart && static_cast<std::size_t>(rows.apart[next]) < i + 1) ++next;
    const int day = rows.day[i];
    out.sales[u] += rows.sales[i];
    ++out.rows[u];
    if (next < rows.n_apart && static_cast<std::size_t>(rows.apart[next]) == i + 1) continue;
    if (out.first[u] < 1) {
      out.first[u] = static_cast<int>(i + 1);
      out.start[u] = out.last[u] = day;
      if (out.seconds) out.seconds[u] = rows.seconds[i];
      continue;
    }
    const bool earlier = day < out.start[u] ||
                         (out.seconds && day == out.start[u] && rows.seconds[i] < out.seconds[u]);
    if (out.seconds && earlier) out.seconds[u] = rows.seconds[i];
    if (day < out.start[u]) out.start[u] = day;
    if (day > out.last[u]) out.last[u] = day;
  }
}

}  // namespace

void sum_units(const UnitRows& rows, const UnitSums& out, std::size_t n_units, int threads) {
  const std::size_t parts = n_units < 100000 ? 1 : static_cast<std::size_t>(threads);
  run_tasks(parts, threads, [&](std::size_t k) {
    sum_some_units(rows, out, n_units * k / parts, n_units * (k + 1) / parts);
  });
}

namespace {

// Whether units come one after the other, from 1 up.
bool together(const int* unit, std::size_t n) {
  int seen = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (unit[i] == seen + 1)
      ++seen;
    else if (unit[i] != seen)
      return false;
  }
  return true;
}

}  // namespace

void rows_by_unit(const int* unit, std::size_t n, const int* sorted, std::size_t m,
                  const int* first, const int* rows, int* out) {
  if (together(unit, n)) {
    for (std::size_t i = 0; i < m; ++i)
      for (int k = 0; k < rows[sorted[i] - 1]; ++k) *out++ = first[sorted[i] - 1] + k;
    return;
  }
  std::vector<int> place(m), number(n);
  for (std::size_t i = 0; i < m; ++i)
    place[static_cast<std::size_t>(sorted[i] - 1)] = static_cast<int>(i) + 1;
  for (std::size_t i = 0; i < n; ++i) number[i] = place[static_cast<std::size_t>(unit[i] - 1)];
  order_by_group(number.data(), n, m, out);
}

void sum_by_group(const double* x, const int* group, std::size_t n, int origin, int missing,
                  double* sums, int* rows) {
  for (std::size_t i = 0; i < n; ++i) {
    if (group[i] == missing) continue;
    const int g = group[i] - origin - 1;
    ++rows[g];
    if (!std::isnan(x[i])) sums[g] += x[i];
  }
}

}  // namespace nubrek
