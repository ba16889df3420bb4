// Bootstrap of the median.
#include <Rcpp.h>
#include <algorithm>
#include <vector>
#include "seed.h"

// Median of one resample. `sorted` is sorted, so the resample's middle follows
// from how often each rank was drawn: no copy and no sorting in the loop.
static double resampled_median(const std::vector<double>& sorted, SplitMix& draw,
                               std::vector<int>& counts) {
  const int n = static_cast<int>(sorted.size());
  std::fill(counts.begin(), counts.end(), 0);
  for (int i = 0; i < n; ++i) ++counts[draw.below(n)];
  const int lower = (n - 1) / 2, upper = n / 2;
  int seen = 0, rank = 0;
  while (seen + counts[rank] <= lower) seen += counts[rank++];
  const double low = sorted[rank];
  while (seen + counts[rank] <= upper) seen += counts[rank++];
  return (low + sorted[rank]) / 2;
}

// Medians of `resamples` bootstrap resamples of `x`, which holds no NA.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector resample_median(Rcpp::NumericVector x, int resamples, double seed) {
  Rcpp::NumericVector out(x.size() == 0 ? 0 : resamples);
  if (x.size() == 0) return out;
  std::vector<double> sorted(x.begin(), x.end());
  std::sort(sorted.begin(), sorted.end());
  std::vector<int> counts(sorted.size());
  SplitMix draw(static_cast<uint64_t>(seed));
  for (int i = 0; i < resamples; ++i) out[i] = resampled_median(sorted, draw, counts);
  return out;
}
