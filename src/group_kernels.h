// Customers, purchases and money of groups of rows. No R.
#pragma once
#include "span_kernels.h"

namespace nubrek {

// Rows stand order after order, and orders customer after customer; `order` gives each row's order
// (from 1; null: row by row), `code` its group (from 1), or that of its customer.
struct GroupedRows {
  Events orders;
  const int* order;
  const double* money;
  std::size_t n;
  const int* code;
  bool by_customer;
  const int* sign;  // of goods 1, negative ones -1, other lines 0; null where nothing is free
};

// What is a purchase inside a group: an order, or all orders of a day, worth at least so much; or
// worth nothing, of goods that are not negative, where such an order is a purchase (`free`).
struct PurchaseRule {
  double least;
  bool by_day, free;
  bool operator()(double money, bool goods, bool negative) const {
    return money >= least || (free && money == 0 && goods && !negative);
  }
};

// `seen` are customers with any order, `customers` those with a purchase.
struct GroupSums {
  int customers = 0, seen = 0, orders = 0, purchases = 0;
  double money = 0;
};
std::vector<GroupSums> sum_groups(const GroupedRows& rows, std::size_t n_groups, const Span& span,
                                  const PurchaseRule& rule);

}  // namespace nubrek
