#include <Rcpp.h>

// Water let out of a leaky reservoir, hour by hour.
// [[Rcpp::export]]
Rcpp::NumericVector route(Rcpp::NumericVector rain, double keep) {
  const R_xlen_t hours = rain.size();
  Rcpp::NumericVector out(hours);
  double store = 0;
  for (R_xlen_t i = 0; i < hours; ++i) {
    store = keep * store + rain[i];
    out[i] = (1 - keep) * store;
  }
  return out;
}
