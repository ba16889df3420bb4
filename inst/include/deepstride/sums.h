/* Sums that lose less than one after the other does. */

/* What each addition loses is kept in a second variable (Neumaier 1974). A sum that is no number has lost nothing. */
#define DS_ADD_COMPENSATED(sum, x) do { const double ds_e = (x), ds_t = sum + ds_e; \
  sum##_lost += fabs(sum) >= fabs(ds_e) ? (sum - ds_t) + ds_e : (ds_e - ds_t) + sum; sum = ds_t; } while (0)
#define DS_COMPENSATED(sum) ds_settled(sum, sum##_lost)
static inline double ds_settled(double sum, double lost) {
  const double whole = sum + lost;
  return whole == whole ? whole : sum;
}

/* Blocks of 128 added up one after the other, and their sums in pairs, pairs of pairs, ... (Higham 1993). */
typedef struct {
  double block, sums[48];
  R_xlen_t count;
  int within;
} ds_pairs;
static inline void ds_pair_up(ds_pairs *p) {
  int level = 0;
  double sum = p->block;
  for (R_xlen_t count = p->count++; count & 1; count >>= 1) sum = p->sums[level++] + sum;
  p->sums[level] = sum;
  p->block = 0;
  p->within = 0;
}
#define DS_ADD_IN_PAIRS(p, x) do { p.block += (x); if (++p.within == 128) ds_pair_up(&p); } while (0)
static inline double ds_pairs_total(const ds_pairs *p) {
  double sum = p->block;
  for (int level = 0; p->count >> level; ++level) if (p->count >> level & 1) sum = p->sums[level] + sum;
  return sum;
}
