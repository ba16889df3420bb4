#' Put a compiled function, or a pick, into a package
#'
#' Writes the C of a compiled function, and all that it needs, into a new package or an existing one. Nothing of it
#' depends on Deep Stride: the C stands alone, with the R lines as comments; a wrapper in R looks at the arguments and
#' leaves to the original function, which is exported with it, what the C was not built for; a test compares both on
#' recorded inputs.
#'
#' Of a pick ([ds_pick()]) its rule is written in R, and each stage that it runs beside it: in C where it was compiled,
#' else as the R function that it is. The test compares the pick with its reference on the recorded inputs.
#'
#' A new package is complete and passes `R CMD check`: fill in its author, title and licence. Into an existing package
#' go `src/`, `R/`, `tests/` and `man/` files of the function's name; its `NAMESPACE` gets the two lines that the
#' result names (or `roxygen2` writes them), and where the package registers its routines, that table one more row.
#'
#' The C is built with the flags of the package that it stands in: no more than what R gives. On processors whose C
#' compiler fuses products with sums unless told not to, the last bits may differ from R's there, which the test finds.
#'
#' @param fast A function of [ds_compile()] that runs native as a whole, or a pick of [ds_pick()].
#' @param path Folder of the package: one that is not there, is empty, or holds a package.
#' @param inputs Arguments of one call by name, or a list of such: recorded for the test, and built for.
#' @param name Name of the function in the package.
#' @param language `"c"`: the C as it was built, with all its looks. `"cpp"`: plain C++ in Rcpp's words, for those who
#'   go on by hand: for arguments of one kind, without calls of R's own functions; what it does not look at (missing
#'   values in conditions and whole numbers, sums of integers that are too large) is said above it, and where R would
#'   stop or make a vector longer it stops. The package needs Rcpp.
#' @param overwrite Whether files of these names may be replaced.
#' @return An object of class `ds_export`, printed as a list of what was written: `path`, `package`, `files`, and
#'   `todo` and `depends`, lines that an existing package's `NAMESPACE` and `DESCRIPTION` need.
#' @section Errors: `ds_error_input` for other functions, folders or names, and where a file is there already;
#'   `ds_error_unsupported` where the function does not run native as a whole for the inputs, or reads variables outside
#'   of itself; where a stage of a pick does, or is code in a file.
#' @examples
#' route <- ds_compile(function(rain, keep) {
#'   store <- 0
#'   for (r in rain) store <- keep * store + r
#'   store
#' })
#' ds_export(route, file.path(tempdir(), "hollowmere"), list(rain = runif(100), keep = 0.85), name = "route")
#' @export
ds_export <- function(fast, path, inputs, name = NULL, overwrite = FALSE, language = c("c", "cpp")) {
  language <- check_choice(language, c("c", "cpp"), "language")
  check_present(missing(fast), "fast")
  if (!inherits(fast, "ds_picked")) compiled_state(fast)
  check_string(path, "path")
  check_flag(overwrite, "overwrite")
  name <- name %||% caller_name(substitute(fast))
  if (!is.character(name) || length(name) != 1 || !grepl("^[A-Za-z][A-Za-z0-9_]*$", name)) {
    abort_input("`name` must be letters, digits and `_`.", you_gave(name), arg = "name")
  }
  package <- package_at(path)
  part <- if (language == "cpp") cpp_part(fast, name, package, inputs) else
  if (inherits(fast, "ds_picked")) picked_part(fast, name, package, inputs) else
    kernel_part(compiled_state(fast), name, package, inputs)
  new <- !file.exists(file.path(path, "DESCRIPTION"))
  files <- c(part$files, if (new) package_files(package, part, name))
  there <- names(files)[file.exists(file.path(path, names(files)))]
  if (length(there) && !overwrite) {
    abort_input(sprintf("%s: there already.", quoted(there)), sprintf("The folder is %s.", path),
      "Say `overwrite = TRUE` to replace them.",
      arg = "path"
    )
  }
  for (file in names(files)) write_exported(files[[file]], file.path(path, file))
  linked <- grepl("Rcpp", read.dcf(file.path(path, "DESCRIPTION"), "LinkingTo")[[1]])
  if (language == "cpp") Rcpp::compileAttributes(path)
  todo <- c(
    if (language == "cpp") sprintf("useDynLib(%s, .registration = TRUE)", package) else
      sprintf("useDynLib(%s, C_%s)", package, names(part$routines)),
    sprintf("export(%s)", name), import_lines(part$imports)
  )
  structure(list(
    path = path, package = package,
    files = c(names(files), if (language == "cpp") c("src/RcppExports.cpp", "R/RcppExports.R")),
    todo = if (file.exists(file.path(path, "NAMESPACE")) && !"NAMESPACE" %in% names(files)) todo,
    depends = if (language == "cpp" && !isTRUE(linked)) c("Imports: Rcpp", "LinkingTo: Rcpp")
  ), class = "ds_export")
}

# list(files, routines, imports): what a package gets, the C routines by name with the count of their arguments, and
# functions of R's own packages by name with their package.
kernel_part <- function(state, name, package, inputs, public = TRUE) {
  inputs <- check_recorded(inputs, names(formals(state$original)))
  check_runs(state$original, inputs)
  built <- built_whole(state, inputs)
  list(
    files = exported_files(state, name, package, built, inputs, public),
    routines = stats::setNames(length(formals(state$original)), name),
    imports = imported(own_functions(state$original))
  )
}

caller_name <- function(code) if (is.name(code)) gsub("[^A-Za-z0-9_]", "_", as.character(code)) else "kernel"

# A list of argument lists.
check_recorded <- function(inputs, wanted) {
  one <- is.list(inputs) && setequal(names(inputs), wanted)
  all <- if (one) list(inputs) else inputs
  whole <- function(each) is.list(each) && setequal(names(each), wanted)
  fits <- is.list(all) && length(all) > 0 && all(vapply(all, whole, NA))
  if (!fits) {
    abort_input("`inputs` must be a list with a value for every argument, or a list of such.", you_gave(inputs),
      sprintf("The arguments are %s.", quoted(wanted)),
      arg = "inputs"
    )
  }
  lapply(unname(all), function(each) each[wanted])
}

# The test runs the original: it must not stop.
check_runs <- function(f, inputs) {
  for (given in inputs) {
    local_random_state()
    tryCatch(suppressWarnings(utils::capture.output(do.call(f, given, quote = TRUE))), error = function(e) {
      abort_input("The function stops on one of the `inputs`.", condition_line(e), arg = "inputs", cause = e)
    })
  }
}

# Specialisations for these inputs and those built before.
built_whole <- function(state, inputs) {
  for (given in inputs) {
    made <- tryCatch(specialise(state, given), error = identity)
    if (!isTRUE(made)) abort_apart(state, made)
  }
  outside <- unique(unlist(lapply(state$built, function(one) {
    vapply(c(one$form$outside, one$form$waits), function(part) part$name, "")
  })))
  if (length(outside)) {
    abort_ds("unsupported", sprintf("The function reads %s outside of itself.", quoted(outside)),
      hint = "A package has no such variable: make it an argument."
    )
  }
  if ("..." %in% names(formals(state$original))) abort_apart(state, NULL)
  if (state$build$threads > 1) {
    abort_ds("unsupported", "A kernel whose turns threads share can't be exported.",
      hint = "Compile it without `threads`."
    )
  }
  if (!is_usual(state$build$precision)) {
    abort_ds("unsupported", "A kernel in another precision than R's can't be exported.",
      hint = "Compile it without `precision`."
    )
  }
  state$built
}

abort_apart <- function(state, why) {
  reason <- if (inherits(why, "error")) why else state$reason
  abort_ds(
    "unsupported", "The function does not run native as a whole for these inputs.",
    if (inherits(reason, "error")) condition_line(reason), "`ds_inspect()` shows what keeps parts of it in R."
  )
}

package_at <- function(path) {
  description <- file.path(path, "DESCRIPTION")
  if (file.exists(description)) return(read.dcf(description, "Package")[[1]])
  left <- list.files(path, all.files = TRUE, no.. = TRUE)
  if (length(left)) abort_input(sprintf("The folder %s holds something, but no package.", path), arg = "path")
  package <- basename(path)
  if (!grepl("^[A-Za-z][A-Za-z0-9.]*[A-Za-z0-9]$", package)) {
    abort_input("The folder's name must do as a package's: letters, digits and dots.", sprintf("It is %s.", package),
      arg = "path"
    )
  }
  package
}

# Files by their paths in the package: text, or inputs to be recorded.
exported_files <- function(state, name, package, built, inputs, public) {
  f <- state$original
  sources <- lapply(built, function(one) read_text(one$source))
  header <- needed_header(unlist(sources))
  if (sum(nchar(unlist(sources))) > 1e6) abort_ds("unsupported", "The C has more than a million characters.")
  facts <- exported_facts(state, built)
  codes <- vapply(built, function(one) types_code(one$types), "")
  c(
    stats::setNames(Map(renamed_source, sources, name, codes), sprintf("src/%s_%s.c", name, codes)),
    stats::setNames(list(
      c(sprintf("/* What the kernels of `%s()` are written in. */", name), "#pragma once", header),
      entry_lines(name, names(formals(f)), codes), function_lines(name, package, f, facts, public),
      test_lines(name, package, facts$random, public), inputs
    ), sprintf(c("src/%s.h", "src/%s.c", "R/%s.R", "tests/%s.R", "tests/%s-inputs.rds"), name)),
    if (public) stats::setNames(list(manual_lines(
      name, f, sprintf("`%s()` in C", name), said_of_types(facts),
      facts$descriptions
    )), sprintf("man/%s.Rd", name))
  )
}

# What makes a package of the files.
package_files <- function(package, part, exported) {
  c(
    list(
      DESCRIPTION = c(description_lines(package, unique(part$imports)), part$links),
      NAMESPACE = c(
        if (length(c(part$routines, part$links))) sprintf("useDynLib(%s, .registration = TRUE)", package),
        sprintf("export(%s)", exported), import_lines(part$imports)
      )
    ),
    if (length(part$routines)) list("src/init.c" = registration_lines(package, part$routines))
  )
}

import_lines <- function(imports) if (length(imports)) sprintf("importFrom(%s, %s)", imports, names(imports))

# Functions of R's packages that a session has without being asked, which a package has to import.
imported <- function(functions) {
  names <- unlist(lapply(functions, function(f) {
    Filter(function(name) is.null(users_home(name, environment(f))), codetools::findGlobals(f))
  }))
  homes <- c("stats", "utils", "methods", "graphics", "grDevices")
  home <- vapply(unique(as.character(names)), function(name) {
    c(Filter(function(package) name %in% getNamespaceExports(package), homes), "")[[1]]
  }, "")
  home[nzchar(home)]
}

# What the wrapper and the manual say of the arguments.
exported_facts <- function(state, built) {
  types <- lapply(built, function(one) vapply(one$types, type_words, ""))
  helpers <- named_helpers(state$original)
  list(
    words = unname(vapply(built, function(one) types_words(one$types), "")),
    descriptions = vapply(names(formals(state$original)), function(argument) {
      paste(unique(vapply(types, function(own) own[[argument]], "")), collapse = ", or ")
    }, "", USE.NAMES = FALSE),
    risky = any(vapply(built, function(one) isTRUE(one$form$risky), NA)),
    random = any(vapply(built, function(one) isTRUE(one$form$random), NA)), helpers = helpers
  )
}

# The user's functions that a function calls, by the names that it calls them by.
named_helpers <- function(f) {
  own <- own_functions(f)[-1]
  names <- unique(unlist(lapply(own_functions(f), function(one) all.names(code_of_function(one)))))
  found <- lapply(stats::setNames(nm = names), function(name) users_function(name, environment(f)))
  Filter(function(helper) any(vapply(own, identical, NA, helper)), found)
}

# A kernel's C under a name of its own.
renamed_source <- function(source, name, code) {
  source <- source[!grepl("^#include <deepstride/", source)]
  source <- sub("^SEXP ds_kernel\\(", sprintf("SEXP %s_%s(", name, code), source)
  c(sprintf("#include \"%s.h\"", name), source)
}

write_exported <- function(content, file) {
  if (is.character(content)) return(write_text(content, file))
  write_atomically(file, function(temporary) saveRDS(content, temporary, version = 2))
}
