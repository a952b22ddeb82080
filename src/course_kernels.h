// Draws of what customers do after what is known of them: nested, for every draw of the parameters
// several courses. No R; nothing depends on the number of threads.
#pragma once
#include <functional>
#include "purchase_kernels.h"
#include "spend_kernels.h"

namespace nubrek {

// The random numbers of a customer are those of his number, from `first` on.
struct Worlds {
  const PurchaseModel& buys;
  const SpendModel& spends;
  Histories h;
  Spends amounts;
  std::vector<ParameterSets> purchase;  // of each draw
  std::vector<double> levels;           // spend parameters, three for each draw
  std::size_t individual;               // courses of each draw
  std::uint64_t seed, first;
  int threads;

  std::size_t draws() const { return purchase.size() * individual; }
};

// Customers in groups, numbered from 1.
struct Groups {
  const int* of;
  std::size_t number;
};

// Called between batches of rows, so that long work can be stopped.
using Pause = std::function<void()>;

// Quantiles of type 7 of each customer's discounted spend in (0, horizon], a column for each level;
// the sums of groups, draw x group.
void draw_value(const Worlds& worlds, const Groups& groups, double horizon, double delta,
                const std::vector<double>& levels, const Pause& pause, double* quantiles,
                double* totals);

// Customers who come in a period (from 1), at a time of their own, in those draws in which their
// `place` is not above the number of new customers (row = draw, column = period); the first
// purchase, worth `first_factor` times the others, is in it.
struct NewCustomers {
  const int *come, *place, *number;
  double first_factor;
};

// Purchases, active customers and spend by draw x period x group, groups ascending. `edges` are the
// ends of the periods after today, the first being 0. `arrivals` may be null.
void draw_periods(const Worlds& worlds, const Groups& groups, const std::vector<double>& edges,
                  const NewCustomers* arrivals, const Pause& pause, double* const sums[3]);

// The share of draws of each customer's coming sales that fall between the limits: row = customer,
// column = tier, the last one without any purchase. `limits` fall from the best tier down.
void draw_tiers(const Worlds& worlds, double horizon, const std::vector<double>& limits,
                double kept, double* out);

}  // namespace nubrek
