// What the machine can do at best: bytes moved and operations done per second, latency of a load. Every probe's result
// is checked, so that the compiler can leave nothing out.
#include <Rcpp.h>
#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <functional>
#include <memory>
#include <numeric>
#include <random>
#include <thread>
#include <vector>

#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__)
#define WIDEST \
  __attribute__((noinline, optimize("O3", "no-tree-loop-distribute-patterns"), target_clones("avx512f", "avx2", "default")))
#define FOR_AVX2 __attribute__((noinline, target("avx2,fma")))
#define FOR_AVX512 __attribute__((noinline, target("avx512f")))
#define HAS_TARGETS 1
#else
#define WIDEST
#endif

#if defined(__GNUC__)
#define KEEP_VALUE(x) __asm__ volatile("" : "+m"(x))
#define KEEP_IN_PLACE(x) __asm__ volatile("" : : "r"(x) : "memory")
#else
#define KEEP_VALUE(x) static_cast<void>(x)
#define KEEP_IN_PLACE(x) static_cast<void>(x)
#endif

WIDEST uint64_t machine_read(const uint64_t* a, size_t n) {
  uint64_t sum = 0;
  for (size_t i = 0; i < n; ++i) sum += a[i];
  return sum;
}

WIDEST void machine_write(double* __restrict__ a, double value, size_t n) {
  for (size_t i = 0; i < n; ++i) a[i] = value;
}

WIDEST void machine_copy(double* __restrict__ a, const double* __restrict__ b, size_t n) {
  for (size_t i = 0; i < n; ++i) a[i] = b[i];
}

WIDEST void machine_triad(double* __restrict__ a, const double* __restrict__ b, const double* __restrict__ c, double s,
                          size_t n) {
  for (size_t i = 0; i < n; ++i) a[i] = b[i] + s * c[i];
}

namespace {

double now() {
  using clock = std::chrono::steady_clock;
  return std::chrono::duration<double>(clock::now().time_since_epoch()).count();
}

// Seconds of `passes` of `work(thread, passes)` on so many threads, which begin at once.
double together(int threads, double passes, const std::function<void(int, double)>& work) {
  std::atomic<int> waiting(threads);
  std::vector<double> start(threads), end(threads);
  auto run = [&](int thread) {
    --waiting;
    while (waiting > 0) {}
    start[thread] = now();
    work(thread, passes);
    end[thread] = now();
  };
  std::vector<std::thread> others;
  for (int thread = 1; thread < threads; ++thread) others.emplace_back(run, thread);
  run(0);
  for (auto& other : others) other.join();
  return *std::max_element(end.begin(), end.end()) - *std::min_element(start.begin(), start.end());
}

// Seconds of a pass: the least of several samples, each long enough for the clock.
double best_pass(int threads, const std::function<void(int, double)>& work) {
  const double long_enough = 1.5e-3;
  double passes = 1, best = together(threads, 1, work);
  while (passes < 1e9) {
    const double seconds = together(threads, passes, work);
    best = std::min(best, seconds / passes);
    if (seconds > long_enough) break;
    passes *= seconds > long_enough / 8 ? std::ceil(long_enough / seconds + 1) : 8;
  }
  for (int sample = 0; sample < 6; ++sample) best = std::min(best, together(threads, passes, work) / passes);
  return best;
}

// Lines of memory, aligned: one block a thread.
struct Block {
  std::unique_ptr<double[]> held;
  double* at;
  explicit Block(size_t n) : held(new double[n + 8]) {
    at = held.get() + (64 - reinterpret_cast<uintptr_t>(held.get()) % 64) % 64 / 8;
    for (size_t i = 0; i < n; ++i) at[i] = 1.0;
  }
};

double scalar_operations(double steps, double m, double s) {
  double a = 1, b = 1, c = 1, d = 1, e = 1, f = 1, g = 1, h = 1, j = 1, k = 1, l = 1, o = 1;
  const int64_t turns = static_cast<int64_t>(steps);  // counted apart from the numbers' own units
  for (int64_t i = 0; i < turns; ++i) {
    a *= m; b += s; c *= m; d += s; e *= m; f += s; g *= m; h += s; j *= m; k += s; l *= m; o += s;
#if defined(__x86_64__) && defined(__GNUC__)
    __asm__ volatile("" : "+x"(a), "+x"(b), "+x"(c), "+x"(d), "+x"(e), "+x"(f));
    __asm__ volatile("" : "+x"(g), "+x"(h), "+x"(j), "+x"(k), "+x"(l), "+x"(o));
#endif
  }
  return a + b + c + d + e + f + g + h + j + k + l + o;
}

double chain_operations(double steps, double m, double s) {
  double x = 1;
  const int64_t turns = static_cast<int64_t>(steps);
  for (int64_t i = 0; i < turns; ++i) {
    x = x * m;
#if defined(__x86_64__) && defined(__GNUC__)
    __asm__ volatile("" : "+x"(x)); // or product and sum would be fused where the compiler may
#endif
    x = x + s;
  }
  return x;
}

// Twelve registers that do not wait for one another.
#define TWELVE(step) step(0) step(1) step(2) step(3) step(4) step(5) step(6) step(7) step(8) step(9) step(10) step(11)
#define PRODUCT(i) if (i % 2) x[i] = x[i] + s; else x[i] = x[i] * m;
#define FUSED(i) x[i] = x[i] * m + s;
#define OPERATIONS(name, attribute, width, what)                                  \
  attribute double name(double steps, double factor, double summand) {            \
    typedef double vector __attribute__((vector_size(8 * width)));                 \
    vector m, s, x[12];                                                            \
    for (int k = 0; k < width; ++k) { m[k] = factor; s[k] = summand; }             \
    for (int i = 0; i < 12; ++i) x[i] = m;                                         \
    const int64_t turns = static_cast<int64_t>(steps);                             \
    for (int64_t i = 0; i < turns; ++i) { TWELVE(what) }                           \
    double sum = 0;                                                                \
    for (int i = 0; i < 12; ++i) for (int k = 0; k < width; ++k) sum += x[i][k];   \
    return sum;                                                                    \
  }

#if defined(__GNUC__)
OPERATIONS(vector_2, __attribute__((noinline)), 2, PRODUCT)
#endif
#ifdef HAS_TARGETS
OPERATIONS(vector_4, FOR_AVX2, 4, PRODUCT)
OPERATIONS(fused_4, FOR_AVX2, 4, FUSED)
OPERATIONS(fused_8, FOR_AVX512, 8, FUSED)
#endif

struct Peak {
  double (*run)(double, double, double);
  double width, operations;  // of a step
};

// The widest form of a kind that this processor has; none: no `run`.
Peak peak_of(const std::string& kind) {
  if (kind == "scalar") return {scalar_operations, 1, 12};
  if (kind == "chain") return {chain_operations, 1, 2};
#ifdef HAS_TARGETS
  const bool avx2 = __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma");
  if (kind == "fused" && __builtin_cpu_supports("avx512f")) return {fused_8, 8, 192};
  if (kind == "fused" && avx2) return {fused_4, 4, 96};
  if (kind == "vector" && avx2) return {vector_4, 4, 48};
#endif
#if defined(__GNUC__)
  if (kind == "vector") return {vector_2, 2, 24};
#endif
  return {nullptr, 0, 0};
}

}  // namespace

// Bytes per second of passes over a working set of `bytes`, shared evenly by the threads. `kind`: read, write, copy or
// triad.
// [[Rcpp::export(rng = false)]]
double machine_bandwidth(std::string kind, double bytes, int threads) {
  const int arrays = kind == "triad" ? 3 : kind == "copy" ? 2 : 1;
  const size_t n = std::max<size_t>(8, static_cast<size_t>(bytes / (8.0 * arrays * threads)));
  std::vector<Block> a, b, c;
  for (int thread = 0; thread < threads; ++thread) {
    a.emplace_back(n);
    if (arrays > 1) b.emplace_back(n);
    if (arrays > 2) c.emplace_back(n);
  }
  std::vector<uint64_t> sums(8 * threads), turns(8 * threads);
  double s = 1.0;
  KEEP_VALUE(s);
  const double seconds = best_pass(threads, [&](int thread, double passes) {
    double* own = a[thread].at;
    turns[8 * thread] += static_cast<uint64_t>(passes);
    for (double pass = 0; pass < passes; ++pass) {
      if (kind == "read") sums[8 * thread] += machine_read(reinterpret_cast<uint64_t*>(own), n);
      else if (kind == "write") machine_write(own, s, n);
      else if (kind == "copy") machine_copy(own, b[thread].at, n);
      else machine_triad(own, b[thread].at, c[thread].at, s, n);
      KEEP_IN_PLACE(own);
    }
  });
  uint64_t one;
  const double first = kind == "triad" ? 2.0 : 1.0;
  std::memcpy(&one, &first, sizeof one);
  for (int thread = 0; thread < threads; ++thread) {
    const bool right = kind == "read" ? sums[8 * thread] == turns[8 * thread] * n * one : a[thread].at[n - 1] == first;
    if (!right) Rcpp::stop("a probe of memory came to a wrong result");
  }
  return 8.0 * arrays * static_cast<double>(n) * threads / seconds;
}

// c(rate, width): floating-point operations per second, and how many numbers an instruction takes; 0 where this machine
// has none of the kind. `kind`: scalar, vector, fused (products with their sums, as vectors) or chain (of dependent
// products and sums).
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector machine_operations(std::string kind, int threads) {
  const Peak peak = peak_of(kind);
  if (!peak.run) return Rcpp::NumericVector::create(Rcpp::_["rate"] = 0, Rcpp::_["width"] = 0);
  const double steps = 2000;
  double factor = 1.0, summand = 0.0;
  KEEP_VALUE(factor);
  KEEP_VALUE(summand);
  std::atomic<int> wrong(0);
  const double expected = peak.run(1, factor, summand);
  const double seconds = best_pass(threads, [&](int, double passes) {
    for (double pass = 0; pass < passes; ++pass) {
      if (peak.run(steps, factor, summand) != expected) ++wrong;
    }
  });
  if (wrong > 0) Rcpp::stop("a probe of arithmetic came to a wrong result");
  return Rcpp::NumericVector::create(Rcpp::_["rate"] = threads * peak.operations * steps / seconds,
                                     Rcpp::_["width"] = peak.width);
}

// Seconds of a load that waits for the one before it, in a random walk through all cache lines of `bytes`.
// [[Rcpp::export(rng = false)]]
double machine_latency(double bytes) {
  const size_t line = 8, lines = std::max<size_t>(2, static_cast<size_t>(bytes / 64));
  std::vector<uint64_t> memory(line * lines + line);
  std::vector<uint32_t> order(lines);
  std::iota(order.begin(), order.end(), 0);
  std::mt19937 random(20);
  for (size_t i = lines - 1; i > 0; --i) std::swap(order[i], order[random() % (i + 1)]);
  for (size_t i = 0; i < lines; ++i) memory[line * order[i]] = line * order[(i + 1) % lines];
  const size_t steps = std::max<size_t>(lines, 50000);
  uint64_t at = 0;
  double best = R_PosInf;
  for (int sample = 0; sample < 5; ++sample) {
    const double start = now();
    for (size_t i = 0; i < steps; ++i) at = memory[at];
    best = std::min(best, (now() - start) / static_cast<double>(steps));
    if (best * static_cast<double>(steps) > 0.25 && sample > 0) break;
  }
  if (at >= line * lines) Rcpp::stop("a probe of latency came to a wrong result");
  return best;
}

// A crossing into native code and back.
// [[Rcpp::export(rng = false)]]
SEXP machine_nothing() { return R_NilValue; }
