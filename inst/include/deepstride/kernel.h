/* What emitted kernels are written in. An array variable `x` of a kernel is a set of
 * locals: its data x, its object x_s, its length x_n, the length that x_s has room for
 * x_room, where it is protected x_i, extents x_d1, x_d2, ..., and x_own, whether no
 * other variable holds its object. `fallback` is the label where a kernel leaves
 * everything to R: whatever is rare (errors, warnings, odd indices). `bad` is set where R
 * would warn; `tick` counts down to the next look for interrupts. */
#ifndef DEEPSTRIDE_KERNEL_H
#define DEEPSTRIDE_KERNEL_H
#define R_NO_REMAP
#include <float.h>
#include <limits.h>
#include <math.h>
#include <setjmp.h>
#include <stdint.h>
#include <string.h>
#include <R.h>
#include <Rinternals.h>
#include <Rmath.h>
#include <R_ext/Random.h>
#include <R_ext/Utils.h>
/* R keeps these in variables that never change: C is to know their value. */
#undef NA_INTEGER
#undef NA_LOGICAL
#define NA_INTEGER INT_MIN
#define NA_LOGICAL INT_MIN

/* What a kernel gives instead of a value: NULL, for R to do it, or the wish to be
 * built again with code for places past the end of vectors. */
#define DS_PAST_END ((SEXP) 1)
#define DS_MISSING ((SEXP) 2) /* an integer is missing or large, as was not foreseen */
#define DS_PENDING(at) ((SEXP) (uintptr_t) (16 + (at))) /* an argument that R would work out here */
/* Surer than C takes it by itself: what stands behind many of them is still thought to run. */
#define DS_RARE(x) __builtin_expect_with_probability(!!(x), 0, 0.9999)
#define DS_OFTEN(x) __builtin_expect(!!(x), 1)
#define DS_NEED(x) do { if (DS_RARE(!(x))) DS_FALLBACK; } while (0)
#define DS_LEAVE do { *where = __LINE__; goto fallback; } while (0) /* the line of the C: user's lines are kept beside it */
#define DS_FALLBACK DS_LEAVE
#ifdef DS_PRECISION
#include <deepstride/precision.h>
#define DS_EIGHT(n) Rf_allocVector(DS_REAL_OBJECT, n) /* room for places, whatever numbers are */
#define DS_EIGHT_DATA(s) ds_reals(s)
#else
#define DS_EIGHT(n) Rf_allocVector(REALSXP, n)
#define DS_EIGHT_DATA(s) REAL(s)
typedef R_xlen_t ds_flag_d; /* a flag as wide as numbers are */
/* Not known to C, which would work out constants of them itself: but they give the same for the same. In vector forms
 * of glibc's libmvec they are right to 4 units in the last place. */
#if defined(DS_VECTOR_MATHEMATICS) && defined(__GLIBC__) && defined(__x86_64__) && !defined(__clang__)
#define DS_IN_LANES __attribute__((const, simd("notinbranch")))
#else
#define DS_IN_LANES __attribute__((const))
#endif
DS_IN_LANES double exp(double); DS_IN_LANES double log(double); DS_IN_LANES double sin(double);
DS_IN_LANES double cos(double);
#endif
#ifndef DS_LONG
#define DS_LONG long double /* of R's sums; relaxed numerics have doubles in several lanes */
#endif
#define DS_WHOLE 4503599627370496 /* whole numbers up to here are doubles, and so is any sum of two */
#if DS_PRECISION == 24
#define DS_EXACT 8388608.0f
#else
#define DS_EXACT 4503599627370496.0
#endif
#define DS_FAR(x) DS_RARE((size_t) (x) + DS_WHOLE > 2 * (size_t) DS_WHOLE)
#define DS_MOST (INT_MAX - 65536) /* lengths and loops past it are left to R */

/* What a variable is found to be where it can be several things. */
enum { DS_UNSET, DS_NULL, DS_LOGICAL, DS_INTEGER, DS_DOUBLE, DS_COMPLEX, DS_CHARACTER };

/* Turns between looks for interrupts. */
#define DS_TURNS 0x40000
/* What it finds changes nothing that a kernel holds: said to C, so that loops keep their values at hand. */
__attribute__((const, noinline, cold)) static R_xlen_t ds_interrupts(R_xlen_t tick) {
  R_CheckUserInterrupt();
  return tick < DS_TURNS ? DS_TURNS : tick;
}
#define DS_LOOK ({ tick = ds_interrupts(tick); __asm__ volatile("" : "+r" (tick)); }) /* C is not to think it useless */
#define DS_TURN(cost) do { if (DS_RARE((tick -= (cost)) <= 0)) DS_LOOK; } while (0)
/* Are all elements zero or more? Asked in the second turn of a nest, where so many turns are to be expected as elements. */
#define DS_SOUND(s) int s = 0, s##_at = 0; R_xlen_t s##_tick = 0
#define DS_LOOK_SOUND(s, turns, many, test) do { \
  if (s##_at == 0) { s##_at = 1; s##_tick = tick; } \
  else if (s##_at == 1) { s##_at = 2; s = (s##_tick < tick || (s##_tick - tick) * (turns) >= (many)) && (test); } } while (0)
#define DS_NONE_LESS(x, n) ({ R_xlen_t ds_less = 0; for (R_xlen_t k = 0; k < (n); ++k) ds_less |= !((x)[k] >= 0); !ds_less; })
#define DS_BLOCK(n) ((tick -= ((n) >> 2) + 1) <= 0 ? (void) DS_LOOK : (void) 0)
/* A loop of no more than a million turns is accounted for before it starts. One under a condition may have none, however
 * far its counter is past the end: that gives no turns back. */
#define DS_TURNS_AHEAD(turns, cost) do { if (DS_RARE((tick -= ((cost) * (turns) >> 2) + 1) <= 0)) DS_LOOK; } while (0)
static inline R_xlen_t ds_or_none(R_xlen_t turns) { return turns < 0 ? 0 : turns; }
/* Loops in blocks, between which interrupts are looked for. */
#define DS_EACH(k, n) \
  for (R_xlen_t k = 0, k##_end = 0; k < (n) && (k##_end = (n) - k > 524288 ? k + 524288 : (n), DS_BLOCK(k##_end - k), 1);) \
    for (; k < k##_end; ++k)
#define DS_STRIPS(from, to, n) \
  for (R_xlen_t from = 0, to = 0; from < (n) && (to = (n) - from > 4096 ? from + 4096 : (n), DS_BLOCK(to - from), 1); from = to)
#define DS_FOR_UP(k, lo, hi, size) \
  for (R_xlen_t k = (lo), k##_end = 0; k <= (hi) && (k##_end = (hi) - k >= (size) ? k + (size) - 1 : (hi), DS_BLOCK(k##_end - k), 1);) \
    for (; k <= k##_end; ++k)
#define DS_FOR_DOWN(k, lo, hi, size) \
  for (R_xlen_t k = (lo), k##_end = 0; k >= (hi) && (k##_end = k - (hi) >= (size) ? k - (size) + 1 : (hi), DS_BLOCK(k - k##_end), 1);) \
    for (; k >= k##_end; --k)

/* Variables: arguments that are only read; those that come to hold objects of their own. */
#define DS_GIVEN(type, x) SEXP x##_s = R_NilValue; const type *x = NULL; R_xlen_t x##_n = 0; (void) x; (void) x##_n
// An argument is only read until it is owned: asked for data to write to, R would copy what shares its data with others.
#define DS_READ(x, object) x##_s = object; x = DATAPTR_RO(x##_s); x##_n = XLENGTH(x##_s)
#define DS_ARRAY(type, x) \
  SEXP x##_s = R_NilValue; type *x = NULL; R_xlen_t x##_n = 0, x##_room = 0; PROTECT_INDEX x##_i; \
  PROTECT_WITH_INDEX(x##_s, &x##_i); (void) x; (void) x##_n; (void) x##_room
#define DS_HOLD(x, reader, object) \
  do { REPROTECT(x##_s = object, x##_i); x = reader(x##_s); x##_n = x##_room = XLENGTH(x##_s); } while (0)
#define DS_BORROW(x, object) \
  do { REPROTECT(x##_s = object, x##_i); x = (void *) DATAPTR_RO(x##_s); x##_n = x##_room = XLENGTH(x##_s); } while (0)
#define DS_SHARE(x, from) \
  do { REPROTECT(x##_s = from##_s, x##_i); x = (void *) from; x##_n = x##_room = from##_n; } while (0)
#define DS_OWN(x, reader) \
  do { if (!x##_own) { if (x##_s != R_NilValue) { const R_xlen_t ds_n = x##_n; DS_HOLD(x, reader, Rf_duplicate(x##_s)); x##_n = ds_n; } \
    x##_own = 1; } } while (0)
#define DS_SPARE(object, alone) do { if (alone) REPROTECT(spare = object, spare_i); } while (0)
#define DS_OWN_SPARE(x, reader) do { \
  if (!x##_own && spare != R_NilValue && ds_reuse(spare, x##_s, x##_n)) { \
    const R_xlen_t ds_n = x##_n; DS_HOLD(x, reader, spare); x##_n = ds_n; x##_own = 1; REPROTECT(spare = R_NilValue, spare_i); \
  } else DS_OWN(x, reader); } while (0)
#define DS_EMPTY(x) do { x##_n = 0; } while (0)

/* Lists whose parts are reached by number. A place is a double that may be anything. */
#define DS_LIST(x) SEXP x = R_NilValue; PROTECT_INDEX x##_i; R_xlen_t x##_n = 0; PROTECT_WITH_INDEX(x, &x##_i); (void) x##_n
#define DS_TAKE_LIST(x, object) do { REPROTECT(x = object, x##_i); x##_n = XLENGTH(x); } while (0)
#define DS_IS_COUNT(x) ((x) >= 0 && (x) < 4503599627370496.0)
#define DS_MAKE_LIST(x, count) do { const double ds_many = (count); DS_NEED(DS_IS_COUNT(ds_many)); \
  DS_TAKE_LIST(x, Rf_allocVector(VECSXP, (R_xlen_t) ds_many)); } while (0)
static inline SEXP ds_part_at(SEXP list, R_xlen_t n, double place) {
  return place >= 1 && place < (double) n + 1 ? VECTOR_ELT(list, (R_xlen_t) place - 1) : R_NilValue;
}
static inline SEXP ds_part_of(SEXP list, double place) {
  return TYPEOF(list) == VECSXP && !OBJECT(list) ? ds_part_at(list, XLENGTH(list), place) : R_NilValue;
}
/* A list with these names and no other attribute. */
static inline int ds_is_record(SEXP list, int n, const char *const *labels) {
  if (TYPEOF(list) != VECSXP || OBJECT(list) || XLENGTH(list) != n || CDR(ATTRIB(list)) != R_NilValue) return 0;
  SEXP names = Rf_getAttrib(list, R_NamesSymbol);
  if (TYPEOF(names) != STRSXP) return 0;
  for (int i = 0; i < n; ++i) if (strcmp(CHAR(STRING_ELT(names, i)), labels[i]) != 0) return 0;
  return 1;
}
#define DS_PART(x, found, object, reader, rank) do { SEXP ds_part = found; \
  DS_NEED(TYPEOF(ds_part) == object && ds_is_plain(ds_part, rank)); \
  REPROTECT(x##_s = ds_part, x##_i); x = (void *) reader(ds_part); x##_n = x##_room = XLENGTH(ds_part); } while (0)
/* Integers become doubles, or stay what they are. */
#define DS_PART_EITHER(x, found, rank) do { SEXP ds_part = found; \
  DS_NEED((TYPEOF(ds_part) == REALSXP || TYPEOF(ds_part) == INTSXP) && ds_is_plain(ds_part, rank)); \
  DS_HOLD(x, REAL, Rf_coerceVector(ds_part, REALSXP)); } while (0)
#define DS_CAN_PUT(list, place) \
  ((place) >= 1 && (place) < (double) list##_n + 2 && ((place) < (double) list##_n + 1 || ATTRIB(list) == R_NilValue))
#define DS_PUT_PART(list, place, object) do { const double ds_place = (place); \
  DS_NEED(DS_CAN_PUT(list, ds_place)); \
  const R_xlen_t ds_slot = (R_xlen_t) ds_place - 1; SEXP ds_part = PROTECT(object); \
  if (ds_slot == XLENGTH(list)) REPROTECT(list = Rf_xlengthgets(list, 2 * ds_slot + 8), list##_i); \
  if (ds_slot == list##_n) ++list##_n; \
  SET_VECTOR_ELT(list, ds_slot, ds_part); UNPROTECT(1); } while (0)
#define DS_DROP_PART(list, place) do { const double ds_place = (place); \
  DS_NEED(ds_place >= 1 && ds_place < (double) list##_n + 1 && ATTRIB(list) == R_NilValue); \
  ds_drop_part(list, list##_n--, (R_xlen_t) ds_place - 1); } while (0)
static inline void ds_drop_part(SEXP list, R_xlen_t n, R_xlen_t at) {
  for (; at + 1 < n; ++at) SET_VECTOR_ELT(list, at, VECTOR_ELT(list, at + 1));
  SET_VECTOR_ELT(list, n - 1, R_NilValue);
}
/* Into a list in a list, which becomes one of its own where others hold it; its room is as long as it is. */
static inline int ds_put_within(SEXP outer, R_xlen_t at, double place, SEXP part) {
  SEXP inner = VECTOR_ELT(outer, at);
  if (TYPEOF(inner) != VECSXP || OBJECT(inner)) return 0;
  const R_xlen_t n = XLENGTH(inner);
  if (!(place >= 1 && place < (double) n + (ATTRIB(inner) == R_NilValue ? 2 : 1))) return 0;
  if (place >= (double) n + 1) SET_VECTOR_ELT(outer, at, inner = Rf_xlengthgets(inner, n + 1));
  else if (MAYBE_SHARED(inner)) SET_VECTOR_ELT(outer, at, inner = Rf_shallow_duplicate(inner));
  SET_VECTOR_ELT(inner, (R_xlen_t) place - 1, part);
  return 1;
}
#define DS_PUT_WITHIN(list, place, within, object) do { const double ds_place = (place); \
  DS_NEED(ds_place >= 1 && ds_place < (double) list##_n + 1); \
  SEXP ds_part = PROTECT(object); const int ds_done = ds_put_within(list, (R_xlen_t) ds_place - 1, within, ds_part); \
  UNPROTECT(1); DS_NEED(ds_done); } while (0)
/* Elements of a part where it lies. A part that something else holds is copied before it is changed. One that grows has room
 * to spare: how much of it is used stands in x_used, 0 where that is all of it; it is made as long as that before it is seen as a whole. */
#define DS_PARTS_USED(x) SEXP x##_used = R_NilValue; PROTECT_INDEX x##_used_i; PROTECT_WITH_INDEX(x##_used, &x##_used_i)
#define DS_ALL_USED(x) REPROTECT(x##_used = R_NilValue, x##_used_i)
static inline SEXP ds_held(SEXP object) { MARK_NOT_MUTABLE(object); return object; }
static inline double *ds_used_of(SEXP used, double place) {
  return place >= 1 && place < (double) Rf_xlength(used) + 1 ? REAL(used) + (R_xlen_t) place - 1 : NULL;
}
static inline void ds_settle_part(SEXP list, SEXP used, double place) {
  double *many = ds_used_of(used, place);
  if (many == NULL || *many == 0) return;
  const R_xlen_t k = (R_xlen_t) place - 1;
  SET_VECTOR_ELT(list, k, Rf_xlengthgets(VECTOR_ELT(list, k), (R_xlen_t) *many));
  *many = 0;
}
static inline SEXP ds_parts_settled(SEXP list, SEXP used) {
  for (R_xlen_t k = 0; k < Rf_xlength(used); ++k) ds_settle_part(list, used, (double) k + 1);
  return list;
}
static inline void ds_forget_used(SEXP used, double place) {
  double *many = ds_used_of(used, place);
  if (many != NULL) *many = 0;
}
static inline double ds_part_length(SEXP part, SEXP used, double place) {
  const double *many = ds_used_of(used, place);
  return many == NULL || *many == 0 ? (double) Rf_xlength(part) : *many;
}
/* A part that can be given an element at a place, which may be one past its end; NULL for what is left to R. */
static inline SEXP ds_part_to_change(SEXP list, SEXP *used, PROTECT_INDEX used_i, double place, double at, SEXPTYPE type) {
  const R_xlen_t k = (R_xlen_t) place - 1;
  SEXP part = VECTOR_ELT(list, k);
  if (part == R_NilValue && at >= 1 && at < 2) SET_VECTOR_ELT(list, k, part = Rf_allocVector(type, 1));
  if (TYPEOF(part) != type || OBJECT(part)) return NULL;
  const double n = ds_part_length(part, *used, place);
  if (!(at >= 1 && at < n + 2)) return NULL;
  if (at < n + 1) {
    if (MAYBE_SHARED(part)) SET_VECTOR_ELT(list, k, part = Rf_duplicate(part));
    return part;
  }
  if (ATTRIB(part) != R_NilValue) return NULL;
  if (ds_used_of(*used, place) == NULL) {
    const R_xlen_t had = Rf_xlength(*used), size = XLENGTH(list);
    SEXP more = Rf_allocVector(REALSXP, size);
    for (R_xlen_t i = 0; i < size; ++i) REAL(more)[i] = i < had ? REAL(*used)[i] : 0;
    REPROTECT(*used = more, used_i);
  }
  if (n + 1 > (double) XLENGTH(part)) SET_VECTOR_ELT(list, k, part = Rf_xlengthgets(part, (R_xlen_t) (n * 1.5) + 8));
  *ds_used_of(*used, place) = n + 1;
  return part;
}
#define DS_PART_FILLED(list, place) DS_NEED(ds_part_at(list, list##_n, (place)) != R_NilValue)
#define DS_PUT_ELEMENT(list, place, at, v, object, type) do { const double ds_place = (place), ds_nth = (at); const type ds_v = (v); \
  DS_NEED(ds_place >= 1 && ds_place < (double) list##_n + 1); \
  SEXP ds_part = ds_part_to_change(list, &list##_used, list##_used_i, ds_place, ds_nth, object); DS_NEED(ds_part != NULL); \
  ((type *) DATAPTR(ds_part))[(R_xlen_t) ds_nth - 1] = ds_v; } while (0)
#define DS_PART_SIZE(list, used, place) ({ const double ds_place = (place); DS_NEED(ds_place >= 1 && ds_place < (double) list##_n + 1); \
  SEXP ds_part = ds_part_at(list, list##_n, ds_place); DS_NEED(!OBJECT(ds_part)); (int) ds_part_length(ds_part, used, ds_place); })
#define DS_INNER_SIZE(found) ({ SEXP ds_part = (found); DS_NEED(ds_part != R_NilValue && !OBJECT(ds_part)); (int) Rf_xlength(ds_part); })
#define DS_PART_ELEMENT(found, used, place, at, object, type) ({ SEXP ds_part = (found); const double ds_nth = (at); \
  DS_NEED(TYPEOF(ds_part) == object && ATTRIB(ds_part) == R_NilValue && ds_nth >= 1 && ds_nth < ds_part_length(ds_part, used, place) + 1); \
  ((const type *) DATAPTR_RO(ds_part))[(R_xlen_t) ds_nth - 1]; })
static inline SEXP ds_list_fit(SEXP list, R_xlen_t used) { return XLENGTH(list) == used ? list : Rf_xlengthgets(list, used); }

/* Fresh data in the scratch object, which a variable then takes. */
#define DS_SLOT(slot) SEXP slot = R_NilValue; PROTECT_INDEX slot##_i; PROTECT_WITH_INDEX(slot, &slot##_i)
#define DS_TIMES(a, b) ({ R_xlen_t ds_product; \
  DS_NEED(!__builtin_mul_overflow(a, b, &ds_product) && ds_product < R_XLEN_T_MAX); ds_product; })
#define DS_NEW(mode, out, n) ds_##mode *const out = ds_data_##mode(REPROTECT_IT(ds_fresh_##mode(n)))
typedef double ds_double;
typedef int ds_integer;
typedef int ds_logical;
#define REPROTECT_IT(object) (REPROTECT(scratch = (object), scratch_i), scratch)
#define DS_TAKE(x, out, n) do { REPROTECT(x##_s = scratch, x##_i); x = (void *) out; x##_n = x##_room = (n); } while (0)
/* The same for one that is made anew in each turn: it takes turns with the object that it held before. */
#define DS_NEW_FOR(x, mode, out, n) ds_##mode *const out = ds_data_##mode(REPROTECT_IT( \
  x##_room_s != R_NilValue && XLENGTH(x##_room_s) == (n) ? x##_room_s : ds_fresh_##mode(n)))
#define DS_RENEW(x, out, n) do { \
  REPROTECT(x##_room_s = MAYBE_REFERENCED(x##_s) || ATTRIB(x##_s) != R_NilValue ? R_NilValue : x##_s, x##_room_s_i); \
  DS_TAKE(x, out, n); } while (0)
/* Elements drawn with and without replacement: `pick` is the element at place at_. */
#define DS_DRAW_WITH(pick) do { for (R_xlen_t k_ = 0; k_ < n_; ++k_) { \
  const R_xlen_t at_ = (R_xlen_t) R_unif_index(of_); new_[k_] = pick; } } while (0)
#define DS_DRAW_WITHOUT(pick) do { int *const row_ = ds_row(of_); R_xlen_t left_ = of_; \
  for (R_xlen_t k_ = 0; k_ < n_; ++k_) { const R_xlen_t at_ = (R_xlen_t) R_unif_index(left_); new_[k_] = pick; row_[at_] = row_[--left_]; } } while (0)
/* As do_sample() in R's random.c with weights: places into `row_`, each `pick` the element at place at_. */
#define DS_DRAW_WEIGHTED(weights, again, pick) do { const void *top_ = vmaxget(); int *const row_ = (int *) R_alloc(n_ + 1, sizeof(int)); \
  DS_NEED(weights##_n == of_ && ds_sample_weighted(weights, (int) of_, again, n_, row_)); \
  for (R_xlen_t k_ = 0; k_ < n_; ++k_) { const R_xlen_t at_ = row_[k_]; new_[k_] = pick; } vmaxset(top_); } while (0)
/* Extremes so far, in `best_` and `any_`; the place of one in `at_`. */
#define DS_BEST(x, op) do { const double ds_e = (x); if (DS_RARE(ISNAN(ds_e))) { if (!ISNA(best_)) best_ = ds_e; any_ = 1; } \
  else if (!any_ || ds_e op best_) { best_ = ds_e; any_ = 1; } } while (0)
#define DS_BEST_INT(x, op) do { const int ds_e = (x); if (!any_ || best_ != NA_INTEGER) { \
  if (ds_e == NA_INTEGER || !any_ || ds_e op best_) { best_ = ds_e; any_ = 1; } } } while (0)
#define DS_WHICH(x, op) do { const double ds_e = (x); ++place_; \
  if (!ISNAN(ds_e) && (at_ == 0 || ds_e op best_)) { best_ = ds_e; at_ = place_; } } while (0)
static inline SEXP ds_fresh_double(R_xlen_t n) { return Rf_allocVector(REALSXP, n); }
static inline SEXP ds_fresh_integer(R_xlen_t n) { return Rf_allocVector(INTSXP, n); }
static inline SEXP ds_fresh_logical(R_xlen_t n) { return Rf_allocVector(LGLSXP, n); }
/* Copies an object into one of the same kind and length that nobody needs. */
static inline int ds_reuse(SEXP spare, SEXP from, R_xlen_t n) {
  if (TYPEOF(from) == STRSXP || TYPEOF(spare) != TYPEOF(from) || XLENGTH(spare) != XLENGTH(from) || XLENGTH(from) != n) return 0;
  if (TYPEOF(from) == CPLXSXP) memcpy(COMPLEX(spare), COMPLEX(from), n * sizeof(Rcomplex));
  else if (TYPEOF(from) == REALSXP) memcpy(REAL(spare), REAL(from), n * sizeof(double));
  else memcpy(TYPEOF(from) == LGLSXP ? LOGICAL(spare) : INTEGER(spare), TYPEOF(from) == LGLSXP ? LOGICAL(from) : INTEGER(from), n * sizeof(int));
  SET_ATTRIB(spare, Rf_duplicate(ATTRIB(from)));
  return 1;
}
static inline double *ds_data_double(SEXP s) { return REAL(s); }
static inline int *ds_data_integer(SEXP s) { return INTEGER(s); }
static inline int *ds_data_logical(SEXP s) { return LOGICAL(s); }
static inline int *ds_row(R_xlen_t n) {
  int *row = (int *) R_alloc(n, sizeof(int));
  for (R_xlen_t k = 0; k < n; ++k) row[k] = (int) k;
  return row;
}
#ifndef DS_PRECISION
/* Places drawn by weights, counted from 0; 0 where R would complain, or goes another way. */
static inline int ds_sample_weighted(const double *weights, int n, int again, R_xlen_t size, int *out) {
  double *p = (double *) R_alloc(n, sizeof(double)), sum = 0, whole = 1;
  int *row = ds_row(n), positive = 0, many = 0;
  for (int k = 0; k < n; ++k) {
    if (!R_FINITE(weights[k]) || weights[k] < 0) return 0;
    if (weights[k] > 0) { ++positive; sum += weights[k]; }
  }
  if (positive == 0 || (!again && size > positive)) return 0;
  for (int k = 0; k < n; ++k) { p[k] = weights[k] / sum; many += n * p[k] > 0.1; }
  if ((again || size < 2) && many > 200) return 0;
  revsort(p, row, n);
  if (again || size < 2) for (int k = 1; k < n; ++k) p[k] += p[k - 1];
  for (R_xlen_t drawn = 0; drawn < size; ++drawn) {
    const int last = again || size < 2 ? n - 1 : n - 1 - (int) drawn;
    const double at = whole * unif_rand();
    int k = 0;
    if (again || size < 2) { while (k < last && at > p[k]) ++k; out[drawn] = row[k]; continue; }
    for (double mass = p[0]; k < last && at > mass; mass += p[k]) ++k;
    out[drawn] = row[k];
    whole -= p[k];
    for (; k < last; ++k) { p[k] = p[k + 1]; row[k] = row[k + 1]; }
  }
  return 1;
}
#endif
static inline R_xlen_t ds_extent(SEXP s, int d) {
  SEXP extents = Rf_getAttrib(s, R_DimSymbol);
  return d <= Rf_length(extents) ? INTEGER(extents)[d - 1] : -1;
}

#define ds_least(a, b) ({ const __auto_type ds_a1 = (a); const __auto_type ds_a2 = (b); ds_a1 < ds_a2 ? ds_a1 : ds_a2; })
#define ds_most(a, b) ({ const __auto_type ds_a1 = (a); const __auto_type ds_a2 = (b); ds_a1 > ds_a2 ? ds_a1 : ds_a2; })

/* Quotient and remainder of whole numbers, rounded down, by a positive constant. */
static inline R_xlen_t ds_whole_div(R_xlen_t a, R_xlen_t by) {
  if ((by & (by - 1)) == 0) return a >> __builtin_ctzll((unsigned long long) by);
  return a / by - (a % by < 0);
}
static inline R_xlen_t ds_whole_mod(R_xlen_t a, R_xlen_t by) {
  if ((by & (by - 1)) == 0) return a & (by - 1);
  const R_xlen_t rest = a % by;
  return rest < 0 ? rest + by : rest;
}

/* By any but 0, where R has no whole number: what is given then is too far from all to be taken for one, so that no loop
 * goes on with it. Short ones are divided in less time. */
#define DS_NO_WHOLE ((R_xlen_t) 1 << 61)
#define DS_SHORT(a, b) DS_OFTEN(((uint64_t) ((a) | (b)) >> 31) == 0)
static inline R_xlen_t ds_whole_div_by(R_xlen_t a, R_xlen_t by, int *bad) {
  if (DS_RARE(by == 0)) { *bad = 1; return DS_NO_WHOLE; }
  if (DS_SHORT(a, by)) return (uint32_t) a / (uint32_t) by;
  return a / by - (a % by != 0 && (a < 0) != (by < 0));
}
static inline R_xlen_t ds_whole_mod_by(R_xlen_t a, R_xlen_t by, int *bad) {
  if (DS_RARE(by == 0)) { *bad = 1; return DS_NO_WHOLE; }
  if (DS_SHORT(a, by)) return (uint32_t) a % (uint32_t) by;
  const R_xlen_t rest = a % by;
  return rest != 0 && (rest < 0) != (by < 0) ? rest + by : rest;
}

/* Conditions: where R would stop at NA the kernel falls back. Numbers that compare as asked
 * are not missing, so doubles are looked at only where they don't. */
#define DS_TEST(x) ({ const int ds_t = (x); DS_NEED(ds_t != NA_LOGICAL); ds_t; })
#define DS_KNOWN(x) ({ DS_NEED((x) != NA_INTEGER); 1; })
#define DS_COMPARE_INT(a, op, b) ({ const int ds_l = (a), ds_r = (b); DS_NEED(ds_l != NA_INTEGER && ds_r != NA_INTEGER); ds_l op ds_r; })
#define DS_COMPARE(a, op, b, missing) ({ const double ds_l = (a), ds_r = (b); ds_l op ds_r || ({ DS_NEED(!(missing)); 0; }); })
#define DS_LT(a, b) DS_COMPARE(a, <, b, !(ds_l >= ds_r))
#define DS_LE(a, b) DS_COMPARE(a, <=, b, !(ds_l > ds_r))
#define DS_GT(a, b) DS_COMPARE(a, >, b, !(ds_l <= ds_r))
#define DS_GE(a, b) DS_COMPARE(a, >=, b, !(ds_l < ds_r))
#define DS_EQ(a, b) DS_COMPARE(a, ==, b, __builtin_isunordered(ds_l, ds_r))
#define DS_NE(a, b) (!DS_EQ(a, b))
#define DS_COMPARED(name, op) \
  static inline int ds_##name(double a, double b) { return __builtin_isunordered(a, b) ? NA_LOGICAL : a op b; } \
  static inline int ds_##name##i(int a, int b) { return a == NA_INTEGER || b == NA_INTEGER ? NA_LOGICAL : a op b; }
DS_COMPARED(eq, ==) DS_COMPARED(ne, !=) DS_COMPARED(lt, <) DS_COMPARED(gt, >) DS_COMPARED(le, <=) DS_COMPARED(ge, >=)
/* Comparisons and extremes in loops that are looked at when they have ended: see pass_late(). */
#define DS_COMPARE_LATE(a, op, b) ({ const double ds_l = (a), ds_r = (b); bad_d |= (ds_flag_d) __builtin_isunordered(ds_l, ds_r); ds_l op ds_r; })
#define DS_LT_LATE(a, b) DS_COMPARE_LATE(a, <, b)
#define DS_LE_LATE(a, b) DS_COMPARE_LATE(a, <=, b)
#define DS_GT_LATE(a, b) DS_COMPARE_LATE(a, >, b)
#define DS_GE_LATE(a, b) DS_COMPARE_LATE(a, >=, b)
#define DS_EQ_LATE(a, b) DS_COMPARE_LATE(a, ==, b)
#define DS_NE_LATE(a, b) DS_COMPARE_LATE(a, !=, b)
#define DS_MIN_LATE(a, b) ({ const double ds_l = (a), ds_r = (b); odd_d |= (ds_flag_d) __builtin_isunordered(ds_l, ds_r); ds_r < ds_l ? ds_r : ds_l; })
#define DS_MAX_LATE(a, b) ({ const double ds_l = (a), ds_r = (b); odd_d |= (ds_flag_d) __builtin_isunordered(ds_l, ds_r); ds_r > ds_l ? ds_r : ds_l; })
#define DS_LESSER(a, b) ({ const double ds_l = (a), ds_r = (b); ds_r < ds_l ? ds_r : ds_l; })
#define DS_GREATER(a, b) ({ const double ds_l = (a), ds_r = (b); ds_r > ds_l ? ds_r : ds_l; })
/* Integers that are taken not to be missing, and to be small where they are summed. */
#define DS_THERE(x) ({ const int ds_v = (x); if (DS_RARE(ds_v == NA_INTEGER)) goto missing; ds_v; })
#define DS_NOTED(x) ({ const int ds_v = (x); odd |= ds_v == NA_INTEGER; ds_v; })
/* Of truths the missing one alone is below zero. */
#define DS_NOTED_TRUTH(x) ({ const int ds_v = (x); lost |= ds_v; ds_v; })
#define DS_SMALL(x) ({ const int ds_v = (x); big |= (unsigned) ds_v + (1u << 27); ds_v; })
/* Flags of one turn of a loop, which are joined to those of all turns where it ends. What is noted of doubles is noted in
 * what is as wide as they are, without which C makes no vector of a loop, nor puts a choice in the place of a branch. */
#define DS_FLAGS_BAD int bad = 0; ds_flag_d bad_d = 0; (void) bad; (void) bad_d
#define DS_NOTE_BAD do { bad_noted |= bad; bad_noted_d |= bad_d; } while (0)
#define DS_FLAGS DS_FLAGS_BAD; int odd = 0, lost = 0; unsigned big = 0; ds_flag_d odd_d = 0; (void) odd; (void) lost; (void) big; (void) odd_d
#define DS_NOTE do { DS_NOTE_BAD; odd_noted |= odd; lost_noted |= lost; big_noted |= big; odd_noted_d |= odd_d; } while (0)
#define DS_BAD (bad | bad_noted | ((bad_d | bad_noted_d) != 0))
#define DS_ODD (odd | odd_noted | ((lost | lost_noted) < 0) | ((big | big_noted) >> 28) | ((odd_d | odd_noted_d) != 0))
#define DS_LOOK_MISSING_FIRST do { if (DS_RARE(DS_ODD)) goto missing; } while (0)
#define DS_LOOK_MISSING do { DS_LOOK_MISSING_FIRST; DS_NEED(!DS_BAD); } while (0)
#define DS_SUM_LATE(a, b, op, sign) ({ const int ds_l = (a), ds_r = (b), ds_y = (int) ((unsigned) ds_l op (unsigned) ds_r); \
  bad |= (((ds_l ^ ds_y) & (sign ds_r ^ ds_y)) < 0) | (ds_y == NA_INTEGER); ds_y; })
#define DS_ADD_LATE(a, b) DS_SUM_LATE(a, b, +, )
#define DS_SUB_LATE(a, b) DS_SUM_LATE(a, b, -, ~)
#define DS_MUL_LATE(a, b) ({ int ds_y; bad |= __builtin_mul_overflow((a), (b), &ds_y) | (ds_y == NA_INTEGER); ds_y; })
#define DS_AND_THEN(a, b) ({ const int ds_l = (a); ds_l == 0 ? 0 : ds_and(ds_l, b); })
#define DS_OR_ELSE(a, b) ({ const int ds_l = (a); ds_l == 1 ? 1 : ds_or(ds_l, b); })
#define DS_IFELSE(t, a, b) ({ const int ds_t = (t); bad |= ds_t == NA_LOGICAL; ds_t ? (a) : (b); })

/* A function of R's library that makes a NaN of numbers: R warns. */
#define DS_NAN1(fn, a, ...) ({ const double ds_a1 = (a), ds_y = fn(ds_a1 __VA_OPT__(,) __VA_ARGS__); bad_d |= (ds_flag_d) (ds_y != ds_y) & (ds_a1 == ds_a1); ds_y; })
/* A root is NaN below zero alone. */
#define DS_NAN_ROOT(a) ({ const double ds_a1 = (a); bad_d |= (ds_flag_d) (ds_a1 < 0); sqrt(ds_a1); })
#define DS_NAN2(fn, a, b, ...) ({ const double ds_a1 = (a), ds_a2 = (b), ds_y = fn(ds_a1, ds_a2 __VA_OPT__(,) __VA_ARGS__); \
  bad_d |= (ds_flag_d) (ds_y != ds_y) & (ds_a1 == ds_a1) & (ds_a2 == ds_a2); ds_y; })
#define DS_NAN3(fn, a, b, c, ...) ({ const double ds_a1 = (a), ds_a2 = (b), ds_a3 = (c), ds_y = fn(ds_a1, ds_a2, ds_a3 __VA_OPT__(,) __VA_ARGS__); \
  bad_d |= (ds_flag_d) (ds_y != ds_y) & (ds_a1 == ds_a1) & (ds_a2 == ds_a2) & (ds_a3 == ds_a3); ds_y; })

#define DS_IS_MINUS(x) ((x) == 0 && __builtin_signbit(x))
#define DS_MINUS_ZERO(x) (DS_IS_MINUS(__real__ (x)) || DS_IS_MINUS(__imag__ (x)))

/* Elements, by places from 1. */
#define DS_OUTSIDE(k, n) DS_RARE((size_t) (k) - 1 >= (size_t) (n))
#define DS_AT(x, at) ({ const R_xlen_t ds_k = (at); if (DS_OUTSIDE(ds_k, x##_n)) { DS_NEED(ds_k >= 1); goto past_end; } x[ds_k - 1]; })
#define DS_AT_BELOW(x, at) ({ const R_xlen_t ds_k = (at); DS_NEED(ds_k >= 1); x[ds_k - 1]; })
#define DS_AT_OR_NA(x, at, na) ({ const R_xlen_t ds_k = (at); DS_OUTSIDE(ds_k, x##_n) ? ({ DS_NEED(ds_k >= 1); na; }) : x[ds_k - 1]; })
#define DS_AT_EXACT(x, at) ({ const R_xlen_t ds_k = (at); DS_NEED(!DS_OUTSIDE(ds_k, x##_n)); x[ds_k - 1]; })
#define DS_SPOT_2(x, i, j) ({ const R_xlen_t ds_i = (i), ds_j = (j); \
  DS_NEED(!DS_OUTSIDE(ds_i, x##_d1) && !DS_OUTSIDE(ds_j, x##_d2)); ds_i - 1 + x##_d1 * (ds_j - 1); })
#define DS_SPOT_3(x, i, j, l) ({ const R_xlen_t ds_first = DS_SPOT_2(x, i, j), ds_l = (l); DS_NEED(!DS_OUTSIDE(ds_l, x##_d3)); \
  ds_first + x##_d1 * x##_d2 * (ds_l - 1); })
#define DS_SPOT_4(x, i, j, l, m) ({ const R_xlen_t ds_to = DS_SPOT_3(x, i, j, l), ds_m = (m); DS_NEED(!DS_OUTSIDE(ds_m, x##_d4)); \
  ds_to + x##_d1 * x##_d2 * x##_d3 * (ds_m - 1); })
/* Of five extents and more: -1 where a place is outside. */
static inline R_xlen_t ds_spot(int rank, const R_xlen_t *places, const R_xlen_t *extents) {
  R_xlen_t at = 0;
  for (int d = rank - 1; d >= 0; --d) {
    if (DS_OUTSIDE(places[d], extents[d])) return -1;
    at = at * extents[d] + places[d] - 1;
  }
  return at;
}
#define DS_SPOT_MANY(rank, places, extents) ({ const R_xlen_t ds_place = ds_spot(rank, places, extents); DS_NEED(ds_place >= 0); ds_place; })
#define DS_AT_2(x, i, j) x[DS_SPOT_2(x, i, j)]
#define DS_AT_3(x, i, j, l) x[DS_SPOT_3(x, i, j, l)]
#define DS_AT_4(x, i, j, l, m) x[DS_SPOT_4(x, i, j, l, m)]
#define DS_PUT_2(x, i, j, v) do { const __auto_type ds_x = (v); x[DS_SPOT_2(x, i, j)] = ds_x; } while (0)
#define DS_PUT_3(x, i, j, l, v) do { const __auto_type ds_x = (v); x[DS_SPOT_3(x, i, j, l)] = ds_x; } while (0)
#define DS_PUT_4(x, i, j, l, m, v) do { const __auto_type ds_x = (v); x[DS_SPOT_4(x, i, j, l, m)] = ds_x; } while (0)
#define DS_PUT_INSIDE(x, at, v) do { const __auto_type ds_x = (v); const R_xlen_t ds_k = (at); DS_NEED(!DS_OUTSIDE(ds_k, x##_n)); x[ds_k - 1] = ds_x; } while (0)
#define DS_PUT_BELOW(x, at, v) do { const __auto_type ds_x = (v); const R_xlen_t ds_k = (at); DS_NEED(ds_k >= 1); x[ds_k - 1] = ds_x; } while (0)
#define DS_PUT(x, at, v) do { const __auto_type ds_x = (v); const R_xlen_t ds_k = (at); \
  if (DS_OUTSIDE(ds_k, x##_n)) { DS_NEED(ds_k >= 1); goto past_end; } x[ds_k - 1] = ds_x; } while (0)
/* Code that grows vectors slows down the loops that it stands in: it is there only where growth is foreseen. */
#define DS_PUT_OR_GROW(x, at, v, turns, type, object, reader, na) do { const type ds_x = (v); const R_xlen_t ds_k = (at); \
  if (DS_OUTSIDE(ds_k, x##_n)) { DS_NEED(ds_k >= 1); DS_ROOM(x, ds_k, turns, type, object, reader, na); } x[ds_k - 1] = ds_x; } while (0)
#define DS_ROOM(x, most, turns, type, object, reader, na) do { const R_xlen_t ds_top = (most); if (ds_top > x##_n) { \
  DS_MAKE_ROOM(x, ds_top, turns, object, reader); for (R_xlen_t ds_j = x##_n; ds_j < ds_top; ++ds_j) x[ds_j] = na; x##_n = ds_top; } } while (0)
#define DS_NO_ROOM(x, most) do { if (DS_RARE((most) > x##_n)) goto past_end; } while (0)
#define DS_MAKE_ROOM(x, needed, turns, object, reader) do { if (DS_RARE((needed) > x##_room)) { DS_NEED((needed) < DS_MOST / 4); \
  REPROTECT(x##_s = ds_grown(x##_s, object, x##_n, needed, turns, &x##_room), x##_i); x = reader(x##_s); } } while (0)
#define DS_APPEND(x, v, turns, type, object, reader, na) do { const type ds_x = (v); DS_MAKE_ROOM(x, x##_n + 1, turns, object, reader); x[x##_n++] = ds_x; } while (0)
#define DS_SINGLE(x) ({ DS_NEED(x##_n == 1); x[0]; })
#define ds_size(n) ({ DS_NEED((n) <= DS_MOST); (int) (n); })
#define DS_COUNT(x) ({ const R_xlen_t ds_c = ds_count(x); DS_NEED(ds_c >= 0); ds_c; })

/* The first number, the last, the count and the step of seq_len(to) and of `from:to`: from a
 * whole number R counts in integers up to the last one not past the end (seq_colon() in seq.c). */
#define DS_SEQ(to, lo, hi, n, step) const R_xlen_t lo = 1, hi = DS_COUNT(to), n = hi, step = 1; \
  DS_NEED(hi <= DS_MOST); (void) lo; (void) n; (void) step
#define DS_RANGE(from, to, lo, hi, n, step) R_xlen_t lo, hi; { const double ds_from = (from), ds_to = (to); \
  DS_NEED(ds_is_int(ds_from) && fabs(ds_from) <= DS_MOST && fabs(ds_to) <= DS_MOST); const R_xlen_t ds_span = (R_xlen_t) (fabs(ds_to - ds_from) + FLT_EPSILON); \
  lo = (R_xlen_t) ds_from; hi = ds_from <= ds_to ? lo + ds_span : lo - ds_span; } DS_STEPS(lo, hi, n, step)
#define DS_RANGE_WHOLE(from, to, lo, hi, n, step) const R_xlen_t lo = (from), hi = (to); \
  DS_NEED(lo <= DS_MOST && lo >= -DS_MOST && hi <= DS_MOST && hi >= -DS_MOST); DS_STEPS(lo, hi, n, step)
#define DS_STEPS(lo, hi, n, step) const R_xlen_t n = hi >= lo ? hi - lo + 1 : lo - hi + 1, step = hi >= lo ? 1 : -1; (void) n; (void) step

static inline int ds_all_there(const int *x, R_xlen_t n) {
  int missing = 0;
  for (R_xlen_t k = 0; k < n; ++k) missing |= x[k] == NA_INTEGER;
  return !missing;
}
/* The least and the largest of elements, by places from 1. */
/* Do operands of these lengths recycle evenly, whichever of them R puts together first? */
static inline int ds_even(R_xlen_t n, int count, const R_xlen_t *lengths) {
  for (int i = 0; i < count; ++i) {
    if (n > 0 && (lengths[i] > n || n % lengths[i])) return 0;
    for (int j = 0; j < i; ++j) if (lengths[i] && lengths[j] && lengths[i] % lengths[j] && lengths[j] % lengths[i]) return 0;
  }
  return 1;
}
typedef struct { R_xlen_t least, most; } ds_span;
__attribute__((noinline, pure)) static ds_span ds_ends(const int *x, R_xlen_t low, R_xlen_t high) {
  int a = INT_MAX, b = INT_MIN;
  for (R_xlen_t k = low - 1; k < high; ++k) { a = x[k] < a ? x[k] : a; b = x[k] > b ? x[k] : b; }
  return (ds_span) {a, b};
}
/* Into `of_least` and `of_most`, the ends of the elements from `low` to `high`. */
#define DS_ENDS(x, low, high, of) ({ const ds_span ds_e = ds_ends(x, low, high); least##of = ds_e.least; most##of = ds_e.most; 1; })
#define DS_END(x, at, of) ({ least##of = most##of = x[(at) - 1]; 1; })
/* The same of the part of a matrix between two rows and two columns. */
__attribute__((noinline, pure)) static ds_span ds_ends_within(const int *x, R_xlen_t rows, R_xlen_t i, R_xlen_t j, R_xlen_t i_end, R_xlen_t j_end) {
  ds_span all = {INT_MAX, INT_MIN};
  for (; j <= j_end; ++j) {
    const ds_span one = ds_ends(x + rows * (j - 1), i, i_end);
    all.least = one.least < all.least ? one.least : all.least;
    all.most = one.most > all.most ? one.most : all.most;
  }
  return all;
}
#define DS_ENDS_WITHIN(x, i, j, i_end, j_end, of) ({ const ds_span ds_e = ds_ends_within(x, x##_d1, i, j, i_end, j_end); \
  least##of = ds_e.least; most##of = ds_e.most; 1; })
/* Parts of one vector are scanned again and again: once they come to a sixteenth of it, it is scanned whole. */
#define DS_SCAN(x) R_xlen_t x##_seen = 0; ds_span x##_ends = {0, 0}
#define DS_SCAN_PARTS(x) x##_seen = R_XLEN_T_MAX / -2
#define DS_ENDS_AGAIN(x, low, high, of) ({ \
  if (x##_seen > x##_n >> 4) { least##of = x##_ends.least; most##of = x##_ends.most; } \
  else { const R_xlen_t ds_a = (low), ds_b = (high); DS_ENDS(x, ds_a, ds_b, of); \
    if ((x##_seen += ds_b - ds_a + 1) > x##_n >> 4) x##_ends = ds_ends(x, 1, x##_n); } 1; })

/* Places that a vector of indices picks. */
#define DS_PLACES(slot, at, n, most, object) R_xlen_t n, most; REPROTECT(slot = (object), slot##_i); DS_NEED(n >= 0); \
  const R_xlen_t *const at = (const R_xlen_t *) DATAPTR_RO(slot); (void) most
#define DS_PICK(x, at, na) ({ const R_xlen_t ds_k = (at); ds_k < 0 ? na : x[ds_k]; })

/* A double cut to an integer. Converted straight and back again it would be trunc() for C compilers that need not heed
 * traps, and a negative fraction -0; no integer is that. */
static inline int ds_cut(double x) { return -(int) -x; }

static inline double ds_i2d(int x) { return x == NA_INTEGER ? NA_REAL : (double) x; }
static inline int ds_d2i(double x, int *bad) {
  if (x > -2147483648.0 && x < 2147483648.0) return ds_cut(x);
  if (!ISNAN(x)) *bad = 1;
  return NA_INTEGER;
}
static inline int ds_d2l(double x) { return ISNAN(x) ? NA_LOGICAL : x != 0; }
static inline int ds_i2l(int x) { return x == NA_INTEGER ? NA_LOGICAL : x != 0; }

/* Integer arithmetic. Where R would warn of an overflow the kernel falls back. */
#define DS_SUM(a, b, op) ({ const int ds_l = (a), ds_r = (b); int ds_y = NA_INTEGER; \
  if (ds_l != NA_INTEGER && ds_r != NA_INTEGER) DS_NEED(!op(ds_l, ds_r, &ds_y) && ds_y != NA_INTEGER); ds_y; })
#define DS_SUM_SURE(a, b, op) ({ int ds_y; DS_NEED(!op((a), (b), &ds_y) && ds_y != NA_INTEGER); ds_y; })
#define DS_ADD(a, b) DS_SUM(a, b, __builtin_add_overflow)
#define DS_SUB(a, b) DS_SUM(a, b, __builtin_sub_overflow)
#define DS_MUL(a, b) DS_SUM(a, b, __builtin_mul_overflow)
/* Of doubles that hold integers where `whole` is true. */
#define DS_MIXED(y, whole) ({ const double ds_y = (y); DS_NEED(!(whole) || !(fabs(ds_y) > 2147483647.0)); ds_y; })
#define DS_ADD_MIXED(a, b, whole) DS_MIXED((a) + (b), whole)
#define DS_SUB_MIXED(a, b, whole) DS_MIXED((a) - (b), whole)
#define DS_MUL_MIXED(a, b, whole) ({ const double ds_z = DS_MIXED((a) * (b), whole); (whole) ? ds_z + 0.0 : ds_z; })
#define DS_ADD_SURE(a, b) DS_SUM_SURE(a, b, __builtin_add_overflow)
#define DS_SUB_SURE(a, b) DS_SUM_SURE(a, b, __builtin_sub_overflow)
#define DS_MUL_SURE(a, b) DS_SUM_SURE(a, b, __builtin_mul_overflow)
static inline int ds_abs_sure(int a) { return a < 0 ? (int) (0 - (unsigned) a) : a; }
/* Of integers that are looked at later: what overflows is nothing that C may reason from. */
#define DS_ADD_WRAP(a, b) ((int) ((unsigned) (a) + (unsigned) (b)))
#define DS_SUB_WRAP(a, b) ((int) ((unsigned) (a) - (unsigned) (b)))
#define DS_MUL_WRAP(a, b) ((int) ((unsigned) (a) * (unsigned) (b)))
#define DS_NEG_WRAP(a) ((int) (0 - (unsigned) (a)))
static inline double ds_square(double x) { return x * x; }
static inline int ds_isna(double x) { return ISNAN(x) != 0; }
static inline int ds_isinf(double x) { return !R_FINITE(x) && !ISNAN(x); }
static inline int ds_bit_and(int a, int b) { return a == NA_INTEGER || b == NA_INTEGER ? NA_INTEGER : a & b; }
static inline int ds_bit_or(int a, int b) { return a == NA_INTEGER || b == NA_INTEGER ? NA_INTEGER : a | b; }
static inline int ds_bit_xor(int a, int b) { return a == NA_INTEGER || b == NA_INTEGER ? NA_INTEGER : a ^ b; }
static inline int ds_bit_left(int a, int n) { return a == NA_INTEGER || n == NA_INTEGER || n < 0 || n > 31 ? NA_INTEGER : (int) ((unsigned) a << n); }
static inline int ds_bit_right(int a, int n) { return a == NA_INTEGER || n == NA_INTEGER || n < 0 || n > 31 ? NA_INTEGER : (int) ((unsigned) a >> n); }
static inline int ds_bit_not(int a) { return a == NA_INTEGER ? NA_INTEGER : ~a; }
static inline void ds_cumsum_int(const int *x, R_xlen_t n, int *out, int *bad) {
  long long sum = 0;
  int missing = 0;
  for (R_xlen_t k = 0; k < n; ++k) {
    if (x[k] == NA_INTEGER) missing = 1;
    if (!missing && ((sum += x[k]) > INT_MAX || sum < -INT_MAX)) { *bad = 1; missing = 1; }
    out[k] = missing ? NA_INTEGER : (int) sum;
  }
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
  return a >= 0 && b > 0 ? a / b : ds_cut(floor((double) a / (double) b));
}

/* Remainder and whole quotient of doubles as R's arithmetic has them, in
 * extended precision; what is beyond it is left to R. */
static inline int ds_far(double x, double y, double q) {
  return y == 0 || !R_FINITE(x) || !R_FINITE(y) || !R_FINITE(q) || fabs(q) > 4503599627370496.0
      || fabs(y) > 4503599627370496.0;
}
/* Where all steps are exact anyway: by a whole number, of what is not negative or whole. */
static inline int ds_parts_plainly(double x, double y) {
  return y >= 1 && y < DS_EXACT && floor(y) == y && fabs(x) < DS_EXACT && (x >= 0 || floor(x) == x);
}
static inline double ds_mod(double x, double y, int *bad) {
  if (DS_OFTEN(ds_parts_plainly(x, y))) {
    const double rest = x - floor(x / y) * y;
    if (DS_OFTEN(rest >= 0)) return rest; /* the quotient was not rounded up */
  }
  if (y == 0) return R_NaN;
  if (ISNAN(x) || ISNAN(y)) return x + y;
  double q = x / y;
  if (DS_RARE(ds_far(x, y, q))) { *bad = 1; return R_NaN; }
  DS_LONG rest = (DS_LONG) x - floor(q) * (DS_LONG) y;
  return (double) (rest - floorl(rest / y) * y);
}
static inline double ds_div(double x, double y, int *bad) {
  if (DS_OFTEN(ds_parts_plainly(x, y))) {
    const double whole = floor(x / y);
    if (DS_OFTEN(x - whole * y >= 0)) return whole + 0.0; /* no -0 */
  }
  if (ISNAN(x) || ISNAN(y)) return x + y;
  double q = x / y;
  if (DS_RARE(ds_far(x, y, q))) { *bad = 1; return R_NaN; }
  if (fabs(q) < 1) return (q < 0 || (x < 0 && y > 0) || (x > 0 && y < 0)) ? -1 : 0;
  DS_LONG rest = (DS_LONG) x - floor(q) * (DS_LONG) y;
  return (double) (floor(q) + floorl(rest / y));
}
static inline double ds_mod_mixed(double a, double b, int whole, int *bad) {
  return whole ? ds_i2d(ds_modi(ds_d2i(a, bad), ds_d2i(b, bad))) : ds_mod(a, b, bad);
}
static inline double ds_div_mixed(double a, double b, int whole, int *bad) {
  return whole ? ds_i2d(ds_divi(ds_d2i(a, bad), ds_d2i(b, bad))) : ds_div(a, b, bad);
}
static inline double ds_neg_mixed(double a, int whole) { return whole ? 0.0 - a : -a; }

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
extern uintptr_t R_CStackLimit, R_CStackStart;
static inline char *ds_stack_end(void) {
  char *here = (char *) __builtin_frame_address(0);
  if (R_CStackLimit == (uintptr_t) -1) return here - (1 << 20);
  return (char *) (R_CStackStart - R_CStackLimit / 10 * 8);
}
#define DS_STACK ((char *) __builtin_frame_address(0))
extern int R_interrupts_pending;
#define DS_GIVE_UP \
  __attribute__((noinline, cold, noreturn)) static void give_up_here(void) { R_CheckUserInterrupt(); longjmp(give_up, 1); }
#define DS_DEEPER do { if (DS_RARE((DS_STACK < give_up_below) | R_interrupts_pending)) give_up_here(); } while (0)

/* A position from a number: whole part, or one below 1 where it is none. The
 * conversion of SSE2 gives the smallest integer for what does not fit. */
#if defined(__SSE2__) && defined(__x86_64__) && !defined(DS_PRECISION)
typedef double ds_two __attribute__((vector_size(16)));
static inline R_xlen_t ds_at(double x) { return (R_xlen_t) __builtin_ia32_cvttsd2si64((ds_two) {x, 0}); }
#else
static inline R_xlen_t ds_at(double x) { return x >= 1 && x < 4503599627370496.0 ? (R_xlen_t) x : 0; }
#endif
static inline int ds_is_whole(double x) { return fabs(x) < 4503599627370496.0 && x == floor(x); }

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
  return *bad ? NA_INTEGER : ds_cut(x);
}

static inline double ds_log_of(double x, double base) {
  if (base == 10) return log10(x);
  if (base == 2) return log2(x);
  return log(x) / log(base);
}

/* Places (from 0) that a vector of indices picks of an extent, as R_xlen_t in the
 * bytes of a double vector. *count is -1 where R is to do it: indices of both
 * signs, missing ones, those past the end. Of use 1 a vector may grow (*most is
 * the largest index); of use 2, reading, -1 stands for what is missing; with 4
 * added, places that are missing are passed over. */
static inline SEXP ds_places_d(const double *x, R_xlen_t n, R_xlen_t extent, int use, R_xlen_t *count, R_xlen_t *most) {
  const int skips = use & 4;
  R_xlen_t above = 0, below = 0, top = 0, missing = 0;
  use &= 3; *count = -1; *most = 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    if (ISNAN(x[i])) { ++missing; continue; }
    if (!(fabs(x[i]) < 4503599627370496.0)) return R_NilValue;
    const R_xlen_t k = (R_xlen_t) x[i];
    above += k > 0; below += k < 0;
    if (k > top) top = k;
  }
  if ((above && below) || (missing && (below || (use != 2 && !skips))) || (top > extent && use == 0)) return R_NilValue;
  SEXP s = DS_EIGHT(below ? extent : above + missing);
  R_xlen_t *out = (R_xlen_t *) DS_EIGHT_DATA(s), at = 0;
  if (below) {
    memset(out, 0, extent * sizeof *out);
    for (R_xlen_t i = 0; i < n; ++i) { const R_xlen_t k = (R_xlen_t) -x[i]; if (k > 0 && k <= extent) out[k - 1] = 1; }
    for (R_xlen_t i = 0; i < extent; ++i) { const int drop = out[i] != 0; out[at] = i; at += !drop; }
  } else {
    for (R_xlen_t i = 0; i < n; ++i) {
      const R_xlen_t k = ISNAN(x[i]) ? (skips ? 0 : -1) : (R_xlen_t) x[i];
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

/* Places of conditions, which are used over again where there are more places. */
static inline SEXP ds_where(const int *x, R_xlen_t n, R_xlen_t extent, int use, R_xlen_t *count, R_xlen_t *most) {
  const int skips = use & 4;
  use &= 3; *count = -1; *most = 0;
  if (n > extent && use != 2) return R_NilValue;
  const R_xlen_t all = n == 0 ? 0 : ds_most(n, extent);
  SEXP s = DS_EIGHT(all);
  R_xlen_t *out = (R_xlen_t *) DS_EIGHT_DATA(s), at = 0;
  for (R_xlen_t i = 0; i < all; ++i) {
    const int one = x[n == all ? i : i % n], missing = one == NA_LOGICAL;
    if (missing && use != 2 && !skips) return R_NilValue;
    out[at] = missing || i >= extent ? -1 : i; at += one != 0 && !(missing && skips);
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
#ifdef DS_PRECISION
/* As R's own, for numbers of another precision: `k` others are no larger than what stands at place k then. */
static inline void ds_select(double *x, int n, int k) {
  for (int low = 0, high = n - 1; low < high;) {
    const double pivot = x[k];
    int i = low, j = high;
    while (i <= j) {
      while (x[i] < pivot) ++i;
      while (pivot < x[j]) --j;
      if (i <= j) { const double one = x[i]; x[i++] = x[j]; x[j--] = one; }
    }
    if (j < k) low = i;
    if (k < i) high = j;
  }
}
#define rPsort ds_select
#endif
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

/* A call of a function of R, whose value must be of the type foreseen. Kernels that call
 * functions which may stop or warn run inside a handler: see run_guarded(). */
#define DS_ARGUMENTS(count) SEXP ds_call = REPROTECT_IT(Rf_allocList((count) + 1)); SET_TYPEOF(ds_call, LANGSXP); \
  SEXP ds_cell = CDR(ds_call); (void) ds_cell
#define DS_TEXT_CONSTANT(text, encoding) ({ static SEXP ds_kept_text = NULL; \
  if (ds_kept_text == NULL) R_PreserveObject(ds_kept_text = Rf_mkCharCE(text, encoding)); ds_kept_text; })
#define DS_ARGUMENT(i, label, object) do { SETCAR(ds_cell, object); if (label[0]) SET_TAG(ds_cell, Rf_install(label)); ds_cell = CDR(ds_cell); } while (0)
#define DS_ASK(x, object, reader, fn, where, rank) do { \
  SEXP ds_given = ds_ask(ds_call, fn, where); REPROTECT(x##_s = ds_given, x##_i); \
  DS_NEED(TYPEOF(ds_given) == object && ds_is_plain(ds_given, rank)); x = reader(ds_given); x##_n = x##_room = XLENGTH(ds_given); } while (0)
#define DS_MADE(x, made, reader) do { REPROTECT(x##_s = (made), x##_i); x = reader(x##_s); x##_n = x##_room = XLENGTH(x##_s); } while (0)
static inline int ds_is_plain(SEXP s, int rank) {
  if (rank < 2) return ATTRIB(s) == R_NilValue;
  return Rf_length(Rf_getAttrib(s, R_DimSymbol)) == rank && CDR(ATTRIB(s)) == R_NilValue;
}
static inline SEXP ds_ask(SEXP call, const char *fn, const char *where) {
  SEXP space = R_BaseNamespace;
  if (strcmp(where, "base")) space = R_FindNamespace(PROTECT(Rf_mkString(where))); else PROTECT(space);
  PROTECT(space);
  SETCAR(call, Rf_install(fn));
  SEXP value = PROTECT(Rf_eval(call, space));
  if (MAYBE_REFERENCED(value)) value = Rf_duplicate(value);
  UNPROTECT(3);
  return value;
}

/* A routine that calls itself. What is protected on the way down is counted: `ds_kept` by its callers, `ds_own` by
 * the one that runs; too deep it is left to R. The value is no object of the caller's. */
#define DS_GIVE(count) SEXP ds_each[(count) + 1], ds_list = REPROTECT_IT(Rf_allocVector(VECSXP, count))
#define DS_GIVE_NEXT(at, object) SET_VECTOR_ELT(ds_list, at, ds_each[at] = (object))
#define DS_GIVE_ONE(object) SEXP ds_each[] = {REPROTECT_IT(object)}
#define DS_RECURSE(x, routine, count, object, reader, rank) do { \
  DS_NEED(ds_kept < 20000 && DS_STACK > ds_stack_end()); const int ds_before = ds_kept; ds_kept += held; \
  SEXP ds_made = routine(ds_each, where); ds_kept = ds_before; ds_own = held; \
  if (DS_RARE((uintptr_t) ds_made < 4096)) { UNPROTECT(held); return ds_made; } \
  REPROTECT(x##_s = ds_made, x##_i); \
  for (int ds_j = 0; ds_j < (count); ++ds_j) if (ds_made == ds_each[ds_j]) { REPROTECT(x##_s = Rf_duplicate(ds_made), x##_i); break; } \
  DS_NEED(TYPEOF(x##_s) == object && ds_is_plain(x##_s, rank)); x = reader(x##_s); x##_n = x##_room = XLENGTH(x##_s); } while (0)

/* Room for position `needed`: amortised constant time. A vector that has begun to grow is given
 * more at once, up to the turns of the loop that it grows in. */
static inline SEXP ds_grown(SEXP s, SEXPTYPE type, R_xlen_t used, R_xlen_t needed, R_xlen_t turns, R_xlen_t *room) {
  R_xlen_t wanted = used < 4 ? 8 : 2 * used;
  if (used >= 64 && turns > wanted) wanted = turns < 32 * used ? turns : 32 * used;
  if (wanted < needed) wanted = needed;
  SEXP fresh = Rf_allocVector(type, wanted);
  if (used > 0) {
    if (type == CPLXSXP) memcpy(COMPLEX(fresh), COMPLEX(s), used * sizeof(Rcomplex));
    else if (type == REALSXP) memcpy(REAL(fresh), REAL(s), used * sizeof(double));
    else memcpy(type == LGLSXP ? LOGICAL(fresh) : INTEGER(fresh), type == LGLSXP ? LOGICAL(s) : INTEGER(s),
                used * sizeof(int));
  }
  *room = wanted;
  return fresh;
}

/* Objects of variables: as long as the variable is, with its extents, of the mode that it
 * was found to be of, with names. */
static inline SEXP ds_fit(SEXP s, R_xlen_t used, SEXPTYPE type) {
  if (s == R_NilValue) return Rf_allocVector(type, 0);
  return XLENGTH(s) == used ? s : Rf_xlengthgets(s, used);
}
static inline SEXP ds_shaped(SEXP s, int rank, const R_xlen_t *extents) {
  if (s == R_NilValue || Rf_length(Rf_getAttrib(s, R_DimSymbol)) == rank) return s;
  if (MAYBE_SHARED(s)) s = Rf_duplicate(s);
  PROTECT(s);
  SEXP dims = PROTECT(Rf_allocVector(INTSXP, rank));
  for (int d = 0; d < rank; ++d) INTEGER(dims)[d] = (int) extents[d];
  Rf_setAttrib(s, R_DimSymbol, dims);
  UNPROTECT(2);
  return s;
}
static inline SEXP ds_as(int tag, SEXP s) {
  const SEXPTYPE type = tag == DS_LOGICAL ? LGLSXP : tag == DS_INTEGER ? INTSXP : tag == DS_COMPLEX ? CPLXSXP : tag == DS_CHARACTER ? STRSXP : REALSXP;
  if (tag == DS_NULL) return R_NilValue;
  if ((SEXPTYPE) TYPEOF(s) == type) return s;
  s = Rf_coerceVector(PROTECT(s), type);
  UNPROTECT(1);
  return s;
}
static inline SEXP ds_single_as(int tag, double x) {
  if (tag == DS_LOGICAL) return Rf_ScalarLogical(ISNAN(x) ? NA_LOGICAL : x != 0);
  if (tag == DS_INTEGER) return Rf_ScalarInteger(ISNAN(x) ? NA_INTEGER : (int) x);
  return Rf_ScalarReal(x);
}
static inline SEXP ds_named(SEXP s, int count, const char **labels) {
  if (s == R_NilValue) return s;
  if (MAYBE_REFERENCED(s) && TYPEOF(s) != VECSXP) s = Rf_shallow_duplicate(s);
  PROTECT(s);
  SEXP names = PROTECT(Rf_allocVector(STRSXP, count));
  for (int i = 0; i < count; ++i) SET_STRING_ELT(names, i, Rf_mkCharCE(labels[i], CE_UTF8));
  Rf_setAttrib(s, R_NamesSymbol, names);
  UNPROTECT(2);
  return s;
}

#endif
