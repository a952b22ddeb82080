// Rows of one order, found by hashing pairs of codes, summed in one pass, and sorted once.
#pragma once
#include <cstddef>

namespace nubrek {

// Numbers the distinct pairs (a, b) from 1 in order of appearance; `unit` has n elements. Returns
// how many there are. Where every b from 1 to `n_b` goes with one a (an order has one customer),
// nothing is hashed.
std::size_t number_pairs(const int* a, const int* b, std::size_t n, std::size_t n_b, int* unit);

// A stable permutation (from 1) that sorts rows by `group`, 1 to `n_groups`.
void order_by_group(const int* group, std::size_t n, std::size_t n_groups, int* out);

}  // namespace nubrek
