// One pass over two vectors: how many elements differ, by how much, and where.
#include <Rcpp.h>
#include <cmath>
#include <cstdint>
#include <cstring>

#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && defined(__linux__)
#define DS_WIDEST __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define DS_WIDEST
#endif

namespace {

const R_xlen_t block_length = 1024;  // two blocks of doubles fit in L1
const int lanes = 8;
typedef double vec __attribute__((vector_size(8 * lanes)));
typedef int64_t ivec __attribute__((vector_size(8 * lanes)));
typedef uint64_t uvec __attribute__((vector_size(8 * lanes)));

struct Tally {
  double different = 0, max_abs = 0, max_rel = 0, max_ulp = 0, patterns = 0;
  R_xlen_t at = -1, at_pattern = -1;
};

struct Block {
  double different = 0, max_abs = 0, max_rel = 0, max_ulp = 0;
  bool finite = true;
};

// Doubles as integers that are ordered as the doubles are: neighbours differ
// by one, and both zeros are 0.
inline int64_t ordered(double x) {
  int64_t bits;
  std::memcpy(&bits, &x, sizeof bits);
  return bits < 0 ? INT64_MIN - bits : bits;
}

// Units in the last place between two finite doubles; the count is capped at
// 2^63, the largest that the pass over whole blocks can hold.
inline double ulp_between(double a, double b) {
  const int64_t i = ordered(a), j = ordered(b);
  const uint64_t gap = i > j ? static_cast<uint64_t>(i) - static_cast<uint64_t>(j)
                             : static_cast<uint64_t>(j) - static_cast<uint64_t>(i);
  return gap > INT64_MAX ? 9223372036854775808.0 : static_cast<double>(gap);
}

inline bool same_bits(double a, double b) { return std::memcmp(&a, &b, sizeof a) == 0; }

inline double relative(double a, double b) {
  const double scale = std::fmax(std::fabs(a), std::fabs(b));
  return scale > 0 ? std::fabs(a - b) / scale : 0;
}

// Largest differences within one full block, several lanes at a time.
DS_WIDEST Block survey(const double* a, const double* b) {
  const vec tiny = vec{} + 4.9e-324;
  vec top_abs = vec{}, top_rel = vec{}, poison = vec{};
  ivec equal = ivec{}, top_ulp = ivec{};
  const ivec no_sign = ivec{} + INT64_MAX;
  const uvec lowest = uvec{} + (uint64_t(1) << 63);
  for (R_xlen_t i = 0; i < block_length; i += lanes) {
    vec x, y;
    std::memcpy(&x, a + i, sizeof x);
    std::memcpy(&y, b + i, sizeof y);
    poison += (x - x) + (y - y);
    const vec gap = (vec)((ivec)(x - y) & no_sign);
    const vec size_x = (vec)((ivec)x & no_sign), size_y = (vec)((ivec)y & no_sign);
    vec scale = size_x > size_y ? size_x : size_y;
    scale = scale > tiny ? scale : tiny;
    const vec rel = gap / scale;
    top_abs = gap > top_abs ? gap : top_abs;
    top_rel = rel > top_rel ? rel : top_rel;
    equal += ((ivec)x == (ivec)y);
    const ivec i_x = (ivec)x < 0 ? (ivec)(lowest - (uvec)x) : (ivec)x;
    const ivec i_y = (ivec)y < 0 ? (ivec)(lowest - (uvec)y) : (ivec)y;
    ivec ulp = i_x > i_y ? (ivec)((uvec)i_x - (uvec)i_y) : (ivec)((uvec)i_y - (uvec)i_x);
    ulp = ulp < 0 ? no_sign : ulp;
    top_ulp = ulp > top_ulp ? ulp : top_ulp;
  }
  Block out;
  out.different = block_length;
  for (int k = 0; k < lanes; ++k) {
    out.different += static_cast<double>(equal[k]);
    if (top_abs[k] > out.max_abs) out.max_abs = top_abs[k];
    if (top_rel[k] > out.max_rel) out.max_rel = top_rel[k];
    if (static_cast<double>(top_ulp[k]) > out.max_ulp) out.max_ulp = static_cast<double>(top_ulp[k]);
    if (!(poison[k] == 0)) out.finite = false;
  }
  return out;
}

// Element by element: where NA, NaN and Inf are told apart.
void walk(const double* a, const double* b, R_xlen_t from, R_xlen_t to, Tally& tally) {
  for (R_xlen_t i = from; i < to; ++i) {
    const double x = a[i], y = b[i];
    if (same_bits(x, y)) continue;
    if (std::isnan(x) && std::isnan(y) && R_IsNA(x) == R_IsNA(y)) continue;
    ++tally.different;
    if (!std::isfinite(x) || !std::isfinite(y)) {
      ++tally.patterns;
      if (tally.at_pattern < 0) tally.at_pattern = i;
      continue;
    }
    const double gap = std::fabs(x - y), rel = relative(x, y), ulp = ulp_between(x, y);
    if (gap > tally.max_abs) tally.max_abs = gap;
    if (ulp > tally.max_ulp) tally.max_ulp = ulp;
    if (tally.at < 0 || rel > tally.max_rel) {
      tally.max_rel = rel;
      tally.at = i;
    }
  }
}

void locate(const double* a, const double* b, R_xlen_t from, R_xlen_t to, double rel, Tally& tally) {
  for (R_xlen_t i = from; i < to; ++i) {
    if (!same_bits(a[i], b[i]) && relative(a[i], b[i]) >= rel) {
      tally.at = i;
      return;
    }
  }
}

Rcpp::List as_list(const Tally& tally, int per_element) {
  const R_xlen_t at = tally.at_pattern >= 0 ? tally.at_pattern : tally.at;
  return Rcpp::List::create(
      Rcpp::_["n_different"] = tally.different, Rcpp::_["max_abs"] = tally.max_abs,
      Rcpp::_["max_rel"] = tally.max_rel, Rcpp::_["max_ulp"] = tally.max_ulp,
      Rcpp::_["patterns"] = tally.patterns,
      Rcpp::_["at"] = at < 0 ? NA_REAL : static_cast<double>(at / per_element + 1));
}

Tally compare_doubles(const double* a, const double* b, R_xlen_t n) {
  Tally tally;
  R_xlen_t i = 0;
  for (; i + block_length <= n; i += block_length) {
    if (std::memcmp(a + i, b + i, block_length * sizeof(double)) == 0) continue;
    const Block block = survey(a + i, b + i);
    if (!block.finite) {
      walk(a, b, i, i + block_length, tally);
      continue;
    }
    tally.different += block.different;
    if (block.max_abs > tally.max_abs) tally.max_abs = block.max_abs;
    if (block.max_ulp > tally.max_ulp) tally.max_ulp = block.max_ulp;
    if (tally.at < 0 || block.max_rel > tally.max_rel) {
      locate(a, b, i, i + block_length, block.max_rel, tally);
      tally.max_rel = block.max_rel;
    }
  }
  walk(a, b, i, n, tally);
  return tally;
}

Tally compare_integers(const int* a, const int* b, R_xlen_t n) {
  Tally tally;
  for (R_xlen_t i = 0; i < n; ++i) {
    if (a[i] == b[i]) continue;
    ++tally.different;
    if (a[i] == NA_INTEGER || b[i] == NA_INTEGER) {
      ++tally.patterns;
      if (tally.at_pattern < 0) tally.at_pattern = i;
      continue;
    }
    const double x = a[i], y = b[i], rel = relative(x, y), gap = std::fabs(x - y);
    if (gap > tally.max_abs) tally.max_abs = gap;
    if (rel > tally.max_rel) {
      tally.max_rel = rel;
      tally.at = i;
    }
  }
  return tally;
}

}  // namespace

// Two vectors of one type and one length: double, complex, integer or logical.
// [[Rcpp::export(rng = false)]]
Rcpp::List compare_vectors(SEXP x, SEXP y) {
  const R_xlen_t n = Rf_xlength(x);
  if (TYPEOF(x) != TYPEOF(y) || n != Rf_xlength(y)) Rcpp::stop("types and lengths must match");
  switch (TYPEOF(x)) {
    case REALSXP:
      return as_list(compare_doubles(REAL(x), REAL(y), n), 1);
    case CPLXSXP:
      return as_list(compare_doubles(reinterpret_cast<const double*>(COMPLEX(x)),
                                     reinterpret_cast<const double*>(COMPLEX(y)), 2 * n), 2);
    case INTSXP:
      return as_list(compare_integers(INTEGER(x), INTEGER(y), n), 1);
    case LGLSXP:
      return as_list(compare_integers(LOGICAL(x), LOGICAL(y), n), 1);
    default:
      Rcpp::stop("only double, complex, integer and logical vectors can be compared");
  }
}

// Units in the last place between the elements of two vectors of one length.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector ulp_gaps(Rcpp::NumericVector x, Rcpp::NumericVector y) {
  Rcpp::NumericVector out(x.size());
  for (R_xlen_t i = 0; i < x.size(); ++i) out[i] = ulp_between(x[i], y[i]);
  return out;
}
