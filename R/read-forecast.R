# What a stage will cost at a size where it has not been run.

# Seconds per evaluation at `size`, from the sizes already timed: the power law
# through the last two. From a single size, in proportion to the size; from none, 0.
forecast_seconds <- function(sizes, seconds, size) {
  known <- length(sizes)
  if (known == 0) return(0)
  if (known == 1) return(seconds * size / sizes)
  last <- c(known - 1, known)
  power <- diff(log(seconds[last])) / diff(log(sizes[last]))
  seconds[[known]] * (size / sizes[[known]])^max(power, 0)
}
