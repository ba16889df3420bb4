# Helper functions of a kernel: each is lowered once for the types it is called
# with. A recursive one is lowered until its own type is known.

new_helpers <- function() {
  helpers <- new.env()
  helpers$known <- list()
  helpers$ask <- function(name, f, types, cx) {
    key <- paste(c(name, vapply(types, type_code, "")), collapse = "_")
    found <- helpers$known[[key]]
    if (is.null(found)) found <- lower_helper_function(helpers, key, name, f, types)
    found
  }
  helpers
}

lower_helper_function <- function(helpers, key, name, f, types) {
  kernel <- read_kernel(f)
  kernel$name <- name
  routine <- sprintf("h%d_%s", length(helpers$known) + 1, c_name(name))
  helpers$known[[key]] <- list(routine = routine, mode = "na", types = unname(types), random = FALSE)
  repeat {
    lowered <- lower_function(kernel, stats::setNames(types, names(kernel$formals)), helpers)
    mode <- helper_mode(lowered, kernel)
    again <- mode != helpers$known[[key]]$mode
    helpers$known[[key]] <- list(routine = routine, mode = mode, types = unname(types), random = lowered$random,
                                 lowered = lowered)
    if (!again) return(helpers$known[[key]])
  }
}

# The one mode that a helper returns; it must hold nothing but single numbers.
helper_mode <- function(lowered, kernel) {
  type <- Reduce(function(one, other) if (is.null(one)) NULL else join_types(one, other), lowered$returned)
  single <- all(vapply(lowered$vars, function(var) var$rank == 0, NA))
  if (is.null(type) || !type$mode %in% c("na", "logical", "integer", "double") || type$rank > 0 || !single ||
      length(unique(setdiff(vapply(lowered$returned, function(t) t$mode, ""), "na"))) > 1) {
    abort_ds("unsupported", sprintf("The helper `%s()` can't be compiled.", kernel$name),
             sprintf("%s, line %d: helpers take and give single numbers of one type.", basename(kernel$file),
                     kernel$line),
             "Write its body into the kernel, or make its results one type.", file = kernel$file, line = kernel$line)
  }
  type$mode
}
