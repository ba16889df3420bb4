# Floods of a hundred years at Ash Beck: a Gumbel law fitted by its likelihood
# with a search of our own, and its uncertainty by resampling.

set.seed(77)
floods <- 42 - 11 * log(-log(runif(58)))

minus_log_likelihood <- function(parameters, x) {
  location <- parameters[1]
  scale <- parameters[2]
  if (scale <= 0) return(1e10)
  total <- 0
  for (i in 1:length(x)) {
    z <- (x[i] - location) / scale
    total <- total + log(scale) + z + exp(-z)
  }
  total
}

# a simplex is more than is needed: each parameter in turn, with shrinking steps
search_minimum <- function(f, start, step, x) {
  best <- start
  value <- f(best, x)
  while (max(step) > 1e-4) {
    better <- FALSE
    for (k in 1:length(best)) {
      for (direction in c(-1, 1)) {
        trial <- best
        trial[k] <- trial[k] + direction * step[k]
        new <- f(trial, x)
        if (new < value) {
          best <- trial
          value <- new
          better <- TRUE
        }
      }
    }
    if (!better) step <- step / 2
  }
  list(par = best, value = value)
}

quantile_of <- function(par, years) par[1] - par[2] * log(-log(1 - 1 / years))

fit <- search_minimum(minus_log_likelihood, c(40, 10), c(4, 4), floods)
cat("Location", round(fit$par[1], 3), "scale", round(fit$par[2], 3), "\n")
years <- c(2, 5, 10, 20, 50, 100)
print(data.frame(years = years, flood = round(quantile_of(fit$par, years), 2)))

resamples <- 8000
hundred <- numeric(resamples)
for (b in 1:resamples) {
  again <- sample(floods, length(floods), replace = TRUE)
  own <- search_minimum(minus_log_likelihood, fit$par, c(2, 2), again)
  hundred[b] <- quantile_of(own$par, 100)
  if (b %% 2000 == 0) cat("resample", b, "\n")
}
cat("Flood of 100 years:", round(quantile(hundred, c(0.05, 0.5, 0.95)), 2), "\n")

plotting <- (rank(floods) - 0.44) / (length(floods) + 0.12)
plot(-log(-log(plotting)), floods, xlab = "Reduced variate", ylab = "Flood")
lines(-log(-log(1 - 1 / years)), quantile_of(fit$par, years))
hist(hundred, main = "Flood of 100 years")
invisible(dev.off())
