#include "span_kernels.h"
#include <algorithm>
#include "random.h"
#include "threads.h"

namespace nubrek {

std::vector<std::size_t> customer_ranges(const Events& rows, int parts) {
  std::vector<std::size_t> at{0};
  for (int k = 1; k < parts; ++k) {
    const std::size_t part = rows.n / static_cast<std::size_t>(parts);
    std::size_t i = std::max(at.back(), part * static_cast<std::size_t>(k));
    while (i > 0 && i < rows.n && rows.customer[i] == rows.customer[i - 1]) ++i;
    at.push_back(i);
  }
  at.push_back(rows.n);
  return at;
}

namespace {

// Sums of one customer stay in registers until the next one.
void sum_orders(const Events& orders, const double* sales, std::size_t from, std::size_t to,
                const Span& span, const SpanMeasures& out) {
  for (std::size_t i = from; i < to;) {
    const int c = orders.customer[i];
    int count = 0;
    double total = 0;
    for (; i < to && orders.customer[i] == c; ++i) {
      const bool in = span.holds(orders.day[i]);
      count += in;
      total += in ? sales[i] : 0.0;
    }
    if (out.orders) out.orders[c - 1] = count;
    out.sales[c - 1] = total;
  }
}

void count_purchases(const Events& purchases, std::size_t from, std::size_t to, const Span& span,
                     const SpanMeasures& out) {
  for (std::size_t i = from; i < to;) {
    const int c = purchases.customer[i];
    int count = 0, start = 0, stop = 0;
    for (; i < to && purchases.customer[i] == c; ++i) {
      const int day = purchases.day[i];
      const bool in = span.holds(day);
      start = (in && count == 0) ? day : start;
      stop = in ? day : stop;
      count += in;
    }
    out.purchases[c - 1] = count;
    if (out.first && count > 0) {
      out.first[c - 1] = start;
      out.last[c - 1] = stop;
    }
  }
}

}  // namespace

void first_days(const Events& purchases, int* out) {
  int before = 0;
  for (std::size_t i = 0; i < purchases.n; ++i) {
    const int c = purchases.customer[i];
    if (c != before) out[c - 1] = purchases.day[i];
    before = c;
  }
}

void measure_span(const Events& orders, const double* sales, const Events& purchases,
                  const Span& span, int threads, const SpanMeasures& out) {
  const std::size_t parts = static_cast<std::size_t>(threads);
  const auto of_orders = customer_ranges(orders, threads),
             of_purchases = customer_ranges(purchases, threads);
  run_tasks(2 * parts, threads, [&](std::size_t task) {
    if (task < parts) {
      sum_orders(orders, sales, of_orders[task], of_orders[task + 1], span, out);
    } else {
      const std::size_t k = task - parts;
      count_purchases(purchases, of_purchases[k], of_purchases[k + 1], span, out);
    }
  });
}

void deal_orders(const Dealing& orders, std::uint64_t seed, std::uint64_t draw,
                 const DealtParts& out) {
  for (std::size_t i = 0; i < orders.n; ++i) {
    const int c = orders.customer[i] - 1;
    bool later = orders.which[i] < 0;
    if (orders.which[i] > 0) {
      Stream gen(seed * 1000003ULL + draw, i);
      later = gen.unit() < orders.share_second[c];
    }
    out.sales[later][c] += orders.sales[i];
    if (orders.bought[i] == 1) ++out.purchases[later][c];
  }
}

}  // namespace nubrek
