/* What emitted kernels are written in. Each array variable `x` of a kernel is a
 * set of locals: the object x_s, its data x_p, its length x_n, the length that
 * x_s has room for x_c, where it is protected x_i, and extents x_d1, x_d2, ...
 * `ds_bail` is the label where a kernel gives up, so that R runs the original:
 * whatever is rare (errors, warnings, odd indices) is left to R itself. */
#ifndef DEEPSTRIDE_KERNEL_H
#define DEEPSTRIDE_KERNEL_H
#include <float.h>
#include <math.h>
#include <string.h>
#include <R.h>
#include <Rinternals.h>
#include <Rmath.h>
#include <R_ext/Random.h>

#define DS_RARE(x) __builtin_expect(!!(x), 0)
#define DS_LONG long double

static inline double ds_i2d(int x) { return x == NA_INTEGER ? NA_REAL : (double) x; }
static inline int ds_d2i(double x, int *bad) {
  if (x > -2147483648.0 && x < 2147483648.0) return (int) x;
  if (!ISNAN(x)) *bad = 1;
  return NA_INTEGER;
}
static inline int ds_d2l(double x) { return ISNAN(x) ? NA_LOGICAL : x != 0; }
static inline int ds_i2l(int x) { return x == NA_INTEGER ? NA_LOGICAL : x != 0; }

/* Integer arithmetic: *bad is set where R would warn. */
static inline int ds_addi(int a, int b, int *bad) {
  int r;
  if (DS_RARE(a == NA_INTEGER || b == NA_INTEGER)) return NA_INTEGER;
  if (DS_RARE(__builtin_add_overflow(a, b, &r) || r == NA_INTEGER)) *bad = 1;
  return r;
}
static inline int ds_subi(int a, int b, int *bad) {
  int r;
  if (DS_RARE(a == NA_INTEGER || b == NA_INTEGER)) return NA_INTEGER;
  if (DS_RARE(__builtin_sub_overflow(a, b, &r) || r == NA_INTEGER)) *bad = 1;
  return r;
}
static inline int ds_muli(int a, int b, int *bad) {
  int r;
  if (DS_RARE(a == NA_INTEGER || b == NA_INTEGER)) return NA_INTEGER;
  if (DS_RARE(__builtin_mul_overflow(a, b, &r) || r == NA_INTEGER)) *bad = 1;
  return r;
}
static inline int ds_negi(int a) { return a == NA_INTEGER ? NA_INTEGER : -a; }
static inline int ds_absi(int a) { return a == NA_INTEGER ? NA_INTEGER : a < 0 ? -a : a; }
static inline int ds_modi(int a, int b) {
  if (a == NA_INTEGER || b == NA_INTEGER || b == 0) return NA_INTEGER;
  int r = (a >= 0 && b > 0) ? a % b : (int) ((long long) a - (long long) floor((double) a / (double) b) * b);
  return r;
}
static inline int ds_divi(int a, int b) {
  if (a == NA_INTEGER || b == NA_INTEGER || b == 0) return NA_INTEGER;
  return (int) floor((double) a / (double) b);
}

/* Remainder and whole quotient of doubles as R's arithmetic has them, in
 * extended precision; what is beyond it is left to R. */
static inline int ds_far(double x, double y, double q) {
  return y == 0 || !R_FINITE(x) || !R_FINITE(y) || !R_FINITE(q) || fabs(q) > 4503599627370496.0
      || fabs(y) > 4503599627370496.0;
}
static inline double ds_mod(double x, double y, int *bad) {
  if (ISNAN(x) || ISNAN(y)) return x + y;
  double q = x / y;
  if (DS_RARE(ds_far(x, y, q))) { *bad = 1; return R_NaN; }
  DS_LONG rest = (DS_LONG) x - floor(q) * (DS_LONG) y;
  q = (double) (rest / y);
  return (double) (rest - floorl(q) * y);
}
static inline double ds_div(double x, double y, int *bad) {
  if (ISNAN(x) || ISNAN(y)) return x + y;
  double q = x / y;
  if (DS_RARE(ds_far(x, y, q))) { *bad = 1; return R_NaN; }
  if (fabs(q) < 1) return (q < 0 || (x < 0 && y > 0) || (x > 0 && y < 0)) ? -1 : 0;
  DS_LONG rest = (DS_LONG) x - floor(q) * (DS_LONG) y;
  return (double) (floor(q) + floorl(rest / y));
}

/* Powers as R's arithmetic has them: a square is a product. */
static inline double ds_pow(double x, double y) { return y == 2.0 ? x * x : R_pow(x, y); }

static inline int ds_and(int a, int b) {
  return (a == 0 || b == 0) ? 0 : (a == NA_LOGICAL || b == NA_LOGICAL) ? NA_LOGICAL : 1;
}
static inline int ds_or(int a, int b) {
  return (a != NA_LOGICAL && a) || (b != NA_LOGICAL && b) ? 1 : (a == NA_LOGICAL || b == NA_LOGICAL) ? NA_LOGICAL : 0;
}
static inline int ds_not(int a) { return a == NA_LOGICAL ? NA_LOGICAL : !a; }
static inline int ds_xor(int a, int b) {
  return (a == NA_LOGICAL || b == NA_LOGICAL) ? NA_LOGICAL : (!a) != (!b);
}

static inline double ds_sign(double x) { return ISNAN(x) ? x : (x > 0) - (x < 0); }

/* Extremes of two numbers: in max() and min() NA wins over NaN, in pmax() and pmin() the second of two. */
static inline double ds_max(double a, double b) {
  if (DS_RARE(ISNAN(a) || ISNAN(b))) return ISNA(a) ? a : ISNA(b) ? b : ISNAN(a) ? a : b;
  return b > a ? b : a;
}
static inline double ds_min(double a, double b) {
  if (DS_RARE(ISNAN(a) || ISNAN(b))) return ISNA(a) ? a : ISNA(b) ? b : ISNAN(a) ? a : b;
  return b < a ? b : a;
}
static inline double ds_pmax(double a, double b) {
  if (DS_RARE(ISNAN(a) || ISNAN(b))) return ISNAN(b) ? b : a;
  return b > a ? b : a;
}
static inline double ds_pmin(double a, double b) {
  if (DS_RARE(ISNAN(a) || ISNAN(b))) return ISNAN(b) ? b : a;
  return b < a ? b : a;
}
static inline int ds_pmaxi(int a, int b) {
  return (a == NA_INTEGER || b == NA_INTEGER) ? NA_INTEGER : b > a ? b : a;
}
static inline int ds_pmini(int a, int b) {
  return (a == NA_INTEGER || b == NA_INTEGER) ? NA_INTEGER : b < a ? b : a;
}

/* A position from a number; 0 (no position: the caller gives up) where it is none. */
static inline R_xlen_t ds_at(double x) { return x >= 1 && x < 4503599627370496.0 ? (R_xlen_t) x : 0; }

/* A count from a number; -1 where R would complain. */
static inline R_xlen_t ds_count(double x) {
  return x >= 0 && x < 4503599627370496.0 ? (R_xlen_t) x : -1;
}

/* Whole numbers that fit an int, as the ends of `a:b` must be here. */
static inline int ds_is_int(double x) { return x > -2147483648.0 && x <= 2147483647.0 && x == (double) (int) x; }

/* Room for position k in a vector of the given type: amortised constant time. */
static inline SEXP ds_grown(SEXP s, SEXPTYPE type, R_xlen_t used, R_xlen_t needed, R_xlen_t *room) {
  R_xlen_t wanted = used < 4 ? 8 : used + used / 2 + 8;
  if (wanted < needed) wanted = needed;
  SEXP fresh = Rf_allocVector(type, wanted);
  if (used > 0) {
    if (type == REALSXP) memcpy(REAL(fresh), REAL(s), used * sizeof(double));
    else memcpy(type == LGLSXP ? LOGICAL(fresh) : INTEGER(fresh), type == LGLSXP ? LOGICAL(s) : INTEGER(s),
                used * sizeof(int));
  }
  *room = wanted;
  return fresh;
}

/* The object of a variable, as long as the variable is. */
static inline SEXP ds_fit(SEXP s, R_xlen_t used) { return XLENGTH(s) == used ? s : Rf_xlengthgets(s, used); }

#endif
