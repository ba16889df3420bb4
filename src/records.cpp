// Records: lists of lists that have the same fields.
#include <cstring>
#include <Rcpp.h>

namespace {

// The place of a field in a record; -1 where there is none.
R_xlen_t place_of_field(SEXP record, const char* field) {
  if (TYPEOF(record) != VECSXP || OBJECT(record)) return -1;
  SEXP names = Rf_getAttrib(record, R_NamesSymbol);
  if (names == R_NilValue) return -1;
  for (R_xlen_t k = 0; k < XLENGTH(names); ++k) {
    if (strcmp(CHAR(STRING_ELT(names, k)), field) == 0) return k;
  }
  return -1;
}

bool is_plain_vector(SEXP value, int type) {
  switch (type) {
    case REALSXP: case INTSXP: case LGLSXP: case CPLXSXP: case STRSXP: break;
    default: return false;
  }
  return TYPEOF(value) == type && ATTRIB(value) == R_NilValue;
}

void put_element(SEXP out, R_xlen_t i, SEXP value) {
  switch (TYPEOF(out)) {
    case REALSXP: REAL(out)[i] = REAL(value)[0]; break;
    case INTSXP: INTEGER(out)[i] = INTEGER(value)[0]; break;
    case LGLSXP: LOGICAL(out)[i] = LOGICAL(value)[0]; break;
    case CPLXSXP: COMPLEX(out)[i] = COMPLEX(value)[0]; break;
    default: SET_STRING_ELT(out, i, STRING_ELT(value, 0));
  }
}

}  // namespace

// One field of all records of a list: a vector where each has a single value, a list of them otherwise; NULL where
// one has none, or another type, or attributes.
// [[Rcpp::export(rng = false)]]
SEXP records_column(SEXP records, SEXP field) {
  if (TYPEOF(records) != VECSXP || OBJECT(records)) return R_NilValue;
  const R_xlen_t n = XLENGTH(records);
  const char* name = CHAR(STRING_ELT(field, 0));
  SEXP values = PROTECT(Rf_allocVector(VECSXP, n));
  bool single = true;
  for (R_xlen_t i = 0; i < n; ++i) {
    SEXP record = VECTOR_ELT(records, i);
    const R_xlen_t at = place_of_field(record, name);
    SEXP value = at < 0 ? R_NilValue : VECTOR_ELT(record, at);
    if (!is_plain_vector(value, i == 0 ? TYPEOF(value) : TYPEOF(VECTOR_ELT(values, 0)))) {
      UNPROTECT(1);
      return R_NilValue;
    }
    SET_VECTOR_ELT(values, i, value);
    single = single && XLENGTH(value) == 1;
  }
  if (n == 0 || !single) {
    UNPROTECT(1);
    return n == 0 ? R_NilValue : values;
  }
  SEXP out = PROTECT(Rf_allocVector(TYPEOF(VECTOR_ELT(values, 0)), n));
  for (R_xlen_t i = 0; i < n; ++i) put_element(out, i, VECTOR_ELT(values, i));
  UNPROTECT(2);
  return out;
}
