#ifndef DEEPSTRIDE_MOMENT_H
#define DEEPSTRIDE_MOMENT_H
#include <time.h>

// Seconds on a clock that nobody sets.
inline double seconds_now() {
  timespec now;
  clock_gettime(CLOCK_MONOTONIC, &now);
  return static_cast<double>(now.tv_sec) + 1e-9 * static_cast<double>(now.tv_nsec);
}

#endif
