#include "line_kernels.h"
#include <numeric>
#include "threads.h"

namespace nubrek {
namespace {

// One order, whose lines are those from `first` to `end`, asked one question.
void ask_order(const OrderedLines& lines, std::size_t order, std::size_t first, std::size_t end,
               const PurchaseRule& rule, const LineQuestion& question) {
  const LineMeasures& out = question.out;
  const int c = lines.orders.customer[order] - 1, day = lines.orders.day[order];
  if (!question.span.holds(day)) return;
  double money = 0, units = 0;
  int any = 0, goods = 0, returned = 0;
  for (std::size_t i = first; i < end; ++i) {  // without branches: nobody can guess what holds
    bool holds = true;
    for (const LineTest& test : question.tests) holds &= test(i);
    const double sold = lines.money[i];
    any |= holds;
    money += holds ? sold : 0;
    const bool is_goods = holds & (!lines.goods || lines.goods[i] == 1);
    goods |= is_goods;
    returned += is_goods & (sold < 0);
    if (out.units && holds && lines.quantity[i] > 0) units += lines.units[lines.quantity[i] - 1];
  }
  if (!any) return;
  out.money[c] += money;
  out.returned[c] += returned;
  if (out.units) out.units[c] += units;
  if (lines.bought[order] != 1 || !rule(money, goods, returned > 0)) return;
  const bool again = rule.by_day && out.purchases[c] > 0 && out.last[c] == day;
  out.purchases[c] += !again;
  out.last[c] = day;
}

}  // namespace

void measure_lines(const OrderedLines& lines, const std::vector<LineQuestion>& questions,
                   const PurchaseRule& rule, int threads) {
  const auto orders = customer_ranges(lines.orders, threads);
  std::vector<std::size_t> first(orders.size(), 0);  // the line with which each range begins
  for (std::size_t k = 1; k < orders.size(); ++k)
    first[k] =
        std::accumulate(lines.n_lines + orders[k - 1], lines.n_lines + orders[k], first[k - 1]);
  run_tasks(orders.size() - 1, threads, [&](std::size_t k) {
    std::size_t line = first[k];
    for (std::size_t o = orders[k]; o < orders[k + 1]; ++o) {
      const std::size_t end = line + static_cast<std::size_t>(lines.n_lines[o]);
      for (const LineQuestion& question : questions) ask_order(lines, o, line, end, rule, question);
      line = end;
    }
  });
}

}  // namespace nubrek
