# What is worked out once a session.

shared_state <- new.env()

# make(key), worked out once a session.
remembered <- function(what, key, make) {
  if (is.null(shared_state[[what]])) assign(what, new.env(), envir = shared_state)
  known <- shared_state[[what]][[key]]
  if (is.null(known)) assign(key, known <- make(key), envir = shared_state[[what]])
  known
}
