/* What R's sort(), order(), which(), head() and tail() give of plain vectors: R_NilValue where R itself is to be
 * asked. Order is stable and 0 is as large as -0, as in R's radix order; missing values are left out, or come last. */
typedef struct { uint64_t key; int at; } ds_keyed;

static inline uint64_t ds_key_of(double x) {
  uint64_t bits;
  memcpy(&bits, &x, sizeof bits);
  if (bits << 1 == 0) bits = 0; /* -0 */
  return bits >> 63 ? ~bits : bits | (uint64_t) 1 << 63;
}

/* Keys of what is there, and behind them the places of what is missing; the count of the former. */
static inline int ds_keys(SEXP x, int down, ds_keyed *out) {
  const int n = (int) XLENGTH(x);
  const uint64_t turned = down ? ~(uint64_t) 0 : 0;
  int there = 0, missing = n;
  R_xlen_t tick = DS_TURNS;
  if (TYPEOF(x) == REALSXP) {
    const double *const v = REAL(x);
    DS_EACH(k, n) if (!ISNAN(v[k])) { out[there].key = ds_key_of(v[k]) ^ turned; out[there++].at = (int) k; } else out[--missing].at = (int) k;
  } else {
    const int *const v = INTEGER(x);
    DS_EACH(k, n) if (v[k] != NA_INTEGER) { out[there].key = ((uint64_t) v[k] + ((uint64_t) 1 << 63)) ^ turned; out[there++].at = (int) k; }
      else out[--missing].at = (int) k;
  }
  for (int low = missing, high = n - 1; low < high; ++low, --high) { const ds_keyed one = out[low]; out[low] = out[high]; out[high] = one; }
  return there;
}

static inline void ds_insert(ds_keyed *a, int n) {
  for (int i = 1; i < n; ++i) {
    const ds_keyed one = a[i];
    int k = i;
    for (; k > 0 && a[k - 1].key > one.key; --k) a[k] = a[k - 1];
    a[k] = one;
  }
}

/* Short runs put in order, then merged two by two. */
static inline ds_keyed *ds_merge(ds_keyed *a, ds_keyed *b, int n) {
  for (int low = 0; low < n; low += 16) ds_insert(a + low, n - low < 16 ? n - low : 16);
  for (int width = 16; width < n; width *= 2) {
    for (int low = 0; low < n; low += 2 * width) {
      const int middle = low + width < n ? low + width : n, high = middle + width < n ? middle + width : n;
      for (int i = low, j = middle, k = low; k < high; ++k) b[k] = i < middle && (j >= high || a[i].key <= a[j].key) ? a[i++] : a[j++];
    }
    ds_keyed *const other = a; a = b; b = other;
  }
  return a;
}

/* Digit by digit from the lowest, where digits differ. */
static inline ds_keyed *ds_by_digits(ds_keyed *a, ds_keyed *b, int n) {
  enum { DIGIT = 11, COUNT = 1 << DIGIT };
  int places[COUNT];
  R_xlen_t tick = DS_TURNS;
  for (int shift = 0; shift < 64; shift += DIGIT) {
    memset(places, 0, sizeof places);
    DS_EACH(k, n) ++places[a[k].key >> shift & (COUNT - 1)];
    if (places[a[0].key >> shift & (COUNT - 1)] == n) continue;
    for (int digit = 0, before = 0; digit < COUNT; ++digit) { const int count = places[digit]; places[digit] = before; before += count; }
    DS_EACH(i, n) b[places[a[i].key >> shift & (COUNT - 1)]++] = a[i];
    ds_keyed *const other = a; a = b; b = other;
  }
  return a;
}

static inline int ds_orders(SEXP x, int down) {
  return (TYPEOF(x) == REALSXP || TYPEOF(x) == INTSXP) && XLENGTH(x) <= INT_MAX / 2 && (down == 0 || down == 1);
}

/* Keys in order; those of what is missing stay behind them. */
static inline ds_keyed *ds_arranged(SEXP x, int down, int *there) {
  const int n = (int) XLENGTH(x);
  ds_keyed *const a = (ds_keyed *) R_alloc(2 * (size_t) n + 1, sizeof(ds_keyed));
  *there = ds_keys(x, down, a);
  ds_keyed *const found = *there < 4096 ? ds_merge(a, a + n, *there) : ds_by_digits(a, a + n, *there);
  for (int k = *there; found != a && k < n; ++k) found[k] = a[k];
  return found;
}

static inline SEXP ds_order(SEXP x, int down) {
  if (!ds_orders(x, down)) return R_NilValue;
  const void *const top = vmaxget();
  int there;
  const ds_keyed *const found = ds_arranged(x, down, &there);
  SEXP made = Rf_allocVector(INTSXP, XLENGTH(x));
  for (R_xlen_t k = 0; k < XLENGTH(x); ++k) INTEGER(made)[k] = found[k].at + 1;
  vmaxset(top);
  return made;
}

static inline SEXP ds_sort(SEXP x, int down) {
  if (!ds_orders(x, down)) return R_NilValue;
  const void *const top = vmaxget();
  int there;
  const ds_keyed *const found = ds_arranged(x, down, &there);
  SEXP made = Rf_allocVector(TYPEOF(x), there);
  if (TYPEOF(x) == REALSXP) for (int k = 0; k < there; ++k) REAL(made)[k] = REAL(x)[found[k].at];
  else for (int k = 0; k < there; ++k) INTEGER(made)[k] = INTEGER(x)[found[k].at];
  vmaxset(top);
  return made;
}

static inline SEXP ds_which(SEXP x) {
  if (TYPEOF(x) != LGLSXP || XLENGTH(x) > INT_MAX) return R_NilValue;
  const int *const v = LOGICAL(x);
  R_xlen_t count = 0, tick = DS_TURNS;
  DS_EACH(k, XLENGTH(x)) count += v[k] == 1;
  SEXP made = Rf_allocVector(INTSXP, count);
  int *at = INTEGER(made);
  DS_EACH(i, XLENGTH(x)) if (v[i] == 1) *at++ = (int) i + 1;
  return made;
}

/* The first, or the last, `count` elements; all but so many where it is negative. */
static inline SEXP ds_end(SEXP x, double count, int last) {
  const R_xlen_t n = XLENGTH(x);
  if (!(fabs(count) < INT_MAX) || count != trunc(count)) return R_NilValue;
  if (count < 0) count = count + n > 0 ? count + n : 0;
  const R_xlen_t taken = count < n ? (R_xlen_t) count : n, from = last ? n - taken : 0;
  if (TYPEOF(x) != REALSXP && TYPEOF(x) != INTSXP && TYPEOF(x) != LGLSXP) return R_NilValue;
  SEXP made = Rf_allocVector(TYPEOF(x), taken);
  if (taken == 0) return made;
  if (TYPEOF(x) == REALSXP) memcpy(REAL(made), REAL(x) + from, taken * sizeof(double));
  else memcpy(INTEGER(made), INTEGER(x) + from, taken * sizeof(int));
  return made;
}
