/* Kernels in another precision than R's. `double` in what kernels are written in stands for ds_number; vectors of it lie
 * in objects of R whose elements are as long: complex numbers for quadruple precision, integers for single. Arguments
 * are made of doubles where a kernel begins, results are made doubles where it ends; those in quadruple precision
 * keep what doubles can't hold in an attribute `rest`. NA is kept apart from NaN as in doubles: by what a NaN carries. */
enum { DS_REAL_OBJECT = REALSXP };
typedef double ds_real;
static inline ds_real *ds_reals(SEXP s) { return REAL(s); }
static inline SEXP ds_real_single(ds_real x) { return Rf_ScalarReal(x); }
static inline int ds_real_is_na(ds_real x) { return R_IsNA(x); }
static inline ds_real ds_real_na(void) { return NA_REAL; }
#define DS_NOTHING 1954 /* what the NaN carries that is NA, as in R */
#if DS_PRECISION == 113
#include <quadmath.h>
typedef __float128 ds_number __attribute__((aligned(8))); /* as R's objects are */
typedef __uint128_t ds_bits;
typedef R_xlen_t ds_flag_d;
#define DS_NUMBER_OBJECT CPLXSXP
#define ds_na __builtin_nanf128("1954")
#define DS_LARGEST FLT128_MAX
static inline ds_number *ds_numbers(SEXP s) { return (ds_number *) COMPLEX(s); }
#define DS_LONG ds_number
#define floorl floorq
#define DS_NAMED(name) name##q
#elif DS_PRECISION == 24
typedef float ds_number;
typedef uint32_t ds_bits;
typedef int ds_flag_d;
#define DS_NUMBER_OBJECT INTSXP
#define ds_na __builtin_nanf("1954")
#define DS_LARGEST FLT_MAX
static inline ds_number *ds_numbers(SEXP s) { return (ds_number *) INTEGER(s); }
#define DS_LONG ds_real
static inline ds_real ds_floor_long(ds_real x) { return floor(x); }
#define floorl ds_floor_long
#define DS_NAMED(name) name##f
#endif

static inline int ds_number_is_na(ds_number x) {
  ds_bits bits;
  memcpy(&bits, &x, sizeof bits);
  return x != x && (bits & 0xffff) == DS_NOTHING;
}
static inline ds_number ds_number_of(ds_real x) { return ds_real_is_na(x) ? ds_na : (ds_number) x; }
static inline ds_real ds_real_of(ds_number x) { return ds_number_is_na(x) ? ds_real_na() : (ds_real) x; }

/* An argument as numbers of this precision. */
static inline SEXP ds_taken(SEXP given) {
  const R_xlen_t n = XLENGTH(given);
  SEXP taken = PROTECT(Rf_allocVector(DS_NUMBER_OBJECT, n));
  const ds_real *const from = ds_reals(given);
  ds_number *const to = ds_numbers(taken);
  int odd = 0;
  for (R_xlen_t k = 0; k < n; ++k) { to[k] = (ds_number) from[k]; odd |= from[k] != from[k]; }
  if (odd) for (R_xlen_t k = 0; k < n; ++k) to[k] = ds_number_of(from[k]);
  Rf_setAttrib(taken, R_DimSymbol, Rf_getAttrib(given, R_DimSymbol));
  UNPROTECT(1);
  return taken;
}
#define DS_TAKEN(slot, given) REPROTECT(slot = ds_taken(given), slot##_i)

static inline void ds_keep_rest(SEXP out, const ds_number *x, R_xlen_t n) {
#if DS_PRECISION == 113
  SEXP rest = PROTECT(Rf_allocVector(DS_REAL_OBJECT, n));
  for (R_xlen_t k = 0; k < n; ++k) {
    const ds_real nearest = ds_reals(out)[k];
    const ds_number left = x[k] - nearest;
    ds_reals(rest)[k] = left == left ? (ds_real) left : 0;
  }
  Rf_setAttrib(out, Rf_install("rest"), rest);
  Rf_setAttrib(out, R_ClassSymbol, PROTECT(Rf_mkString("ds_exact")));
  UNPROTECT(2);
#else
  (void) out; (void) x; (void) n;
#endif
}
static inline SEXP ds_given_back(SEXP made) {
  const R_xlen_t n = XLENGTH(PROTECT(made));
  SEXP out = PROTECT(Rf_allocVector(DS_REAL_OBJECT, n));
  const ds_number *const from = ds_numbers(made);
  ds_real *const to = ds_reals(out);
  int odd = 0;
  for (R_xlen_t k = 0; k < n; ++k) { to[k] = (ds_real) from[k]; odd |= from[k] != from[k]; }
  if (odd) for (R_xlen_t k = 0; k < n; ++k) to[k] = ds_real_of(from[k]);
  Rf_setAttrib(out, R_DimSymbol, Rf_getAttrib(made, R_DimSymbol));
  ds_keep_rest(out, ds_numbers(made), n);
  UNPROTECT(2);
  return out;
}
static inline SEXP ds_single_back(ds_number x) {
  SEXP out = PROTECT(ds_real_single(ds_real_of(x)));
  ds_keep_rest(out, &x, 1);
  UNPROTECT(1);
  return out;
}
#define DS_NUMBER(given) ds_number_of(ds_reals(given)[0])

#undef NA_REAL
#undef ISNAN
#undef ISNA
#undef R_FINITE
#define NA_REAL ds_na
#define ISNAN(x) __builtin_isnan(x)
#define ISNA(x) ds_number_is_na(x)
#define R_IsNaN ds_is_nan
#define R_FINITE ds_is_finite
#define R_pow ds_power
#define REALSXP DS_NUMBER_OBJECT
#define REAL ds_numbers
#define Rf_ScalarReal ds_single_back
#define fround ds_round
#define exp DS_NAMED(exp)
#define expm1 DS_NAMED(expm1)
#define log DS_NAMED(log)
#define log1p DS_NAMED(log1p)
#define log2 DS_NAMED(log2)
#define log10 DS_NAMED(log10)
#define sqrt DS_NAMED(sqrt)
#define sin DS_NAMED(sin)
#define cos DS_NAMED(cos)
#define tan DS_NAMED(tan)
#define asin DS_NAMED(asin)
#define acos DS_NAMED(acos)
#define atan DS_NAMED(atan)
#define atan2 DS_NAMED(atan2)
#define sinh DS_NAMED(sinh)
#define cosh DS_NAMED(cosh)
#define tanh DS_NAMED(tanh)
#define asinh DS_NAMED(asinh)
#define acosh DS_NAMED(acosh)
#define atanh DS_NAMED(atanh)
#define pow DS_NAMED(pow)
#define fabs DS_NAMED(fabs)
#define floor DS_NAMED(floor)
#define ceil DS_NAMED(ceil)
#define trunc DS_NAMED(trunc)
#define nearbyint DS_NAMED(nearbyint)
#define double ds_number

static inline int ds_is_nan(double x) { return x != x && !ds_number_is_na(x); }
static inline int ds_is_finite(double x) { return fabs(x) <= DS_LARGEST; }
/* As R_pow(). */
static inline double ds_power(double x, double y) {
  if (x == 1 || y == 0) return 1;
  if (x == 0) return y > 0 ? 0 : y < 0 ? (double) R_PosInf : y;
  return x != x || y != y ? x + y : pow(x, y);
}
static inline double ds_round(double x, double digits) {
  const double unit = pow(10, floor(digits + (double) 0.5));
  return fabs(digits) > 30 || !ds_is_finite(x) ? x : nearbyint(x * unit) / unit;
}
