// Rows of a list from R with `customer` and `day`, kept alive beside the pointers.
#pragma once
#include <Rcpp.h>
#include "repeat_kernels.h"

namespace nubrek {

struct RowColumns {
  Rcpp::IntegerVector customer, day;
  explicit RowColumns(const Rcpp::List& rows) : customer(rows["customer"]), day(rows["day"]) {}
  Events events() const {
    return {customer.begin(), day.begin(), static_cast<std::size_t>(customer.size())};
  }
};

}  // namespace nubrek
