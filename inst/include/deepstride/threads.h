/* Turns that threads share, in blocks of about a fiftieth of a second, between which interrupts are looked for. The
 * first turns run on one thread: they tell whether the rest is worth sharing. In a process that was forked off one
 * where threads ran, none are there: what is left runs on one. */
#include <stdlib.h>
#include <time.h>
extern int R_isForkedChild; /* R's own note of it */
typedef struct { R_xlen_t from, to; int alone; double start; } ds_block;

/* Seconds of work that are worth sharing. */
#ifndef DS_WORTH
#define DS_WORTH 2e-4
#endif

static inline double ds_now(void) {
  struct timespec t;
  clock_gettime(CLOCK_MONOTONIC, &t);
  return t.tv_sec + 1e-9 * t.tv_nsec;
}

static inline ds_block ds_first_block(R_xlen_t lo, R_xlen_t hi) {
  const R_xlen_t turns = (hi - lo) / 64 < 256 ? (hi - lo) / 64 : 256;
  return (ds_block) {lo, hi < lo ? hi : lo + turns, 1, ds_now()};
}

static inline ds_block ds_next_block(ds_block last, R_xlen_t hi, int threads) {
  const double now = ds_now(), turn = (now - last.start) / (double) (last.to - last.from + 1);
  const R_xlen_t left = hi - last.to;
  const int alone = left * turn * (last.alone ? 1 : threads) < DS_WORTH || left < threads || R_isForkedChild || getenv("DEEPSTRIDE_COPY");
  const double many = turn > 0 ? 0.02 / turn * (last.alone && !alone ? threads : 1) : (double) left;
  const R_xlen_t size = many < threads ? threads : many < (double) left ? (R_xlen_t) many : left;
  return (ds_block) {last.to + 1, size < left ? last.to + size : hi, alone, now};
}

#define DS_BLOCKS(b, lo, hi, threads) \
  for (ds_block b = ds_first_block(lo, hi); b.from <= (hi); DS_LOOK, b = ds_next_block(b, hi, threads))

/* Sums are added up by chunks of turns that hang on nothing but the loop, so that they are the same for any number of
 * threads. -1 where there is no turn. */
#define DS_CHUNK_TURNS 4096
#define DS_LAST_CHUNK(lo, hi) ((hi) < (lo) ? -1 : ((hi) - (lo)) / DS_CHUNK_TURNS)
#define DS_CHUNK(lo, hi, c, from, to) const R_xlen_t from = (lo) + (c) * DS_CHUNK_TURNS, \
  to = (hi) - from < DS_CHUNK_TURNS ? (hi) : from + DS_CHUNK_TURNS - 1
