// Random rounding: what Monte Carlo arithmetic (Parker 1997) does to each result.
#include <Rcpp.h>
#include <cfloat>
#include <cmath>
#include <cstdint>

namespace {

uint64_t state = 88172645463325252ULL;

// Uniform on -1 to 1; a stream of its own, since kernels may draw from R's.
inline double draw() {
  state ^= state << 13;
  state ^= state >> 7;
  state ^= state << 17;
  return static_cast<double>(static_cast<int64_t>(state)) * 0x1p-63;
}

inline double moved(double x, double ulps, bool whole) {
  if (!std::isfinite(x) || x == 0) return x;
  if (!whole && std::fabs(x) < 0x1p53 && x == std::nearbyint(x)) return x;
  if (std::fabs(x) < DBL_MIN) return x + std::nearbyint(1.5 * ulps * draw()) * 0x1p-1074;
  return x + x * (ulps * DBL_EPSILON * draw());
}

}  // namespace

// [[Rcpp::export]]
void seed_rounding(double seed) {
  state = 88172645463325252ULL ^ (static_cast<uint64_t>(seed) * 0x9E3779B97F4A7C15ULL);
  for (int i = 0; i < 8; ++i) draw();
}

namespace {

// Is `value`, the result of an operation on `a` and `b`, exact?
inline bool exact(char operation, double a, double b, double value) {
  switch (operation) {
    case '+': {
      const double from_b = value - a;
      return (a - (value - from_b)) + (b - from_b) == 0;
    }
    case '-': return exact('+', a, -b, value);
    case '*': return std::fma(a, b, -value) == 0;
    case '/': return std::fma(value, b, -a) == 0;
    default: return a == std::nearbyint(a) && b == std::nearbyint(b) && value == std::nearbyint(value);
  }
}

inline double operand(SEXP x, R_xlen_t i) {
  const R_xlen_t at = i % XLENGTH(x);
  if (TYPEOF(x) == REALSXP) return REAL(x)[at];
  const int value = TYPEOF(x) == INTSXP ? INTEGER(x)[at] : LOGICAL(x)[at];
  return value == NA_INTEGER ? NA_REAL : value;
}

inline bool plain(SEXP x) {
  return (TYPEOF(x) == REALSXP || TYPEOF(x) == INTSXP || TYPEOF(x) == LGLSXP) && XLENGTH(x) > 0;
}

}  // namespace

// The result `x` of an operation on `a` and `b`, each element that is not exact moved by up to one unit in
// the last place. `operation` is "+", "-", "*", "/", or anything else for a function of them.
// [[Rcpp::export]]
SEXP round_operation(SEXP x, SEXP a, SEXP b, std::string operation) {
  if (TYPEOF(x) != REALSXP || !plain(a) || !plain(b)) return x;
  Rcpp::Shield<SEXP> own(MAYBE_REFERENCED(x) ? Rf_shallow_duplicate(x) : x);
  double *at = REAL(own);
  const char sign = operation.size() == 1 ? operation[0] : ' ';
  for (R_xlen_t i = 0; i < XLENGTH(own); ++i) {
    if (!exact(sign, operand(a, i), operand(b, i), at[i])) at[i] = moved(at[i], 1, true);
  }
  return own;
}

// Doubles and complex numbers moved at random by up to `ulps` units in the last place, whole
// numbers only where `whole`. Of anything else, the value itself.
// [[Rcpp::export]]
SEXP round_at_random(SEXP x, double ulps, bool whole) {
  if (TYPEOF(x) != REALSXP && TYPEOF(x) != CPLXSXP) return x;
  Rcpp::Shield<SEXP> own(MAYBE_REFERENCED(x) ? Rf_shallow_duplicate(x) : x);
  bool complex = TYPEOF(x) == CPLXSXP;
  double *at = complex ? reinterpret_cast<double *>(COMPLEX(own)) : REAL(own);
  R_xlen_t count = XLENGTH(own) * (complex ? 2 : 1);
  for (R_xlen_t i = 0; i < count; ++i) at[i] = moved(at[i], ulps, whole);
  return own;
}
