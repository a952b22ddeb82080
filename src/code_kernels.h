// What is asked of columns of codes. No R.
#pragma once
#include <memory>
#include <vector>
#include "coding.h"

namespace nubrek {

// Numbers to codes of their shortest texts, in order of first appearance; NaN becomes `missing`.
std::shared_ptr<TextStore> code_numbers(const double* x, std::size_t n, int missing, int* out);

// Whether the texts of all coders are UTF-8.
bool all_readable(const std::vector<Coder>& coders, int threads);

// Whether no code comes twice; codes are 1 to `n_texts` or `missing`.
bool all_distinct(const int* codes, std::size_t n, int missing, std::size_t n_texts);

// The rows (from 1) that equal an earlier one in all columns.
std::vector<int> repeated_rows(const std::vector<const int*>& columns, std::size_t n);

}  // namespace nubrek
