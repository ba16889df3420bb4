# The form as C++ in Rcpp's words: a target of its own, for those who go on by hand. It is plain where the C is
# careful: what it does not look at stands above it.

# What passes have to say of a form here.
cpp_form <- function(form) {
  form$main <- TRUE
  form$lean <- TRUE
  form$noted <- FALSE
  form$wide <- form$sure <- form$growing <- form$calm_routines <- character()
  passes <- list(fold_values, pass_tidy, pass_shapes, pass_forward, pass_growth, pass_facts, pass_places)
  for (pass in passes) form <- pass(form)
  form
}

# The text of a C++ file for a form.
cpp_source <- function(form, name) {
  cx <- new.env()
  cx$helpers <- character()
  callees <- lapply(form$callees, function(callee) cpp_routine_lines(cx, callee, cpp_routine(cx, callee$name)))
  main <- cpp_routine_lines(cx, form, name, main = TRUE)
  c(
    "// What stands here goes by R's code, and is meant to be read and changed. It does not look for missing",
    "// values in conditions and whole numbers, nor for sums of integers that are too large for them; where R",
    "// would stop, or make a vector longer, it stops.", "#include <Rcpp.h>", "using namespace Rcpp;", "",
    unlist(lapply(cpp_helpers[intersect(names(cpp_helpers), cx$helpers)], c, "")), unlist(lapply(callees, c, "")),
    sprintf("// [[Rcpp::export%s]]", if (isTRUE(cx$hidden)) "(invisible = true)" else ""), main
  )
}

cpp_routine_lines <- function(cx, form, name, main = FALSE) {
  cx$form <- form <- cpp_form(form)
  names <- c_names(form)
  names <- names[vapply(form$vars[names(names)], function(var) !identical(var$kind, "tag"), NA)]
  taken <- names %in% c(cpp_words, names(cpp_helpers), name)
  names[taken] <- paste0(names[taken], "_")
  cx$names <- names
  cx$line <- NULL
  cx$filled <- NULL
  changed <- changed_vectors(form)
  given <- unlist(form$arguments)
  cx$shared <- !names(cx$names) %in% changed
  names(cx$shared) <- names(cx$names)
  cx$counters <- loop_counters(form)
  cx$counts <- counting_variables(form)
  cx$first <- firsts <- setdiff(declared_at_first(form), c(given, cx$counters))
  types <- vapply(form$vars[names(cx$names)], function(type) {
    cpp_type(cx, type)
  }, "")
  cx$result <- cpp_result(cx, form)
  body <- cpp_steps(cx, form$steps)
  copied <- intersect(Filter(function(id) !is_scalar(form, id), given), changed)
  own <- setdiff(names(cx$names), c(given, cx$counters, firsts))
  head <- sprintf("%s %s%s", types[given], cx$names[given], ifelse(given %in% copied, "_given", ""))
  c(
    sprintf(
      "%s%s %s(%s) {", if (main) "" else "static ", cx$result, name,
      paste(head, collapse = ", ")
    ),
    indent(c(
      sprintf("%1$s %2$s = clone(%2$s_given);", types[copied], cx$names[copied]),
      sprintf("%s %s%s;", types[own], cx$names[own], ifelse(is_scalar_type(types[own]), " = 0", "")), body
    )), "}"
  )
}

is_scalar_type <- function(types) types %in% c("double", "int", "bool")

# Variables that are written to after they were given a value, so that they need an object of their own.
changed_vectors <- function(form) {
  ops <- c("store", "store_many", "append")
  stored <- names_of_steps(form$steps, ops)
  assigned <- names_of_steps(form$steps, "assign")
  union(stored, intersect(assigned, unlist(form$arguments)))
}

# Counters that nothing reads outside of their loop.
loop_counters <- function(form) {
  loops <- list()
  each_step(form$steps, function(step) if (step$op == "for") loops[[length(loops) + 1]] <<- step)
  names <- vapply(loops, function(loop) loop$name, "")
  written <- vapply(writing_steps(form$steps), function(step) step$name, "")
  reads <- unlist(all_reads(form))
  Filter(function(name) {
    mine <- loops[names == name]
    inside <- unlist(lapply(mine, function(loop) all_reads(list(steps = loop$blocks$body))))
    careful <- unlist(lapply(mine, function(loop) all_reads(list(steps = loop$blocks$careful))))
    sum(written == name) == sum(names == name) && sum(reads == name) == sum(c(inside, careful) == name)
  }, setdiff(unique(names), unlist(form$arguments)))
}

# Variables that hold lengths and nothing else.
counting_variables <- function(form) {
  found <- writing_steps(form$steps)
  names <- vapply(found, function(step) step$name, "")
  lengths_alone <- function(name) {
    all(vapply(found[names == name], function(step) step$op == "assign" && holds_count(step$args[[1]]), NA))
  }
  Filter(lengths_alone, setdiff(unique(names), unlist(form$arguments)))
}

holds_count <- function(node, counts = character()) {
  node$op %in% c("size", "extent") || (node$op == "const" && !is.na(node$value) && node$value >= 0) ||
    (node$op == "var" && node$name %in% counts) ||
    (node$op == "integer_to_double" && holds_count(node$args[[1]], counts))
}

# Variables that the first step that speaks of them gives a value, outside of loops and conditions.
declared_at_first <- function(form) {
  seen <- found <- character()
  for (step in form$steps) {
    speaks <- c(step_reads(step), unlist(all_reads(list(steps = unlist(step$blocks, recursive = FALSE)))))
    if (step$op == "assign" && !step$name %in% c(seen, speaks)) found <- c(found, step$name)
    writes <- vapply(writing_steps(list(step)), function(one) one$name, "")
    seen <- c(seen, speaks, writes)
  }
  found
}

# A value that is worked out for the next step alone, where it stands.
fold_values <- function(form) {
  reads <- unlist(all_reads(form))
  writes <- vapply(writing_steps(form$steps), function(step) step$name, "")
  form$steps <- walk_blocks(form$steps, function(steps) {
    for (at in rev(seq_len(max(0, length(steps) - 1)))) {
      one <- steps[[at]]
      once <- one$op == "assign" && is_temporary(one$name) && sum(c(reads, writes) == one$name) == 2
      # C++ does not say what it works out first
      if (!once || any_value(one$args[[1]], function(node) node$op %in% c("draw", "call"))) next
      found <- FALSE
      after <- steps[[at + 1]]
      if (!after$op %in% c("assign", "store", "append", "if")) next
      after <- map_values(after, function(node) {
        fits <- node$op == "var" && identical(node$name, one$name) && one$args[[1]]$rank == 0
        if (fits) found <<- TRUE
        if (fits) one$args[[1]] else node
      })
      if (found) steps[at + 0:1] <- list(NULL, after)
      steps <- Filter(Negate(is.null), steps)
    }
    steps
  })
  form
}

# The type of what is returned: that of all returns, or any object.
cpp_result <- function(cx, form) {
  if (!is.null(form$mode)) return(cpp_type(cx, list(modes = form$mode, rank = 0)))
  types <- character()
  each_step(form$steps, function(step) {
    if (step$op != "return") return()
    plain <- step$shape$kind == "number" && is.null(step$shape$tag) && is.null(step$shape$names)
    types <<- c(types, if (plain) cpp_type(cx, list(modes = step$args[[1]]$mode, rank = step$args[[1]]$rank)) else
    if (step$shape$kind == "list") "List" else "SEXP")
  })
  if (length(unique(types)) == 1) types[[1]] else "SEXP"
}

cpp_steps <- function(cx, steps) {
  unlist(lapply(steps, function(step) {
    mark <- if (!identical(step$line, cx$line)) user_comment(cx$form$source, step$line)
    cx$line <- step$line
    cx$checks <- character()
    lines <- cpp_step(cx, step)
    c(mark, cx$checks, lines)
  }))
}

cpp_step <- function(cx, step) {
  name <- as.list(cx$names)[[step$name %||% ""]]
  arg <- function(at = 1) step$args[[at]]
  switch(step$op,
    assign = cpp_assign(cx, step, name),
    store = cpp_store(cx, step, name),
    store_many = cpp_store_many(cx, step, name),
    append = sprintf("%s.push_back(%s);", name, cpp_text(cx, arg())),
    `if` = cpp_if(cx, step),
    `for` = if (arg()$op == "range") cpp_range_loop(cx, step, name) else cpp_vector_loop(cx, step, name),
    `repeat` = cpp_repeat(cx, step$blocks$careful %||% step$blocks$body),
    `break` = "break;",
    `next` = "continue;",
    empty = sprintf("%s = %s(0);", name, cpp_type(cx, cx$form$vars[[step$name]])),
    need = sprintf("if (!(%s)) stop(\"line %s: values that R takes otherwise\");", cpp_text(cx, arg()), step$line),
    fallback = sprintf("stop(%s);", c_string(sprintf("line %s: R stops or warns here", step$line))),
    `return` = cpp_return(cx, step),
    scope = c("{", indent(c(cpp_block(cx, step$blocks$body), sprintf("end_%s: ;", label_text(step$label)))), "}"),
    leave = sprintf("goto end_%s;", label_text(step$label)),
    room = ,
    edge = ,
    own = ,
    copy_tag = ,
    tag = NULL, # what is read of tags is refused
    refuse_cpp(cx, sprintf("`%s`", step$op))
  )
}

cpp_repeat <- function(cx, body) {
  first <- if (length(body)) body[[1]]
  ends <- identical(first$op, "if") && length(first$blocks$yes) == 0 && length(first$blocks$no) == 1 &&
    first$blocks$no[[1]]$op == "break"
  head <- if (ends) sprintf("while (%s) {", cpp_text(cx, first$args[[1]])) else "for (;;) {"
  c(head, indent(cpp_block(cx, if (ends) body[-1] else body)), "}")
}

cpp_block <- function(cx, steps) {
  line <- cx$line
  checks <- cx$checks
  lines <- cpp_steps(cx, steps)
  if (!identical(cx$line, line)) cx$line <- 0
  cx$checks <- checks
  lines
}

cpp_assign <- function(cx, step, name) {
  node <- step$args[[1]]
  if (step$name %in% cx$first) {
    cx$first <- setdiff(cx$first, step$name)
    name <- paste(cpp_type(cx, cx$form$vars[[step$name]]), name)
  }
  if (node$rank == 0) return(sprintf("%s = %s;", name, cpp_text(cx, node)))
  if (node$op == "var") {
    shared <- cx$shared[[step$name]] && cx$shared[[node$name]]
    return(sprintf(if (shared) "%s = %s;" else "%s = clone(%s);", name, cx$names[[node$name]]))
  }
  if (node$rank > 1 && !gives_matrix(node)) {
    refuse_cpp(cx, "work on all elements of matrices that is more than a factor")
  }
  text <- cpp_vector(cx, node)
  type <- cpp_type(cx, cx$form$vars[[step$name]])
  made <- startsWith(text, paste0(type, "(")) && is_one_call(text) && startsWith(name, paste0(type, " "))
  lines <- if (made) paste0(name, substring(text, nchar(type) + 1), ";") else sprintf("%s = %s;", name, text)
  own <- cx$names[[step$name]]
  if (!is.null(cx$filled)) lines <- c(lines, sprintf("std::fill(%1$s.begin(), %1$s.end(), %2$s);", own, cx$filled))
  cx$filled <- NULL
  lines
}

# Rcpp makes a matrix of one with a number, and a vector of anything else.
gives_matrix <- function(node) {
  if (is.null(cpp_of_vectors[[node$op]]) && node$op != "math") return(TRUE)
  wide <- Filter(function(arg) arg$rank > 1, node$args)
  squared <- node$op == "pow" && identical(node$args[[2]]$value, 2)
  (squared || node$op %in% c("add", "sub", "mul", "div")) && length(wide) == 1 && gives_matrix(wide[[1]])
}

# Does the first bracket close at the end?
is_one_call <- function(text) {
  marks <- strsplit(text, "")[[1]]
  depth <- cumsum((marks == "(") - (marks == ")"))
  identical(which(depth == 0 & cumsum(marks == "(") > 0)[1], length(marks))
}

cpp_store <- function(cx, step, name) {
  if (step$name %in% cx$form$growing && length(step$args) == 2 && !isTRUE(step$proved)) {
    cx$helpers <- union(cx$helpers, "put")
    return(sprintf("put(%s, %s, %s);", name, cpp_text(cx, step$args[[2]]), cpp_text(cx, step$args[[1]])))
  }
  target <- list(args = step$args[-1], name = step$name, proved = step$proved)
  sprintf("%s = %s;", cpp_element(cx, target, name)$text, cpp_text(cx, step$args[[1]]))
}

cpp_store_many <- function(cx, step, name) {
  value <- step$args[[1]]
  target <- list(args = step$args[-1], name = step$name, keep = FALSE)
  if (value$rank > 1 || (value$rank == 0 && length(target$args) > 1)) refuse_cpp(cx, "several elements set at once")
  if (length(target$args) == 1 && !target$args[[1]]$op %in% c("range", "where")) {
    refuse_cpp(cx, "several elements set at once")
  }
  sprintf("%s = %s;", cpp_subset(cx, target, name), cpp_vector(cx, value))
}

cpp_if <- function(cx, step) {
  test <- cpp_text(cx, step$args[[1]])
  yes <- cpp_block(cx, step$blocks$yes)
  no <- cpp_block(cx, step$blocks$no)
  if (length(yes) == 0 && length(no) == 0) return(NULL)
  if (length(yes) == 0) return(c(sprintf("if (!(%s)) {", test), indent(no), "}"))
  c(sprintf("if (%s) {", test), indent(yes), if (length(no)) c("} else {", indent(no)), "}")
}

cpp_return <- function(cx, step) {
  if (isFALSE(step$visible)) cx$hidden <- TRUE
  text <- if (is.null(step$shape)) cpp_text(cx, step$args[[1]]) else cpp_object(cx, step$shape, step$args)
  sprintf(if (cx$result == "SEXP") "return wrap(%s);" else "return %s;", text)
}

cpp_object <- function(cx, shape, args) {
  if (shape$kind == "null") return("R_NilValue")
  if (shape$kind == "list") {
    ends <- cumsum(shape$counts)
    parts <- vapply(seq_along(shape$parts), function(i) {
      cpp_object(cx, shape$parts[[i]], args[seq_len(shape$counts[[i]]) + ends[[i]] - shape$counts[[i]]])
    }, "")
    if (length(parts) > 20) refuse_cpp(cx, "a list of more than 20 parts")
    labels <- shape$labels
    if (any(nzchar(labels))) parts <- sprintf("Named(%s) = %s", c_string(labels), parts)
    return(sprintf("List::create(%s)", paste(parts, collapse = ", ")))
  }
  if (shape$kind != "number" || !is.null(shape$tag)) refuse_cpp(cx, "a value that may be of several types")
  text <- cpp_vector(cx, args[[1]])
  if (is.null(shape$names)) return(text)
  if (args[[1]]$op != "concat" && args[[1]]$op != "var") refuse_cpp(cx, "names of this kind")
  elements <- if (args[[1]]$rank == 0) text else sprintf("%s[%d]", text, seq_along(shape$names) - 1L)
  sprintf("%s::create(%s)", cpp_type(cx, list(modes = args[[1]]$mode, rank = 1)), paste(
    sprintf("Named(%s) = %s", c_string(shape$names), elements),
    collapse = ", "
  ))
}

# As kernel_part() for the C.
cpp_part <- function(fast, name, package, inputs) {
  if (inherits(fast, "ds_picked")) abort_ds("unsupported", "A pick is exported as C.", hint = "Leave out `language`.")
  state <- compiled_state(fast)
  f <- state$original
  inputs <- check_recorded(inputs, names(formals(f)))
  check_runs(f, inputs)
  built <- built_whole(state, inputs)
  wanted <- unique(vapply(inputs, function(given) types_code(lapply(given, type_of_value)), ""))
  if (length(wanted) > 1) {
    abort_ds("unsupported", "The inputs are of several kinds, and C++ is for one.",
      hint = "Export it for each by itself."
    )
  }
  one <- built[[wanted]]
  facts <- exported_facts(state, list(one))
  said <- sprintf("Runs in C++ for arguments of the types that it was made for (%s).", facts$words)
  helpers <- unlist(Map(function(own, helper) c("", original_lines(own, helper)), names(facts$helpers), facts$helpers))
  call <- sprintf("%s_in_cpp(%s)", name, paste(names(formals(f)), collapse = ", "))
  files <- list(
    cpp_source(one$form, paste0(name, "_in_cpp")),
    c(
      sprintf("%s <- %s%s", name, function_head(f), call), "", "# The original, in R.",
      original_lines(sprintf("%s_in_r", name), f), helpers
    ),
    test_lines(name, package, facts$random, TRUE), inputs,
    manual_lines(name, f, sprintf("`%s()` in C++", name), strwrap(said, 76), facts$descriptions)
  )
  paths <- sprintf(c("src/%s.cpp", "R/%s.R", "tests/%s.R", "tests/%s-inputs.rds", "man/%s.Rd"), name)
  list(files = stats::setNames(files, paths), routines = character(), links = "LinkingTo: Rcpp", imports = c(
    imported(own_functions(f)),
    evalCpp = "Rcpp"
  ))
}
