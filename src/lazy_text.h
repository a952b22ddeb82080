// Character vectors whose elements become R strings only when asked for, and a view that reads any
// character vector's bytes.
#pragma once
#include <Rcpp.h>
#include <memory>
#include "text_store.h"

namespace nubrek {

// Texts of a store, picked by `index` (all of them in order where it is empty; -1 is missing).
struct TextColumn {
  std::shared_ptr<const TextStore> store;
  std::vector<int> index;
  std::size_t size() const { return index.empty() ? store->size() : index.size(); }
};

// Few texts become plain R strings at once, many stay bytes.
SEXP text_vector(TextColumn column);

// Elements of a character vector as bytes. Not for threads while R may run.
class TextView {
 public:
  explicit TextView(SEXP x);
  std::size_t size() const { return size_; }
  bool missing(std::size_t i) const {
    return column_ ? (!column_->index.empty() && column_->index[i] < 0)
                   : STRING_ELT(x_, static_cast<R_xlen_t>(i)) == NA_STRING;
  }
  std::string_view operator[](std::size_t i) const {
    if (column_) return (*column_->store)[at(i)];
    SEXP s = STRING_ELT(x_, static_cast<R_xlen_t>(i));
    return {CHAR(s), static_cast<std::size_t>(LENGTH(s))};
  }
  // For passes that know early which elements they will look at: first its place, then its bytes.
  void prefetch_place(std::size_t i) const {
    if (i < size_ && column_) column_->store->prefetch_place(at(i));
  }
  void prefetch_text(std::size_t i) const {
    if (i < size_ && column_) column_->store->prefetch_text(at(i));
  }
  // The column behind, or nothing where the vector holds R strings.
  const TextColumn* column() const { return column_; }

 private:
  // The place of element i in the store; 0 where it is missing.
  std::size_t at(std::size_t i) const {
    if (column_->index.empty()) return i;
    return column_->index[i] < 0 ? 0 : static_cast<std::size_t>(column_->index[i]);
  }

  SEXP x_;
  const TextColumn* column_;
  std::size_t size_;
};

}  // namespace nubrek
