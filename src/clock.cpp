// The monotonic clock and the sampling loop: nothing but the evaluations
// stands between the two readings of the clock.
#include <Rcpp.h>
#include <chrono>

static inline double now_seconds() {
  using clock = std::chrono::steady_clock;
  return std::chrono::duration<double>(clock::now().time_since_epoch()).count();
}

// [[Rcpp::export(rng = false)]]
double clock_now() { return now_seconds(); }

// Smallest step that two readings in a row can show, in seconds.
// [[Rcpp::export(rng = false)]]
double clock_step() {
  double smallest = 1;
  for (int i = 0; i < 2000; ++i) {
    const double start = now_seconds();
    double end = now_seconds();
    while (end <= start) end = now_seconds();
    if (end - start < smallest) smallest = end - start;
  }
  return smallest;
}

// Busy loop of a known length; returns the length it really had.
// [[Rcpp::export(rng = false)]]
double clock_spin(double seconds) {
  const double start = now_seconds();
  double end = start;
  while (end - start < seconds) end = now_seconds();
  return end - start;
}

// Evaluates `call` in `env` `batch` times; seconds for all of them together.
// One unwind guard stands around the whole batch: an error in the call leaves
// through it with every C++ frame closed properly.
// [[Rcpp::export(rng = false)]]
double sample_batch(SEXP call, SEXP env, double batch) {
  double elapsed = 0;
  Rcpp::unwindProtect([&]() {
    const double start = now_seconds();
    for (double i = 0; i < batch; ++i) Rf_eval(call, env);
    elapsed = now_seconds() - start;
    return R_NilValue;
  });
  return elapsed;
}
