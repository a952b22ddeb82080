// Rows of one order, found by hashing pairs of codes, and summed in one pass.
#pragma once
#include <cstddef>
#include <vector>

namespace nubrek {

// Numbers the distinct pairs (a, b) from 0 in order of appearance; `unit` has n elements. Returns how many there are.
std::size_t number_pairs(const int* a, const int* b, std::size_t n, int* unit);

}  // namespace nubrek
