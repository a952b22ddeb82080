#include "group_kernels.h"

namespace nubrek {
namespace {

constexpr std::size_t kNone = static_cast<std::size_t>(-1);

// What is open in a group: its latest order with that order's money so far, its latest customer,
// the latest who bought and when.
struct Open {
  std::size_t order = kNone;
  double money = 0;
  bool goods = false, negative = false;
  int customer = -1, buyer = -1, day = 0;
};

void close_order(const Events& orders, const PurchaseRule& rule, Open& open, GroupSums& sums) {
  if (open.order == kNone || !rule(open.money, open.goods, open.negative)) return;
  const int day = orders.day[open.order];
  const bool again = open.buyer == open.customer;
  if (!(rule.by_day && again && open.day == day)) ++sums.purchases;
  if (!again) ++sums.customers;
  open.buyer = open.customer;
  open.day = day;
}

}  // namespace

std::vector<GroupSums> sum_groups(const GroupedRows& rows, std::size_t n_groups, const Span& span,
                                  const PurchaseRule& rule) {
  std::vector<GroupSums> sums(n_groups);
  std::vector<Open> all_open(n_groups);
  for (std::size_t i = 0; i < rows.n; ++i) {
    const std::size_t o = rows.order ? static_cast<std::size_t>(rows.order[i] - 1) : i;
    if (!span.holds(rows.orders.day[o])) continue;
    const int c = rows.orders.customer[o];
    const std::size_t g = static_cast<std::size_t>(rows.code[rows.by_customer ? c - 1 : i] - 1);
    Open& open = all_open[g];
    if (open.order != o) {
      close_order(rows.orders, rule, open, sums[g]);
      if (open.customer != c) ++sums[g].seen;
      open.order = o;
      open.money = 0;
      open.goods = open.negative = false;
      open.customer = c;
      ++sums[g].orders;
    }
    open.money += rows.money[i];
    if (rows.sign) {
      open.goods |= rows.sign[i] != 0;
      open.negative |= rows.sign[i] < 0;
    }
    sums[g].money += rows.money[i];
  }
  for (std::size_t g = 0; g < n_groups; ++g) close_order(rows.orders, rule, all_open[g], sums[g]);
  return sums;
}

}  // namespace nubrek
