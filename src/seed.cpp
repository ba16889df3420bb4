// Seeds derived from seeds, and the small generator that resampling uses.
#include <Rcpp.h>
#include <cstdint>
#include <cstring>
#include "seed.h"

static uint64_t bits_of(double x) {
  uint64_t bits;
  std::memcpy(&bits, &x, sizeof bits);
  return bits;
}

// One seed for set.seed() from a study's seed and a second number.
// [[Rcpp::export(rng = false)]]
int derive_seed(double seed, double salt) {
  SplitMix mix(bits_of(seed));
  mix.state ^= bits_of(salt) * 0x9E3779B97F4A7C15ULL;
  mix.next();
  return static_cast<int>(mix.next() >> 33);
}
