#include "lazy_text.h"
#include <R_ext/Altrep.h>

namespace nubrek {
namespace {

constexpr std::size_t kPlainUpTo = 20000;
R_altrep_class_t lazy_class;

bool is_lazy(SEXP x) {
  return ALTREP(x) && R_altrep_inherits(x, lazy_class);
}
SEXP held(SEXP x) {
  return R_altrep_data2(x);
}  // the R strings, once somebody needed all of them
TextColumn* column_of(SEXP x) {
  return static_cast<TextColumn*>(R_ExternalPtrAddr(R_altrep_data1(x)));
}

SEXP r_string(const TextColumn& column, std::size_t i) {
  const int at = column.index.empty() ? static_cast<int>(i) : column.index[i];
  if (at < 0) return NA_STRING;
  const std::string_view text = (*column.store)[static_cast<std::size_t>(at)];
  return Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8);
}

SEXP all_strings(const TextColumn& column) {
  const std::size_t n = column.size();
  SEXP out = PROTECT(Rf_allocVector(STRSXP, static_cast<R_xlen_t>(n)));
  for (std::size_t i = 0; i < n; ++i)
    SET_STRING_ELT(out, static_cast<R_xlen_t>(i), r_string(column, i));
  UNPROTECT(1);
  return out;
}

SEXP materialise(SEXP x) {
  if (held(x) == R_NilValue) R_set_altrep_data2(x, all_strings(*column_of(x)));
  return held(x);
}

void finalize(SEXP pointer) {
  delete static_cast<TextColumn*>(R_ExternalPtrAddr(pointer));
  R_ClearExternalPtr(pointer);
}

SEXP wrap_column(TextColumn* column) {
  SEXP pointer = PROTECT(R_MakeExternalPtr(column, R_NilValue, R_NilValue));
  R_RegisterCFinalizerEx(pointer, finalize, TRUE);
  SEXP out = R_new_altrep(lazy_class, pointer, R_NilValue);
  UNPROTECT(1);
  return out;
}

R_xlen_t length(SEXP x) {
  return static_cast<R_xlen_t>(held(x) == R_NilValue ? column_of(x)->size()
                                                     : static_cast<std::size_t>(XLENGTH(held(x))));
}
SEXP element(SEXP x, R_xlen_t i) {
  return held(x) == R_NilValue ? r_string(*column_of(x), static_cast<std::size_t>(i))
                               : STRING_ELT(held(x), i);
}
void set_element(SEXP x, R_xlen_t i, SEXP value) {
  SET_STRING_ELT(materialise(x), i, value);
}
void* data_pointer(SEXP x, Rboolean) {
  return DATAPTR(materialise(x));
}
const void* data_pointer_or_null(SEXP x) {
  return held(x) == R_NilValue ? nullptr : DATAPTR_RO(held(x));
}

// The bytes never change, so a copy shares them.
SEXP duplicate(SEXP x, Rboolean) {
  return held(x) == R_NilValue ? wrap_column(new TextColumn(*column_of(x))) : nullptr;
}

SEXP subset(SEXP x, SEXP at, SEXP) {
  const R_xlen_t n = XLENGTH(at);
  if (held(x) != R_NilValue || static_cast<std::size_t>(n) <= kPlainUpTo ||
      (TYPEOF(at) != INTSXP && TYPEOF(at) != REALSXP))
    return nullptr;
  const TextColumn& from = *column_of(x);
  const std::size_t size = from.size();
  std::unique_ptr<TextColumn> to(
      new TextColumn{from.store, std::vector<int>(static_cast<std::size_t>(n))});
  auto pick = [&](std::size_t place) {
    return place < 1 || place > size ? -1
           : from.index.empty()      ? static_cast<int>(place) - 1
                                     : from.index[place - 1];
  };
  if (TYPEOF(at) == INTSXP) {
    const int* places = INTEGER_RO(at);
    for (R_xlen_t i = 0; i < n; ++i)
      to->index[static_cast<std::size_t>(i)] =
          places[i] < 1 ? -1 : pick(static_cast<std::size_t>(places[i]));
  } else {
    const double* places = REAL_RO(at);
    for (R_xlen_t i = 0; i < n; ++i)
      to->index[static_cast<std::size_t>(i)] = places[i] >= 1 && places[i] < 2147483648.0
                                                   ? pick(static_cast<std::size_t>(places[i]))
                                                   : -1;
  }
  return wrap_column(to.release());
}

}  // namespace

SEXP text_vector(TextColumn column) {
  if (column.size() <= kPlainUpTo) return all_strings(column);
  return wrap_column(new TextColumn(std::move(column)));
}

TextView::TextView(SEXP x)
    : x_(x),
      column_(is_lazy(x) && held(x) == R_NilValue ? column_of(x) : nullptr),
      size_(static_cast<std::size_t>(XLENGTH(x))) {}

}  // namespace nubrek

// [[Rcpp::init]]
void register_lazy_text(DllInfo* dll) {
  using namespace nubrek;
  lazy_class = R_make_altstring_class("nubrek_text", "nubrek", dll);
  R_set_altrep_Length_method(lazy_class, length);
  R_set_altrep_Duplicate_method(lazy_class, duplicate);
  R_set_altvec_Dataptr_method(lazy_class, data_pointer);
  R_set_altvec_Dataptr_or_null_method(lazy_class, data_pointer_or_null);
  R_set_altvec_Extract_subset_method(lazy_class, subset);
  R_set_altstring_Elt_method(lazy_class, element);
  R_set_altstring_Set_elt_method(lazy_class, set_element);
}
