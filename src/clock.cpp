// The monotonic clock and the sampling loop: nothing but the evaluations
// stands between the two readings of the clock.
#include <Rcpp.h>
#include <algorithm>
#include <chrono>
#include <cstdint>
#include <ctime>

#if defined(__linux__) || defined(__APPLE__)
#include <sys/resource.h>
#define DS_UNIX 1
#endif

// The compiler must work these out, step by step.
#if defined(__GNUC__)
#define KEEP_REGISTER(x) __asm__ volatile("" : "+r"(x))
#define KEEP_REGISTERS(a, b, c, d, e, f, g, h) \
  __asm__ volatile("" : "+r"(a), "+r"(b), "+r"(c), "+r"(d), "+r"(e), "+r"(f), "+r"(g), "+r"(h))
#else
static volatile uint64_t kept;
#define KEEP_REGISTER(x) kept = x
#define KEEP_REGISTERS(a, b, c, d, e, f, g, h) kept = a ^ b ^ c ^ d ^ e ^ f ^ g ^ h
#endif

static inline double now_seconds() {
  using clock = std::chrono::steady_clock;
  return std::chrono::duration<double>(clock::now().time_since_epoch()).count();
}

// Processor time of this thread.
static inline double thread_seconds() {
#ifdef DS_UNIX
  timespec used;
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &used);
  return used.tv_sec + 1e-9 * used.tv_nsec;
#else
  return now_seconds();
#endif
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

// Busy loop of a known length, counted in processor time so that other work on
// the machine does not shorten it; returns the length it really had.
// [[Rcpp::export(rng = false)]]
double clock_spin(double seconds) {
  const double start = thread_seconds();
  double end = start;
  while (end - start < seconds) end = thread_seconds();
  return end - start;
}

// Busy work of a fixed number of dependent steps: as native and as steady as a
// kernel can be, so that what its time varies by is the machine's own noise.
// [[Rcpp::export(rng = false)]]
double clock_work(double steps) {
  double x = 0.5;
  const double start = now_seconds();
  for (double i = 0; i < steps; ++i) x = x * 0.999 + 0.001;
  const double elapsed = now_seconds() - start;
  return x > 2 ? -1 : elapsed;  // x stays below 1: the loop can't be left out
}

namespace {

// Two probes of what else the processor does. Eight chains of integers that do not wait for one another go as wide as
// the core issues instructions: what another thread of the same core takes away shows in them. One chain of dependent
// steps goes by the clock's rate alone.
double wide_seconds(int steps) {
  uint64_t a = 1, b = 2, c = 3, d = 4, e = 5, f = 6, g = 7, h = 8;
  const double start = now_seconds();
  for (int i = 0; i < steps; ++i) {
    a += i; b ^= a; c += 3; d ^= i; e += 5; f ^= i; g += 7; h ^= 9;
    KEEP_REGISTERS(a, b, c, d, e, f, g, h);
  }
  return now_seconds() - start;
}

double chain_seconds(int steps) {
  uint64_t x = 1;
  const double start = now_seconds();
  for (int i = 0; i < steps; ++i) {
    x = x * 6364136223846793005ULL + 1442695040888963407ULL;
    KEEP_REGISTER(x);
  }
  return now_seconds() - start;
}

const int wide_steps = 12000, chain_steps = 8000;  // some 12 microseconds each

// Garbage collections are counted by an object that nobody holds: its finalizer
// runs after each collection and puts the next such object in its place.
double collections = 0;
bool counting = false;

void count_collection(SEXP);

void arm_counter() {
  SEXP canary = PROTECT(R_MakeExternalPtr(nullptr, R_NilValue, R_NilValue));
  R_RegisterCFinalizerEx(canary, count_collection, FALSE);
  UNPROTECT(1);
}

void count_collection(SEXP) {
  ++collections;
  arm_counter();
}

double processor_seconds() {
  timespec t;
  clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &t);
  return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

// Context switches of this process of its own will: it waited.
struct Switches {
  long own = 0;
  Switches() {
#ifdef DS_UNIX
    rusage usage;
    if (getrusage(RUSAGE_SELF, &usage) == 0) own = usage.ru_nvcsw;
#endif
  }
};

// Wall seconds, less those in which something else had the processor: where this process never waited by itself, all
// that is missing from its processor time was taken from it, by another process or by the host, which takes it without
// a switch that could be counted. `wide` and `chain`: the probes' seconds a step, of the first the mean of before and
// after, of the second the less, since nothing but an interruption makes it longer.
struct Readings {
  double wide = wide_seconds(wide_steps), chain = chain_seconds(chain_steps);
  Switches switches;
  double start_cpu = processor_seconds(), start_collections = collections, elapsed = 0;
  Rcpp::NumericVector done() const {
    const double cpu = processor_seconds() - start_cpu;
    const Switches after;
    const bool robbed = after.own == switches.own && cpu < elapsed;
    const double taken = robbed ? elapsed - cpu : 0;
    const double wide_after = wide_seconds(wide_steps), chain_after = chain_seconds(chain_steps);
    return Rcpp::NumericVector::create(
        Rcpp::_["seconds"] = elapsed - taken, Rcpp::_["cpu"] = cpu, Rcpp::_["preempted_seconds"] = taken,
        Rcpp::_["gc"] = collections - start_collections, Rcpp::_["wide"] = (wide + wide_after) / (2 * wide_steps),
        Rcpp::_["chain"] = std::min(chain, chain_after) / chain_steps);
  }
};

void count_collections() {
  if (!counting) arm_counter();
  counting = true;
}

}  // namespace

// Evaluates `call` in `env` `batch` times: seconds, processor seconds, seconds
// taken by others and garbage collections of all of them together. One unwind guard stands around
// the whole batch: an error leaves through it with every C++ frame closed.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector sample_batch(SEXP call, SEXP env, double batch) {
  count_collections();
  Readings readings;
  Rcpp::unwindProtect([&]() {
    const double start = now_seconds();
    for (double i = 0; i < batch; ++i) Rf_eval(call, env);
    readings.elapsed = now_seconds() - start;
    return R_NilValue;
  });
  return readings.done();
}

// The same, once in each of the environments `frames`: for calls that change
// their arguments, each of which finds fresh ones.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector sample_frames(SEXP call, Rcpp::List frames) {
  count_collections();
  Readings readings;
  const R_xlen_t batch = frames.size();
  Rcpp::unwindProtect([&]() {
    const double start = now_seconds();
    for (R_xlen_t i = 0; i < batch; ++i) Rf_eval(call, VECTOR_ELT(frames, i));
    readings.elapsed = now_seconds() - start;
    return R_NilValue;
  });
  return readings.done();
}

// A copy that shares nothing with `x`, down to the last list element.
// [[Rcpp::export(rng = false)]]
SEXP deep_copy(SEXP x) { return Rf_duplicate(x); }
