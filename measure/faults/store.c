#include <Rinternals.h>
#include "store.h"

SEXP store(SEXP rain) {
  const R_xlen_t n = XLENGTH(rain);
  SEXP values = PROTECT(Rf_coerceVector(rain, REALSXP));
  double total = 0;
  for (R_xlen_t i = 0; i < n; ++i) total += REAL(values)[i];
  UNPROTECT(1);
  return Rf_ScalarReal(total * SHARE + BASE);
}
