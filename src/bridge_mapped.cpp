// Vectors of R's that lie in files: R reads them as any other, and the core from where they lie.
#include <R_ext/Altrep.h>

#include <algorithm>

#include "bridge.h"

namespace tundrel {
namespace {

R_altrep_class_t mapped_numbers, mapped_codes;

MappedFile& file_of(SEXP vector) { return *static_cast<MappedFile*>(R_ExternalPtrAddr(R_altrep_data1(vector))); }

void close_file(SEXP held) {
  delete static_cast<MappedFile*>(R_ExternalPtrAddr(held));
  R_ClearExternalPtr(held);
}

R_xlen_t length(SEXP vector) { return static_cast<R_xlen_t>(file_of(vector).length()); }

void* data(SEXP vector, Rboolean writable) { return writable ? file_of(vector).may_be_written() : file_of(vector).numbers(); }

// R then asks for a region at a time, and what is behind it can be let go.
const void* no_data(SEXP) { return nullptr; }

template <class Number>
Number element(SEXP vector, R_xlen_t i) { return static_cast<const Number*>(file_of(vector).numbers())[i]; }

template <class Number>
R_xlen_t region(SEXP vector, R_xlen_t first, R_xlen_t n, Number* to) {
  // To let go costs a call of the system.
  constexpr R_xlen_t kKept = 1 << 17;
  MappedFile& file = file_of(vector);
  if (first == 0) file.look_for_changes();
  n = std::min(n, static_cast<R_xlen_t>(file.length()) - first);
  std::copy_n(static_cast<const Number*>(file.numbers()) + first, n, to);
  const R_xlen_t behind = (first + n) / kKept;
  if (behind > first / kKept) file.let_go(std::max<R_xlen_t>(first / kKept - 1, 0) * kKept, behind * kKept);
  return n;
}

void set_common(R_altrep_class_t type) {
  R_set_altrep_Length_method(type, length);
  R_set_altvec_Dataptr_method(type, data);
  R_set_altvec_Dataptr_or_null_method(type, no_data);
}

}  // namespace

MappedFile* mapped_file(SEXP vector) {
  const bool mapped = ALTREP(vector) && (R_altrep_inherits(vector, mapped_numbers) || R_altrep_inherits(vector, mapped_codes));
  return mapped ? &file_of(vector) : nullptr;
}

}  // namespace tundrel

// [[Rcpp::init]]
void tell_r_of_mapped_files(DllInfo* dll) {
  using namespace tundrel;
  mapped_numbers = R_make_altreal_class("mapped_numbers", "tundrel", dll);
  set_common(mapped_numbers);
  R_set_altreal_Elt_method(mapped_numbers, element<double>);
  R_set_altreal_Get_region_method(mapped_numbers, region<double>);
  mapped_codes = R_make_altinteger_class("mapped_codes", "tundrel", dll);
  set_common(mapped_codes);
  R_set_altinteger_Elt_method(mapped_codes, element<int>);
  R_set_altinteger_Get_region_method(mapped_codes, region<int>);
}

// A vector of numbers, or of the codes of a factor, that lies in a file; with attributes, since R copies what it gives some itself.
// [[Rcpp::export(rng = false)]]
SEXP core_mapped_vector(const std::string& path, double length, bool codes, const Rcpp::List& attributes) {
  using namespace tundrel;
  MappedFile* file = new MappedFile(path, static_cast<std::size_t>(length), codes ? sizeof(int) : sizeof(double));
  const Rcpp::Shield<SEXP> held(R_MakeExternalPtr(file, R_NilValue, R_NilValue));
  R_RegisterCFinalizer(held, close_file);
  const Rcpp::Shield<SEXP> out(R_new_altrep(codes ? mapped_codes : mapped_numbers, held, Rcpp::wrap(path)));
  if (attributes.size() > 0) {
    const Rcpp::CharacterVector names = attributes.names();
    for (R_xlen_t i = 0; i < attributes.size(); ++i) Rf_setAttrib(out, Rf_install(names[i]), attributes[i]);
  }
  return out;
}

// The file in which a vector lies; NULL for one that lies in memory.
// [[Rcpp::export(rng = false)]]
SEXP core_file_of(SEXP vector) { return tundrel::mapped_file(vector) ? R_altrep_data2(vector) : R_NilValue; }

// Numbers from the first, counted from 1, to the last.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_stretch(SEXP numbers, double first, double last) {
  Rcpp::NumericVector out(static_cast<R_xlen_t>(last - first + 1));
  REAL_GET_REGION(numbers, static_cast<R_xlen_t>(first - 1), out.size(), REAL(out));
  return out;
}
