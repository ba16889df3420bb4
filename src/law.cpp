// Fitting an overhead and a multiple of a shape to times, by relative errors.
#include <Rcpp.h>
#include <algorithm>
#include <cmath>
#include <vector>

struct Pair { double overhead, factor; };

// The two weights, none below 0, with which an overhead and a shape come nearest to the seconds, relatively.
static Pair not_negative(const Rcpp::NumericVector& shape, const Rcpp::NumericVector& seconds,
                         const std::vector<double>& weights) {
  double a = 0, b = 0, d = 0, u = 0, v = 0;
  for (size_t i = 0; i < weights.size(); ++i) {
    const double one = 1 / seconds[i], other = shape[i] / seconds[i];
    a += weights[i] * one * one;
    b += weights[i] * one * other;
    d += weights[i] * other * other;
    u += weights[i] * one;
    v += weights[i] * other;
  }
  const double determinant = a * d - b * b;
  if (determinant > 1e-12 * a * d) {
    const Pair both = {(u * d - v * b) / determinant, (v * a - u * b) / determinant};
    if (both.overhead >= 0 && both.factor >= 0) return both;
  }
  // The squared errors of one weight alone are the total less these.
  const double gain_one = u * u / a, gain_other = v * v / d;
  if (gain_one > gain_other) return {u / a, 0};
  return {0, v / d};
}

static double median_of(std::vector<double> values) {
  const size_t upper = values.size() / 2;
  std::nth_element(values.begin(), values.begin() + upper, values.end());
  if (values.size() % 2) return values[upper];
  return (values[upper] + *std::max_element(values.begin(), values.begin() + upper)) / 2;
}

// c(overhead, factor, misfit): sizes that lie far off count less (Huber 1964, weights by residual, two passes). The
// misfit is the mean squared error of the logarithms, none counted for more than 1.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector fit_shape(Rcpp::NumericVector shape, Rcpp::NumericVector seconds) {
  const size_t count = seconds.size();
  std::vector<double> weights(count, 1), off(count);
  Pair found = {0, 0};
  for (int pass = 0; pass < 2; ++pass) {
    found = not_negative(shape, seconds, weights);
    for (size_t i = 0; i < count; ++i) {
      off[i] = std::fabs(std::log(std::max(found.overhead + found.factor * shape[i], 1e-300) / seconds[i]));
    }
    const double far = 1.345 * std::max(median_of(off) / 0.6745, 0.01);
    for (size_t i = 0; i < count; ++i) weights[i] = std::min(1.0, far / std::max(off[i], 1e-12));
  }
  double misfit = 0;
  for (double one : off) misfit += std::min(one, 1.0) * std::min(one, 1.0);
  return Rcpp::NumericVector::create(found.overhead, found.factor, misfit / count);
}
