# Random state: ours is set for a moment, the caller's is put back untouched.

local_random_state <- function(frame = parent.frame()) withr::local_preserve_seed(.local_envir = frame)

# Evaluates `expr` from a seed, with R's default generators.
with_seed <- function(seed, expr) {
  withr::with_seed(seed, expr,
    .rng_kind = "Mersenne-Twister", .rng_normal_kind = "Inversion",
    .rng_sample_kind = "Rejection"
  )
}

# The state as it is, NULL where there is none yet.
random_seed <- function() get0(".Random.seed", globalenv(), inherits = FALSE)

restore_seed <- function(seed) {
  if (is.null(seed)) {
    if (exists(".Random.seed", globalenv(), inherits = FALSE)) rm(".Random.seed", envir = globalenv())
  } else {
    assign(".Random.seed", seed, envir = globalenv())
  }
}
