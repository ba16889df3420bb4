# Random state: ours is set for a moment, the caller's is put back untouched.

has_seed <- function() exists(".Random.seed", envir = globalenv(), inherits = FALSE)

put_back_seed <- function(state) {
  if (is.null(state)) {
    if (has_seed()) rm(".Random.seed", envir = globalenv())
  } else {
    assign(".Random.seed", state, envir = globalenv())
  }
}

# Puts the random state back when the calling frame ends.
local_random_state <- function(frame = parent.frame()) {
  state <- if (has_seed()) get(".Random.seed", envir = globalenv())
  do.call(on.exit, list(bquote(.(put_back_seed)(.(state))), add = TRUE), envir = frame)
}

# Evaluates `expr` from a seed, with R's default generators.
with_seed <- function(seed, expr) {
  local_random_state()
  set.seed(seed, "Mersenne-Twister", "Inversion", "Rejection")
  force(expr)
}
