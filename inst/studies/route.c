#include <Rinternals.h>

/* Water let out of a leaky reservoir, hour by hour. */
SEXP route(SEXP rain, SEXP keep) {
  rain = PROTECT(Rf_coerceVector(rain, REALSXP));
  const R_xlen_t hours = XLENGTH(rain);
  const double kept = Rf_asReal(keep);
  const double *in = REAL(rain);
  SEXP result = PROTECT(Rf_allocVector(REALSXP, hours));
  double *out = REAL(result);
  double store = 0;
  for (R_xlen_t i = 0; i < hours; ++i) {
    store = kept * store + in[i];
    out[i] = (1 - kept) * store;
  }
  UNPROTECT(2);
  return result;
}
