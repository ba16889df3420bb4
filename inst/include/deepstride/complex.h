/* Complex numbers in emitted kernels, where they speak of any. C's arithmetic is R's. */
#ifndef DEEPSTRIDE_COMPLEX_H
#define DEEPSTRIDE_COMPLEX_H
#include <complex.h>
#undef I
typedef double _Complex ds_complex;
#define DS_COMPLEX_DATA(s) ((ds_complex *) COMPLEX(s))
#define DS_NA_COMPLEX __builtin_complex(NA_REAL, NA_REAL)
static inline SEXP ds_fresh_complex(R_xlen_t n) { return Rf_allocVector(CPLXSXP, n); }
static inline ds_complex *ds_data_complex(SEXP s) { return DS_COMPLEX_DATA(s); }
static inline SEXP ds_single_complex(ds_complex z) {
  const Rcomplex made = {__real__ z, __imag__ z};
  return Rf_ScalarComplex(made);
}

static inline ds_complex ds_i2z(int x) { return x == NA_INTEGER ? DS_NA_COMPLEX : __builtin_complex((double) x, 0.0); }
static inline ds_complex ds_d2z(double x) { return __builtin_complex(x, 0.0); }
static inline ds_complex ds_d_in_z(double x) { return R_IsNA(x) ? DS_NA_COMPLEX : ds_d2z(x); }
static inline int ds_isna_z(ds_complex z) { return ISNAN(__real__ z) || ISNAN(__imag__ z); }
static inline int ds_isnan_z(ds_complex z) { return R_IsNaN(__real__ z) || R_IsNaN(__imag__ z); }
static inline int ds_finite_z(ds_complex z) { return R_FINITE(__real__ z) && R_FINITE(__imag__ z); }
static inline int ds_isinf_z(ds_complex z) {
  return (!ISNAN(__real__ z) && !R_FINITE(__real__ z)) || (!ISNAN(__imag__ z) && !R_FINITE(__imag__ z));
}
static inline int ds_eq_z(ds_complex a, ds_complex b) { return ds_isna_z(a) || ds_isna_z(b) ? NA_LOGICAL : a == b; }
static inline int ds_ne_z(ds_complex a, ds_complex b) { return ds_isna_z(a) || ds_isna_z(b) ? NA_LOGICAL : a != b; }
static inline int ds_z2l(ds_complex z) { return ds_isna_z(z) ? NA_LOGICAL : z != 0; }
/* Where R would warn of parts that get lost it does so itself. */
static inline double ds_z2d(ds_complex z, int *bad) {
  if (ds_isna_z(z)) return NA_REAL;
  if (__imag__ z != 0) *bad = 1;
  return __real__ z;
}
static inline int ds_z2i(ds_complex z, int *bad) { return ds_d2i(ds_z2d(z, bad), bad); }

static inline ds_complex ds_conj(ds_complex z) { return __builtin_complex(__real__ z, -__imag__ z); }
static inline double ds_mod_z(ds_complex z) { return hypot(__real__ z, __imag__ z); }
static inline double ds_arg_z(ds_complex z) { return atan2(__imag__ z, __real__ z); }

/* Powers as R's arithmetic has them (complex.c): whole ones are products. */
static ds_complex ds_whole_power(ds_complex x, int k) {
  if (k == 0) return 1;
  if (k == 1) return x;
  if (k < 0) return 1. / ds_whole_power(x, -k);
  ds_complex z = 1;
  for (;; k >>= 1, x = x * x) {
    if (k & 1) z = z * x;
    if (k == 1) return z;
  }
}
static inline ds_complex ds_pow_z(ds_complex x, ds_complex y) {
  const double re = __real__ y, im = __imag__ y;
  if (x == 0) return im == 0 ? R_pow(0.0, re) : __builtin_complex(R_NaN, R_NaN);
  if (im == 0 && fabs(re) <= 65536 && re == (int) re) return ds_whole_power(x, (int) re);
  return cpow(x, y);
}

/* A function of R's library: of NA it is NA; where it makes a NaN of numbers R warns. */
#define DS_NAN_Z(fn, z) ({ const ds_complex ds_z = (z); ds_complex ds_y = DS_NA_COMPLEX; \
  if (!ISNA(__real__ ds_z) && !ISNA(__imag__ ds_z)) { ds_y = fn(ds_z); bad |= ds_isna_z(ds_y) & !ds_isna_z(ds_z); } ds_y; })

#endif
