// Medians over rounds: what a round had in common, and the bootstrap of medians.
#include <Rcpp.h>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <vector>
#include "seed.h"

static double middle_of(std::vector<double>& values) {
  if (values.empty()) return NA_REAL;
  const size_t upper = values.size() / 2;
  std::nth_element(values.begin(), values.begin() + upper, values.end());
  const double high = values[upper];
  if (values.size() % 2) return high;
  return (*std::max_element(values.begin(), values.begin() + upper) + high) / 2;
}

static double spread_of(std::vector<double> values, double middle) {
  for (double& value : values) value = std::fabs(value - middle);
  return 1.4826 * middle_of(values);
}

// What each round (row) of `x` has in common over its stages (columns): the mean of how far they lie from their own
// middles, where none counts for more than 2.5 of its usual scatter (Huber 1964), in two passes. A median in its place
// would be one stage's own reading, and give intervals of no width. NA in `x` is a stage that missed the round.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector round_effects(Rcpp::NumericMatrix x) {
  const int rows = x.nrow(), columns = x.ncol();
  Rcpp::NumericVector effects(rows);
  std::vector<double> middles(columns), limits(columns), values;
  for (int pass = 0; pass < 2; ++pass) {
    for (int j = 0; j < columns; ++j) {
      values.clear();
      for (int i = 0; i < rows; ++i) if (!std::isnan(x(i, j))) values.push_back(x(i, j) - effects[i]);
      middles[j] = middle_of(values);
      limits[j] = values.empty() ? 0 : std::max(2.5 * spread_of(values, middles[j]), 0.01);
    }
    for (int i = 0; i < rows; ++i) {
      double sum = 0;
      int count = 0;
      for (int j = 0; j < columns; ++j) {
        if (std::isnan(x(i, j))) continue;
        const double off = x(i, j) - effects[i] - middles[j];
        sum += std::min(std::max(off, -limits[j]), limits[j]);
        ++count;
      }
      if (count) effects[i] += sum / count;
    }
    values.assign(effects.begin(), effects.end());
    const double common = middle_of(values);
    for (int i = 0; i < rows; ++i) effects[i] -= common;
  }
  return effects;
}

// The rows of `x` (as lists of their places) that are not NA in a column, in the order of their values: a resample's
// median follows from how often each was drawn, with no sorting in the loop.
static std::vector<std::vector<int>> sorted_places(const Rcpp::NumericMatrix& x) {
  std::vector<std::vector<int>> places(x.ncol());
  for (int j = 0; j < x.ncol(); ++j) {
    for (int i = 0; i < x.nrow(); ++i) if (!std::isnan(x(i, j))) places[j].push_back(i);
    std::sort(places[j].begin(), places[j].end(), [&](int a, int b) { return x(a, j) < x(b, j); });
  }
  return places;
}

static double drawn_median(const Rcpp::NumericMatrix& x, int column, const std::vector<int>& places,
                           const std::vector<int>& counts) {
  int total = 0;
  for (int place : places) total += counts[place];
  if (total == 0) return NA_REAL;
  const int lower = (total - 1) / 2, upper = total / 2;
  size_t at = 0;
  int seen = counts[places[0]];
  while (seen <= lower) seen += counts[places[++at]];
  const double low = x(places[at], column);
  while (seen <= upper) seen += counts[places[++at]];
  return (low + x(places[at], column)) / 2;
}

// Medians of the columns of `x` in `resamples` resamples of its rows: a row a resample. Groups of rows are drawn first,
// then rows in each (Kalibera and Jones 2013). NA where a resample has none of a column.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix resample_medians(Rcpp::NumericMatrix x, Rcpp::IntegerVector group, int resamples, double seed) {
  const int rows = x.nrow(), columns = x.ncol();
  Rcpp::NumericMatrix out(rows == 0 ? 0 : resamples, columns);
  if (rows == 0) return out;
  std::vector<std::vector<int>> members(*std::max_element(group.begin(), group.end()));
  for (int i = 0; i < rows; ++i) members[group[i] - 1].push_back(i);
  const auto places = sorted_places(x);
  std::vector<int> counts(rows);
  SplitMix draw(static_cast<uint64_t>(seed));
  for (int k = 0; k < resamples; ++k) {
    std::fill(counts.begin(), counts.end(), 0);
    for (size_t g = 0; g < members.size(); ++g) {
      const auto& own = members[members.size() == 1 ? 0 : draw.below(members.size())];
      for (size_t i = 0; i < own.size(); ++i) ++counts[own[draw.below(own.size())]];
    }
    for (int j = 0; j < columns; ++j) out(k, j) = drawn_median(x, j, places[j], counts);
  }
  return out;
}
