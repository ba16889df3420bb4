/* What emitted kernels are written in. Each array variable `x` of a kernel is a
 * set of locals: the object x_s, its data x_p, its length x_n, the length that
 * x_s has room for x_c, where it is protected x_i, and extents x_d1, x_d2, ...
 * `ds_bail` is the label where a kernel gives up, so that R runs the original:
 * whatever is rare (errors, warnings, odd indices) is left to R itself. */
#ifndef DEEPSTRIDE_KERNEL_H
#define DEEPSTRIDE_KERNEL_H
#include <float.h>
#include <math.h>
#include <setjmp.h>
#include <string.h>
#include <R.h>
#include <Rinternals.h>
#include <Rmath.h>
#include <R_ext/Random.h>
#include <R_ext/Utils.h>

/* What a kernel gives instead of a value: NULL, for R to do it, or the wish to be
 * built again with code for places past the end of vectors. */
#define DS_PAST_END ((SEXP) 1)
#define DS_RARE(x) __builtin_expect(!!(x), 0)
#ifndef DS_LONG
#define DS_LONG long double /* of R's sums; relaxed numerics have doubles in several lanes */
#endif
#define DS_WHOLE 4503599627370496 /* whole numbers up to here are doubles, and so is any sum of two */
#define DS_FAR(x) ((size_t) (x) + DS_WHOLE > 2 * (size_t) DS_WHOLE)

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

/* Functions that call themselves give up before the stack ends: R then words the
 * error. R keeps what it knows of the stack in these. */
#include <stdint.h>
extern uintptr_t R_CStackLimit, R_CStackStart;
static inline char *ds_stack_end(void) {
  char *here = (char *) __builtin_frame_address(0);
  if (R_CStackLimit == (uintptr_t) -1) return here - (1 << 20);
  return (char *) (R_CStackStart - R_CStackLimit / 10 * 8);
}
#ifdef __x86_64__
#define DS_STACK ({ char *here_; __asm__("mov %%rsp, %0" : "=r" (here_)); here_; })
#else
#define DS_STACK ((char *) __builtin_frame_address(0))
#endif
extern int R_interrupts_pending;
#define DS_DEEPER if (DS_RARE((DS_STACK < give_up_below) | R_interrupts_pending)) helper_gives_up();

/* A position from a number: whole part, or one below 1 where it is none. The
 * conversion of SSE2 gives the smallest integer for what does not fit. */
#if defined(__SSE2__) && defined(__x86_64__)
typedef double ds_two __attribute__((vector_size(16)));
static inline R_xlen_t ds_at(double x) { return (R_xlen_t) __builtin_ia32_cvttsd2si64((ds_two) {x, 0}); }
#else
static inline R_xlen_t ds_at(double x) { return x >= 1 && x < 4503599627370496.0 ? (R_xlen_t) x : 0; }
#endif
#define DS_OUTSIDE(k, n) DS_RARE((size_t) (k) - 1 >= (size_t) (n))

/* A count from a number; -1 where R would complain. */
static inline R_xlen_t ds_count(double x) {
  return x >= 0 && x < 4503599627370496.0 ? (R_xlen_t) x : -1;
}

/* Whole numbers that fit an int, as the ends of `a:b` must be here. */
static inline int ds_is_int(double x) { return x > -2147483648.0 && x <= 2147483647.0 && x == (double) (int) x; }

/* Whole numbers of bits, from a double as R takes them. */
static inline int ds_whole(double x, int *bad) {
  if (ISNAN(x)) return NA_INTEGER;
  if (!ds_is_int(x)) *bad = 1;
  return *bad ? NA_INTEGER : (int) x;
}

static inline double ds_log_of(double x, double base) {
  if (base == 10) return log10(x);
  if (base == 2) return log2(x);
  return log(x) / log(base);
}

/* Places (from 0) that a vector of indices picks of an extent, as R_xlen_t in the
 * bytes of a double vector. *count is -1 where R is to do it: indices of both
 * signs, missing ones, those past the end. Of use 1 a vector may grow (*most is
 * the largest index); of use 2, reading, -1 stands for what is missing. */
static inline SEXP ds_places_d(const double *x, R_xlen_t n, R_xlen_t extent, int use, R_xlen_t *count, R_xlen_t *most) {
  R_xlen_t above = 0, below = 0, top = 0, missing = 0;
  *count = -1; *most = 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    if (ISNAN(x[i])) { ++missing; continue; }
    if (!(fabs(x[i]) < 4503599627370496.0)) return R_NilValue;
    const R_xlen_t k = (R_xlen_t) x[i];
    above += k > 0; below += k < 0;
    if (k > top) top = k;
  }
  if ((above && below) || (missing && (below || use != 2)) || (top > extent && use == 0)) return R_NilValue;
  SEXP s = Rf_allocVector(REALSXP, below ? extent : above + missing);
  R_xlen_t *out = (R_xlen_t *) REAL(s), at = 0;
  if (below) {
    memset(out, 0, extent * sizeof *out);
    for (R_xlen_t i = 0; i < n; ++i) { const R_xlen_t k = (R_xlen_t) -x[i]; if (k > 0 && k <= extent) out[k - 1] = 1; }
    for (R_xlen_t i = 0; i < extent; ++i) { const int drop = out[i] != 0; out[at] = i; at += !drop; }
  } else {
    for (R_xlen_t i = 0; i < n; ++i) {
      const R_xlen_t k = ISNAN(x[i]) ? -1 : (R_xlen_t) x[i];
      if (k != 0) out[at++] = k < 0 || (use == 2 && k > extent) ? -1 : k - 1;
    }
  }
  *count = at; *most = below ? 0 : top;
  return s;
}

static inline SEXP ds_places_i(const int *x, R_xlen_t n, R_xlen_t extent, int use, R_xlen_t *count, R_xlen_t *most) {
  SEXP s = PROTECT(Rf_allocVector(REALSXP, n));
  for (R_xlen_t i = 0; i < n; ++i) REAL(s)[i] = ds_i2d(x[i]);
  s = ds_places_d(REAL(s), n, extent, use, count, most);
  UNPROTECT(1);
  return s;
}

static inline SEXP ds_where(const int *x, R_xlen_t n, R_xlen_t extent, int use, R_xlen_t *count, R_xlen_t *most) {
  *count = -1; *most = 0;
  if (n != extent) return R_NilValue;
  SEXP s = Rf_allocVector(REALSXP, n);
  R_xlen_t *out = (R_xlen_t *) REAL(s), at = 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    if (x[i] == NA_LOGICAL && use != 2) return R_NilValue;
    out[at] = x[i] == NA_LOGICAL ? -1 : i; at += x[i] != 0;
  }
  *count = at;
  return s;
}

/* Variance as cov.c has it, its root, and the median as median.default() has it. */
static inline double ds_var(const double *x, R_xlen_t n, double *scratch) {
  (void) scratch;
  if (n < 2) return NA_REAL;
  DS_LONG s = 0, mean;
  for (R_xlen_t i = 0; i < n; ++i) { if (ISNAN(x[i])) return NA_REAL; s += x[i]; }
  mean = s / n;
  if (R_FINITE((double) mean)) {
    s = 0;
    for (R_xlen_t i = 0; i < n; ++i) s += x[i] - mean;
    mean += s / n;
  }
  const DS_LONG m = (double) mean;
  s = 0;
  for (R_xlen_t i = 0; i < n; ++i) s += (x[i] - m) * (x[i] - m);
  return (double) (s / (n - 1));
}
static inline double ds_sd(const double *x, R_xlen_t n, double *scratch) { return sqrt(ds_var(x, n, scratch)); }
static inline double ds_median(const double *x, R_xlen_t n, double *scratch) {
  for (R_xlen_t i = 0; i < n; ++i) { if (ISNAN(x[i])) return NA_REAL; scratch[i] = x[i]; }
  if (n == 0) return NA_REAL;
  const int half = (int) (n / 2);
  rPsort(scratch, (int) n, half);
  if (n % 2) return scratch[half];
  rPsort(scratch, half, half - 1); /* what lies left of it is no larger */
  const DS_LONG a = scratch[half - 1], b = scratch[half];
  DS_LONG mean = (a + b) / 2;
  if (R_FINITE((double) mean)) mean += ((a - mean) + (b - mean)) / 2;
  return (double) mean;
}

/* A call of a function of R. `cells` holds the arguments; a risky call that
 * stops or warns gives NULL. The value is no other's object. */
static inline SEXP ds_tagged(SEXP cells, const char *name) {
  PROTECT(cells);
  SET_TAG(cells, Rf_install(name));
  UNPROTECT(1);
  return cells;
}
static inline SEXP ds_call(const char *fn, const char *where, SEXP cells, int risky) {
  PROTECT(cells);
  SEXP space = R_BaseNamespace;
  if (strcmp(where, "base")) space = R_FindNamespace(PROTECT(Rf_mkString(where))); else PROTECT(space);
  PROTECT(space);
  SEXP call = PROTECT(Rf_lcons(Rf_install(fn), cells));
  if (risky) {
    SEXP handler = PROTECT(Rf_findFun(Rf_install("invisible"), R_BaseNamespace)); /* gives the condition, a list */
    SEXP rest = PROTECT(ds_tagged(Rf_cons(handler, R_NilValue), "warning"));
    rest = PROTECT(ds_tagged(Rf_cons(handler, rest), "error"));
    call = PROTECT(Rf_lcons(Rf_install("tryCatch"), Rf_cons(call, rest)));
  }
  SEXP value = PROTECT(Rf_eval(call, space));
  if (MAYBE_REFERENCED(value)) value = Rf_duplicate(value);
  UNPROTECT(risky ? 9 : 5);
  return value;
}

/* Room for position `needed`: amortised constant time. A vector that has begun to
 * grow is given more at once, up to the turns of the loop that it grows in. */
static inline SEXP ds_grown(SEXP s, SEXPTYPE type, R_xlen_t used, R_xlen_t needed, R_xlen_t turns, R_xlen_t *room) {
  R_xlen_t wanted = used < 4 ? 8 : 2 * used;
  if (used >= 64 && turns > wanted) wanted = turns < 32 * used ? turns : 32 * used;
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
