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

/* In order already, or all the other way round? */
static inline int ds_lies_in_order(const ds_keyed *a, int n) {
  int k = 1;
  while (k < n && a[k - 1].key <= a[k].key) ++k;
  return k >= n;
}
static inline int ds_lies_reversed(const ds_keyed *a, int n) {
  int k = 1;
  while (k < n && a[k - 1].key > a[k].key) ++k;
  return k >= n;
}

/* Keys in order; those of what is missing stay behind them. */
static inline ds_keyed *ds_arranged(SEXP x, int down, int *there) {
  const int n = (int) XLENGTH(x);
  ds_keyed *const a = (ds_keyed *) R_alloc(2 * (size_t) n + 1, sizeof(ds_keyed));
  *there = ds_keys(x, down, a);
  if (ds_lies_in_order(a, *there)) return a;
  if (ds_lies_reversed(a, *there)) {
    for (int low = 0, high = *there - 1; low < high; ++low, --high) { const ds_keyed one = a[low]; a[low] = a[high]; a[high] = one; }
    return a;
  }
  ds_keyed *const found = *there < 4096 ? ds_merge(a, a + n, *there) : ds_by_digits(a, a + n, *there);
  for (int k = *there; found != a && k < n; ++k) found[k] = a[k];
  return found;
}

static inline SEXP ds_order(SEXP x, int down) {
  if (!ds_orders(x, down)) return R_NilValue;
  const void *const top = vmaxget();
  int there;
  const ds_keyed *const found = ds_arranged(x, down, &there);
  SEXP made = Rf_protect(Rf_allocVector(INTSXP, XLENGTH(x)));
  R_xlen_t tick = DS_TURNS;
  DS_EACH(k, XLENGTH(x)) INTEGER(made)[k] = found[k].at + 1;
  vmaxset(top);
  Rf_unprotect(1);
  return made;
}

/* Integers of a narrow range are counted; R_NilValue where the range is wide. */
static inline SEXP ds_sort_counted(SEXP x, int down) {
  const int *const v = INTEGER(x);
  const R_xlen_t n = XLENGTH(x);
  int low = INT_MAX, high = NA_INTEGER;
  R_xlen_t there = 0;
  for (R_xlen_t k = 0; k < n; ++k) if (v[k] != NA_INTEGER) { ++there; if (v[k] < low) low = v[k]; if (v[k] > high) high = v[k]; }
  if (there == 0 || (double) high - low > 4.0 * there + 64) return R_NilValue;
  const R_xlen_t range = (R_xlen_t) high - low + 1;
  int *const counts = (int *) R_alloc(range, sizeof(int));
  memset(counts, 0, range * sizeof(int));
  for (R_xlen_t k = 0; k < n; ++k) if (v[k] != NA_INTEGER) ++counts[v[k] - (R_xlen_t) low];
  SEXP made = Rf_allocVector(INTSXP, there);
  int *out = INTEGER(made);
  for (R_xlen_t k = 0; k < range; ++k) {
    const R_xlen_t at = down ? range - 1 - k : k;
    for (int many = counts[at]; many > 0; --many) *out++ = (int) (low + at);
  }
  return made;
}

/* A few numbers need no keys. */
static inline SEXP ds_sort_few(const double *v, int n, int down) {
  double out[32];
  int there = 0;
  for (int i = 0; i < n; ++i) {
    if (ISNAN(v[i])) continue;
    int k = there++;
    for (; k > 0 && (down ? out[k - 1] < v[i] : out[k - 1] > v[i]); --k) out[k] = out[k - 1];
    out[k] = v[i];
  }
  SEXP made = Rf_allocVector(REALSXP, there);
  if (there > 0) memcpy(REAL(made), out, there * sizeof *out);
  return made;
}

static inline SEXP ds_sort(SEXP x, int down) {
  if (!ds_orders(x, down)) return R_NilValue;
  if (TYPEOF(x) == INTSXP) {
    const void *const before = vmaxget();
    SEXP counted = ds_sort_counted(x, down);
    vmaxset(before);
    if (counted != R_NilValue) return counted;
  }
  const R_xlen_t n = XLENGTH(x);
  if (TYPEOF(x) == REALSXP && n <= 32) return ds_sort_few(REAL(x), (int) n, down);
  if (TYPEOF(x) == REALSXP && n > 1) { /* what lies in order, or the other way round, needs no keys */
    const double *const v = REAL(x);
    R_xlen_t up = 1, fall = 1;
    while (up < n && v[up - 1] <= v[up]) ++up;
    while (fall < n && v[fall - 1] > v[fall]) ++fall;
    if (up == n || fall == n) {
      SEXP made = Rf_allocVector(REALSXP, n);
      double *const out = REAL(made);
      if (fall == n ? !down : down) for (R_xlen_t k = 0; k < n; ++k) out[k] = v[n - 1 - k];
      else memcpy(out, v, n * sizeof *v);
      if (up < n || !down) return made; /* ties keep their order: with them it is done below */
    }
  }
  const void *const top = vmaxget();
  int there;
  const ds_keyed *const found = ds_arranged(x, down, &there);
  SEXP made = Rf_protect(Rf_allocVector(TYPEOF(x), there));
  R_xlen_t tick = 1; /* memory was given back and taken: a look is due */
  if (TYPEOF(x) == REALSXP) DS_EACH(k, there) REAL(made)[k] = REAL(x)[found[k].at];
  else DS_EACH(k, there) INTEGER(made)[k] = INTEGER(x)[found[k].at];
  vmaxset(top);
  Rf_unprotect(1);
  return made;
}

static inline SEXP ds_which(SEXP x) {
  if (TYPEOF(x) != LGLSXP || XLENGTH(x) > INT_MAX) return R_NilValue;
  const int *const v = LOGICAL(x);
  R_xlen_t count = 0, tick = DS_TURNS;
  DS_EACH(k, XLENGTH(x)) count += v[k] == 1;
  SEXP made = Rf_protect(Rf_allocVector(INTSXP, count));
  int *at = INTEGER(made);
  DS_EACH(i, XLENGTH(x)) if (v[i] == 1) *at++ = (int) i + 1;
  Rf_unprotect(1);
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
