# A pick in a package: its rule in R, and every stage that it runs, in C where it was compiled, else in R.

# As kernel_part() gives for a compiled function.
picked_part <- function(picked, name, package, inputs) {
  facts <- attr(picked, "ds_picked")
  kernels <- environment(picked)$kernels
  inputs <- check_recorded(inputs, facts$given)
  own <- stage_functions(name, names(kernels))
  parts <- Map(
    function(kernel, stage) stage_part(kernel, stage, own[[stage]], package, inputs), kernels,
    names(kernels)
  )
  files <- unlist(unname(lapply(parts, function(part) part$files)), recursive = FALSE)
  check_helpers(kernels)
  reference <- own[[facts$reference]]
  title <- sprintf("`%s()`, by the fastest way", name)
  said <- strwrap(sprintf(
    paste(
      "Runs for each call the function that was the fastest at its size%s, and `%s()` for",
      "arguments of other kinds than were looked at when they were compared."
    ),
    if (nzchar(facts$measure)) sprintf(" (`%s`)", facts$measure) else "", reference
  ), 76)
  arguments <- names(formals(picked))
  comments <- c(
    title, "", said, "", sprintf("@param %s As `%s()` takes it.", arguments, reference),
    sprintf("@return What `%s()` gives.", reference), "@export"
  )
  manual <- manual_lines(name, picked, title, said, rep(sprintf("As `%s()` takes it", reference), length(arguments)))
  list(
    files = c(files, stats::setNames(
      list(
        c(trimws(paste("#'", comments)), picked_lines(picked, name, own)), picked_test(name, package, reference),
        inputs, manual
      ), sprintf(c("R/%s.R", "tests/%s.R", "tests/%s-inputs.rds", "man/%s.Rd"), name)
    )),
    routines = unlist(unname(lapply(parts, function(part) part$routines))),
    imports = unlist(unname(lapply(parts, function(part) part$imports)))
  )
}

# Names in the package of the functions that the stages are.
stage_functions <- function(name, stages) {
  plain <- gsub("[^A-Za-z0-9]+", "_", stages)
  stats::setNames(make.unique(paste0(name, "_", plain), sep = "_"), stages)
}

stage_part <- function(kernel, stage, own, package, inputs) {
  if (inherits(kernel, "ds_compiled")) {
    return(kernel_part(compiled_state(kernel), own, package, inputs, public = FALSE))
  }
  if (!is.null(native_facts(kernel))) {
    abort_ds("unsupported", sprintf("Stage `%s` is code in a file of its own, which can't be exported.", stage),
      hint = "Pick without it: `ds_pick(result, stages = )`."
    )
  }
  check_runs(kernel, inputs)
  functions <- own_functions(kernel)
  check_closed(functions, stage)
  written <- if (is.primitive(kernel)) sprintf("%s <- base::`%s`", own, primitive_name(kernel)) else
    original_lines(own, kernel)
  lines <- c(
    sprintf("# The stage `%s`.", stage), written,
    unlist(Map(
      function(name, helper) c("", original_lines(name, helper)), names(named_helpers(kernel)),
      named_helpers(kernel)
    ))
  )
  list(files = stats::setNames(list(lines), sprintf("R/%s.R", own)), imports = imported(functions))
}

primitive_name <- function(f) sub(".*[.]Primitive\\(\"(.*)\"\\).*", "\\1", paste(deparse(f), collapse = " "))

# Variables outside of a function are not there in a package.
check_closed <- function(functions, stage) {
  for (f in Filter(Negate(is.primitive), functions)) {
    outside <- Filter(function(name) {
      !is.null(users_home(name, environment(f))) && is.null(users_function(name, environment(f)))
    }, codetools::findGlobals(f))
    if (length(outside)) {
      abort_ds("unsupported", sprintf("Stage `%s` reads %s outside of itself.", stage, quoted(outside)),
        hint = "A package has no such variable: make it an argument."
      )
    }
  }
}

# Two stages may call helpers of one name, but only one function can have it in the package.
check_helpers <- function(kernels) {
  helpers <- unlist(unname(lapply(kernels, function(kernel) named_helpers(stands_for(kernel)))), recursive = FALSE)
  for (name in unique(names(helpers))) {
    if (length(unique(helpers[names(helpers) == name])) > 1) {
      abort_ds("unsupported", sprintf("The stages have more than one function `%s()`.", name),
        hint = "Give them names of their own."
      )
    }
  }
}

# The rule, with the stages by their names in the package.
picked_lines <- function(picked, name, own) {
  env <- environment(picked)
  code <- body(picked)
  if (identical(code[[1]], quote(`{`))) code <- code[[3]] # without the look whether this session has the native code
  stage_of <- function(held) {
    kernel <- env[[held]]
    as.name(own[[which(vapply(env$kernels, identical, NA, kernel))[[1]]]])
  }
  held <- grep("^[.](stage[0-9]+|reference)$", ls(env, all.names = TRUE), value = TRUE)
  code <- do.call(substitute, list(code, lapply(stats::setNames(nm = held), stage_of)))
  text <- deparse(as.function(c(formals(picked), call("{", code))), width.cutoff = 80L)
  c(sprintf("%s <- %s", name, text[[1]]), text[-1])
}

picked_test <- function(name, package, reference) {
  c(
    sprintf("# `%s()` gives what `%s()` gives, on the inputs that were recorded.", name, reference),
    sprintf("library(%s)", package), sprintf("inputs <- readRDS(\"%s-inputs.rds\")", name),
    "for (given in inputs) {", "  set.seed(1)",
    sprintf("  expected <- do.call(%s:::%s, given)", package, reference), "  set.seed(1)",
    sprintf("  stopifnot(isTRUE(all.equal(do.call(%s, given), expected)))", name), "}"
  )
}
