#ifndef DEEPSTRIDE_SEED_H
#define DEEPSTRIDE_SEED_H
#include <cstdint>

// SplitMix64 (Steele, Lea and Flood 2014, "Fast splittable pseudorandom number
// generators"). Used for resampling, so that R's own random stream stays put.
struct SplitMix {
  uint64_t state;
  explicit SplitMix(uint64_t seed) : state(seed) {}
  uint64_t next() {
    uint64_t z = (state += 0x9E3779B97F4A7C15ULL);
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
    return z ^ (z >> 31);
  }
  // Uniform on 0 .. n - 1, by multiplication (Lemire 2019) on 32 bits.
  uint32_t below(uint32_t n) {
    return static_cast<uint32_t>(((next() >> 32) * n) >> 32);
  }
};
#endif
