# From the form to C for one target. Nothing is decided here: each op has its text.

lines_of <- function(...) unlist(list(...))

indent <- function(lines) {
  lines <- as.character(lines) # of none there is NULL
  inside <- which(nzchar(lines) & !startsWith(lines, "#"))
  lines[inside] <- paste0("  ", lines[inside])
  lines
}

# list(text, lines): the whole C source of a form, and the user's line of each of its own.
emit_form <- function(form) {
  c_lines <- strsplit(paste(marked_source(form), collapse = "\n"), "\n", fixed = TRUE)[[1]]
  marks <- startsWith(c_lines, line_marker)
  user <- c(NA, as.integer(substring(c_lines[marks], nchar(line_marker) + 1)))[cumsum(marks) + 1]
  list(text = paste(c_lines[!marks], collapse = "\n"), lines = user[!marks])
}

# With marks where the code of another line begins.
marked_source <- function(form) {
  names(form$callees) <- vapply(form$callees, function(callee) callee$name, "")
  is_recursive <- vapply(form$callees, function(callee) isTRUE(callee$recursive), NA)
  routines <- lapply(form$callees[is_recursive], function(routine) {
    annotate_form(c(routine, form[c("past_end", "careful")]))
  })
  callees <- form$callees[!is_recursive]
  deep <- recursive_callees(callees)
  calm <- calm_callees(callees, deep)
  callees <- lapply(callees, annotate_form, main = FALSE, calm = calm, deep = deep)
  routines <- lapply(routines, utils::modifyList, list(calm_routines = calm))
  main <- annotate_form(form, main = TRUE, calm = calm)
  heads <- c(vapply(callees, callee_head, ""), vapply(routines, routine_head, ""))
  lines_of(
    if (!is.null(form$tallies)) c("extern unsigned long long ds_counts[];", ""),
    "#include <deepstride/kernel.h>",
    vapply(further_headers(c(list(main), callees, routines)), function(name) {
      sprintf("#include <deepstride/%s.h>", name)
    }, ""), "",
    if (length(callees)) c("static jmp_buf give_up;", "static char *give_up_below;", "DS_GIVE_UP", ""),
    if (length(routines)) c("static int ds_kept, ds_own;", ""),
    if (length(heads)) paste0(heads, ";"),
    if (length(callees)) c("#undef DS_FALLBACK", "#define DS_FALLBACK give_up_here()"),
    lapply(callees, function(callee) c("", emit_callee(callee))),
    if (length(callees)) c("#undef DS_FALLBACK", "#define DS_FALLBACK DS_LEAVE", ""),
    lapply(routines, function(routine) c("", emit_routine(routine))), "",
    emit_kernel(main, length(callees) > 0, length(routines) > 0),
    if (!is.null(form$tallies)) tally_lines(form$tallies)
  )
}

# What forms speak of besides numbers.
further_headers <- function(forms) {
  headers <- c(complex = "complex", character = "text")
  spoken <- vapply(names(headers), function(mode) any(vapply(forms, speaks_of, NA, mode)), NA)
  asks <- function(own) {
    asked <- function(node) node$op == "ask" && node$fn %in% names(own)
    any(vapply(forms, function(form) any_step_value(form$steps, asked), NA))
  }
  shares <- function(form) length(form$shared) > 0
  chosen <- function(form) !is.null(form$sums) && form$sums != "extended"
  c(
    union(unname(headers[spoken]), if (asks(own_texts)) "text"), if (asks(own_calls)) "order",
    if (any(vapply(forms, shares, NA))) "threads",
    if (any(vapply(forms, chosen, NA))) "sums"
  )
}

speaks_of <- function(form, mode) {
  any(vapply(form$vars, function(var) identical(var$modes, mode), NA)) ||
    any_step_value(form$steps, function(node) node$mode == mode)
}

new_emitter <- function(form) {
  em <- new.env()
  em$form <- form
  em$names <- c_names(form)
  em$count <- 0
  em$line <- em$slots <- em$most_slots <- em$most_taken <- 0L
  em$turns <- "0"
  em$flags <- FALSE
  em$sure <- form$sure
  em$changing <- names_of_steps(form$steps, "put_element") # lists whose parts change where they lie
  em$wide <- form$wide
  em$main <- form$main
  em$past_end <- isTRUE(form$past_end)
  em$source <- form$source
  em$sound <- "" # the C of whether all that the nest compares is sound
  em$spare <- FALSE # is it, where C is written?
  em$scanned <- character() # vectors whose ends are found in a loop
  em$turning <- list() # the C of counters, by variable
  em
}

# list(held, lines): what a routine of objects protects, and what stands in it.
routine_body <- function(form) {
  em <- new_emitter(form)
  body <- with_looks(emit_steps(em, form$steps))
  arrays <- Filter(function(id) !is_scalar(form, id) && !id %in% form$constant, names(em$names))
  given <- unlist(lapply(seq_along(form$arguments), function(i) {
    emit_argument(em, form$arguments[[i]], sprintf("a[%d]", i - 1))
  }))
  slots <- c(
    "scratch", if (length(form$spared)) "spare", sprintf("%s_room_s", unlist(em$names[form$renewed])),
    sprintf("places%d", seq_len(em$most_slots)),
    sprintf("taken%d", seq_len(em$most_taken))
  )
  list(held = length(arrays) + length(slots) + sequences_held(em), lines = c(
    body_locals(body), sprintf("DS_SCAN(%s);", em$scanned), sprintf("DS_SLOT(%s);", slots), declarations(em), given,
    if (draws_itself(form)) "GetRNGstate();", "", body, ending_lines(c(given, body))
  ))
}

# A routine that is called by a kernel leaves the generator's state to that.
draws_itself <- function(form) form$random && !isTRUE(form$recursive)

routine_head <- function(form) sprintf("static SEXP %s(SEXP *a, int *where)", c_routine(form$name))

emit_routine <- function(form) {
  made <- routine_body(form)
  lines_of(paste(routine_head(form), "{"), indent(c(
    sprintf("enum { held = %d };", made$held), "ds_own = held;", made$lines
  )), "}")
}

emit_kernel <- function(form, has_callees, has_routines) {
  made <- routine_body(form)
  apart <- has_callees || has_routines
  lines_of(
    sprintf("enum { held = %d };", made$held), "",
    if (apart) "static SEXP ds_body(SEXP *a, int *where) {" else "SEXP ds_kernel(SEXP *a, int *where) {",
    indent(made$lines), "}",
    if (apart) c(
      "", "SEXP ds_kernel(SEXP *a, int *where) {", if (has_routines) c("  ds_kept = 0;", "  ds_own = held;"),
      if (has_callees) c(
        "  give_up_below = ds_stack_end();",
        sprintf(
          "  if (_setjmp(give_up)) { UNPROTECT(%s); return NULL; }",
          if (has_routines) "ds_kept + ds_own" else "held"
        )
      ),
      "  return ds_body(a, where);", "}"
    )
  )
}

callee_head <- function(form) {
  arguments <- vapply(form$arguments, function(id) {
    sprintf("%s %s", mode_field(form$vars[[id]]$modes, "c"), c_names(form)[[id]])
  }, "")
  arguments <- c(arguments, if (form$noted) "int *noted")
  sprintf(
    "static %s%s %s(%s)", if (form$noted) "inline __attribute__((always_inline)) " else "", mode_field(form$mode, "c"),
    c_routine(form$name), if (length(arguments)) paste(arguments, collapse = ", ") else "void"
  )
}

c_routine <- function(name) paste0("f_", gsub("[^A-Za-z0-9_]", "_", name))

emit_callee <- function(form) {
  em <- new_emitter(form)
  body <- with_looks(emit_steps(em, form$steps))
  last <- "give_up_here(); // R ends where it has no value"
  lines_of(
    paste(callee_head(form), "{"), indent(c(body_locals(body), declarations(em, form$arguments), body, last)), "}"
  )
}

# Names of the callees that can come to call themselves.
recursive_callees <- function(callees) {
  calls <- lapply(callees, function(callee) routines_called(callee$steps))
  reached <- function(name) {
    found <- character()
    queue <- calls[[name]]
    while (length(queue)) {
      found <- union(found, queue)
      queue <- setdiff(unlist(calls[queue]), found)
    }
    found
  }
  Filter(function(name) name %in% reached(name), names(calls))
}

# Names of those whose calls are calm: they note in a flag of the caller what is rare, and become part of it.
calm_callees <- function(callees, deep) {
  calm <- setdiff(names(callees), deep)
  repeat {
    kept <- Filter(function(name) {
      steps <- callees[[name]]$steps
      !callees[[name]]$random && !has_loop(steps) &&
        is_calm_body(c(callees[[name]], list(calm_routines = calm)), steps)
    }, calm)
    if (identical(kept, calm)) return(calm)
    calm <- kept
  }
}

# Declarations of the variables that steps speak of.
declarations <- function(em, besides = character()) {
  unlist(lapply(setdiff(names(em$names), besides), function(id) {
    type <- em$form$vars[[id]]
    name <- em$names[[id]]
    if (identical(type$kind, "tag")) return(sprintf("int %s = DS_UNSET;", name))
    if (identical(type$kind, "sequence")) return(sequence_declaration(em, id))
    c_type <- mode_field(type$modes, "c")
    if (type$rank == 0) {
      if (id %in% em$form$counters) return(NULL)
      zero <- if (c_type == "double" && !id %in% em$wide) "0.0" else "0"
      lost <- if (id %in% em$form$compensated) sprintf("double %s_lost = 0.0;", name)
      return(c(sprintf("%s %s = %s;", if (id %in% em$wide) "R_xlen_t" else c_type, name, zero), lost))
    }
    extents <- if (type$rank > 1) sprintf("R_xlen_t %s;", paste0(name, "_d", seq_len(type$rank), " = 0",
      collapse = ", "
    ))
    c(
      sprintf(if (id %in% em$form$constant) "DS_GIVEN(%s, %s);" else "DS_ARRAY(%s, %s);", c_type, name), extents,
      if (id %in% em$form$owned) sprintf("int %s_own = 0;", name)
    )
  }))
}

# Takes an argument into its variable: its own copy where elements are assigned.
emit_argument <- function(em, id, from) {
  if (!id %in% names(em$names)) return(NULL)
  type <- em$form$vars[[id]]
  if (identical(type$kind, "sequence")) return(emit_sequence_argument(em, id, from))
  name <- em$names[[id]]
  reader <- mode_field(type$modes, "reader")
  come <- incoming(em, type, from)
  if (type$rank == 0) return(c(
    sprintf("%s = %s;", name, come$number),
    if (em$form$lean && id %in% em$sure) sprintf("if (DS_RARE(%s == NA_INTEGER)) goto missing;", name)
  ))
  copied <- id %in% em$form$stored && !id %in% em$form$owned
  c(
    come$steps,
    if (copied) sprintf("DS_HOLD(%s, %s, Rf_duplicate(%s));", name, reader, come$from) else
      sprintf("%s(%s, %s);", if (id %in% em$form$constant) "DS_READ" else "DS_BORROW", name, come$from),
    if (type$rank > 1) sprintf("%1$s_d%2$d = ds_extent(%3$s, %2$d);", name, seq_len(type$rank), come$from),
    if (copied && em$form$lean && id %in% em$sure) sprintf("if (!ds_all_there(%1$s, %1$s_n)) goto missing;", name)
  )
}

emit_steps <- function(em, steps) {
  unlist(lapply(steps, function(step) c(line_mark(em, step$line), emit_step(em, step))))
}

line_marker <- "#line "

# The user's R line stands above its C.
line_mark <- function(em, line) {
  if (identical(line, em$line)) return(NULL)
  em$line <- line
  c(user_comment(em$source, line), paste0(line_marker, line))
}

user_comment <- function(source, line) {
  said <- trimws(source[as.character(line)] %||% "")
  if (!is.na(said) && nzchar(said)) paste0("// ", gsub("\\\\$", "", said))
}

# Text as a constant of C that has its bytes, whatever the file's encoding: what is no letter of ASCII in octal.
c_string <- function(text) {
  octal <- function(bytes) {
    shown <- rawToChar(bytes, multiple = TRUE)
    apart <- bytes < 32 | bytes > 126
    shown[apart] <- sprintf("\\%03o", as.integer(bytes[apart]))
    paste(ifelse(shown %in% c("\\", "\""), paste0("\\", shown), shown), collapse = "")
  }
  sprintf("\"%s\"", vapply(lapply(text, charToRaw), octal, ""))
}

# A text as R keeps it: its bytes and what they are said to be.
text_constant <- function(text) {
  said <- c(unknown = "NATIVE", "UTF-8" = "UTF8", latin1 = "LATIN1", bytes = "BYTES")[Encoding(text)]
  sprintf("DS_TEXT_CONSTANT(%s, CE_%s)", c_string(text), said)
}

emit_step <- function(em, step) {
  name <- if (!is.null(step$name)) em$names[[step$name]]
  em$slots <- 0L
  arg <- function(i = 1) step$args[[i]]
  switch(step$op,
    assign = emit_assign(em, step, name),
    tag = sprintf("%s = %s;", name, tag_text(step$tag)),
    copy_tag = sprintf("%s = %s;", name, em$names[[step$from]]),
    empty = sprintf("DS_EMPTY(%s);", name),
    store = emit_store(em, step, name),
    store_many = emit_store_many(em, step, name),
    note_small = each_small(em, arg()),
    append = emit_append(em, step, name),
    own = sprintf(
      "DS_OWN%s(%s, %s);", if (length(em$form$spared)) "_SPARE" else "", name,
      mode_field(em$form$vars[[step$name]]$modes, "reader")
    ),
    room = sprintf("if (DS_RARE(%s > %s_n)) goto past_end;", index_text(em, step$sum), name),
    guard = sprintf("DS_NEED(%s);", tag_test(name, step$tags)),
    tally = sprintf(
      "ds_counts[%d] += %s;", step$number, if (is.null(step$of)) "1" else paste0(em$names[[step$of]], "_n")
    ),
    need = sprintf("DS_NEED(%s);", c_condition(em, arg())),
    deeper = "DS_DEEPER;",
    put_part = emit_put_part(em, step, name),
    put_list = emit_put_list(em, step, name),
    put_record = emit_put_record(em, step, name),
    put_element = emit_put_element(em, step, name),
    drop_part = emit_drop_part(em, step, name),
    make_list = emit_make_list(em, step, name),
    `if` = emit_if(em, step),
    `for` = emit_for(em, step, name),
    `repeat` = emit_repeat(em, step),
    `break` = c(if (em$flags) note_mark, "break;"),
    `next` = c(if (em$flags) note_mark, "continue;"),
    scope = emit_scope(em, step),
    leave = sprintf("goto end_%s;", label_text(step$label)),
    fallback = paste("DS_FALLBACK; //", gsub("[^ -~]|\\\\", "", gsub(temporary_mark, "", step$why, fixed = TRUE))),
    pending = if (em$form$random) "DS_FALLBACK;" else sprintf(
      "{ UNPROTECT(held); return DS_PENDING(%d); }",
      step$at - 1L
    ),
    `return` = emit_return(em, step)
  )
}

emit_repeat <- function(em, step) {
  loop <- function(body, looks = TRUE) {
    c("for (;;) {", indent(c(if (looks) sprintf("DS_TURN(%d);", step_cost(step)), loop_lines(em, body, "0"))), "}")
  }
  if (is.null(step$tests)) {
    held <- held_lines(em, step)
    return(if (length(held)) c("{", indent(c(held, loop(step$blocks$body))), "}") else loop(step$blocks$body))
  }
  id <- fresh(em)
  root <- em$root
  em$root <- list(id = id)
  tests <- unique(vapply(step$tests, function(test) test_text(em, test), ""))
  lines <- c(
    scan_locals(step, id), sprintf("if (%s) {", paste(tests, collapse = " && ")),
    indent(c(
      if (!is.null(step$turns)) {
        sprintf("DS_TURNS_AHEAD(ds_or_none(%s), %d);", index_text(em, step$turns), step_cost(step))
      },
      held_lines(em, step), loop(step$blocks$body, is.null(step$turns))
    )), "} else {", indent(c(scan_anew(em, step), loop(step$blocks$careful))), "}"
  )
  em$root <- root
  c("{", indent(lines), "}")
}

each_small <- function(em, node) {
  each_text(sprintf("(void) DS_SMALL(%s[k_]);", em$names[[node$name]]), paste0(em$names[[node$name]], "_n"))
}

label_text <- function(label) gsub("[^A-Za-z0-9_]", "_", label)

tag_test <- function(name, tags) paste(sprintf("%s == %s", name, vapply(tags, tag_text, "")), collapse = " || ")

emit_if <- function(em, step) {
  yes <- emit_branch(em, step$blocks$yes)
  no <- emit_branch(em, step$blocks$no)
  test <- c_condition(em, step$args[[1]])
  if (length(yes) == 0 && length(no) == 0) return(if (never_stops(
    em,
    step$args[[1]]
  )) NULL else sprintf("(void) (%s);", test))
  if (length(yes) == 0) {
    # a name is found once: see follow_places()
    found <- any(startsWith(names_read(step$args[[1]]), place_symbol("")))
    return(c(sprintf(if (found) "if (DS_RARE(!(%s))) {" else "if (!(%s)) {", test), indent(no), "}"))
  }
  c(sprintf("if (%s) {", test), indent(yes), if (length(no)) c("} else {", indent(no)), "}")
}

# Lines are told anew after each branch.
emit_branch <- function(em, steps) {
  line <- em$line
  made <- emit_steps(em, steps)
  if (!identical(em$line, line)) em$line <- 0
  made
}

emit_scope <- function(em, step) {
  label <- label_text(step$label)
  body <- emit_steps(em, step$blocks$body)
  c("{", indent(c(sprintf("__label__ end_%s;", label), body, sprintf("end_%s: ;", label))), "}")
}

# What a turn of these steps costs, in rough units: how often to look for interrupts.
step_cost <- function(step) {
  cost <- 1
  look <- function(node) {
    cost <<- cost + switch(node$op,
      math = if (length(node$flags)) 60 else 4,
      call = 10,
      draw = 10,
      ask = 3000,
      0
    )
    lapply(node$args, look)
  }
  each_step(step$blocks$body, function(step) lapply(step$args, look))
  as.integer(min(cost, 20000))
}

fresh <- function(em) {
  em$count <- em$count + 1
  paste0(em$count, "_") # no variable of the user ends so
}

emit_return <- function(em, step) {
  if (!em$main) {
    return(sprintf(
      "{ const %s result_ = %s; %sreturn result_; }", mode_field(em$form$mode, "c"),
      c_value(em, as_mode(step$args[[1]], em$form$mode)),
      if (em$form$noted) "@noted" else "@needed"
    ))
  }
  made <- emit_object(em, step$shape, step$args)
  random <- if (draws_itself(em$form)) "PutRNGstate();"
  seen <- step$visible || isTRUE(em$form$recursive)
  give <- if (seen) "return result;" else "return (SEXP) ((uintptr_t) result | 2); // not to be shown"
  c("{", indent(c(
    made$steps, sprintf("SEXP result = PROTECT(%s);", made$text),
    flags_mark(made$count + 1L), random,
    sprintf("UNPROTECT(held + %d);", made$count + 1L), give
  )), "}")
}

# list(steps, text, count): C of a fresh object, after steps that protect `count` others.
emit_object <- function(em, shape, args) {
  if (shape$kind == "null") return(list(text = "R_NilValue", count = 0L))
  if (shape$kind == "sequence") {
    return(list(text = sequence_text(em, shape$name), count = 0L))
  }
  if (shape$kind == "list") return(emit_list(em, shape, args))
  node <- args[[1]]
  tag <- if (!is.null(shape$tag)) em$names[[shape$tag]]
  text <- if (node$rank == 0) {
    single <- sprintf("%s(%s)", mode_field(node$mode, "single"), c_value(em, node))
    if (is.null(tag)) single else sprintf("ds_single_as(%s, %s)", tag, c_value(em, as_mode(node, "double")))
  } else {
    whole <- whole_object(em, node$name)
    if (is.null(tag)) outgoing(em, whole, node$mode) else sprintf("ds_as(%s, %s)", tag, whole)
  }
  if (!is.null(shape$names)) text <- with_names(text, shape$names)
  list(text = text, count = 0L)
}

with_names <- function(text, names) {
  texts <- paste(c_string(enc2utf8(names)), collapse = ", ")
  sprintf("ds_named(%s, %d, (const char *[]) {%s})", text, length(names), texts)
}

emit_list <- function(em, shape, args) {
  name <- paste0("list", fresh(em))
  ends <- cumsum(shape$counts)
  steps <- sprintf("SEXP %s = PROTECT(Rf_allocVector(VECSXP, %d));", name, length(shape$parts))
  count <- 1L
  for (i in seq_along(shape$parts)) {
    made <- emit_object(em, shape$parts[[i]], args[seq_len(shape$counts[[i]]) + ends[[i]] - shape$counts[[i]]])
    steps <- c(steps, made$steps, sprintf("SET_VECTOR_ELT(%s, %d, %s);", name, i - 1L, made$text))
    count <- count + made$count
  }
  text <- if (any(nzchar(shape$labels))) with_names(name, shape$labels) else name
  list(steps = steps, text = text, count = count)
}

# The object of an array, as long as the variable is, with its extents.
whole_object <- function(em, id) {
  name <- em$names[[id]]
  rank <- em$form$vars[[id]]$rank
  if (id %in% em$form$constant) return(paste0(name, "_s"))
  object <- mode_field(em$form$vars[[id]]$modes, "object")
  if (rank < 2) return(sprintf("ds_fit(%1$s_s, %1$s_n, %2$s)", name, object))
  sprintf("ds_shaped(%s_s, %d, (const R_xlen_t []) {%s})", name, rank, paste0(name, "_d", seq_len(rank),
    collapse = ", "
  ))
}
