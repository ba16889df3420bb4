# From the typed form to C: one function a kind of statement or expression, each
# giving C text. Expressions become C expressions; where they need steps of their
# own these stand inside GNU C's `({ ... })`, so that nothing is evaluated out of turn.

c_types <- c(double = "double", integer = "int", logical = "int")
object_types <- c(double = "REALSXP", integer = "INTSXP", logical = "LGLSXP")
data_readers <- c(double = "REAL", integer = "INTEGER", logical = "LOGICAL")

na_text <- function(mode) c(double = "NA_REAL", integer = "NA_INTEGER", logical = "NA_LOGICAL")[[mode]]

# C name of a variable.
c_name <- function(name) {
  if (length(name) == 0) return(character())
  plain <- gsub(" ", "_s", gsub("$", "_p", gsub(".", "_d", gsub("_", "__", name, fixed = TRUE), fixed = TRUE),
    fixed = TRUE
  ), fixed = TRUE)
  letters <- strsplit(plain, "")
  paste0("v_", vapply(letters, function(one) {
    odd <- !grepl("^[A-Za-z0-9_]$", one)
    one[odd] <- sprintf("_x%x_", vapply(one[odd], utf8ToInt, 0L))
    paste(one, collapse = "")
  }, ""))
}

lines_of <- function(...) paste(c(...), collapse = "\n")

# The whole C source of one specialisation.
emit_source <- function(lowered, helpers, argument_types, past_end = FALSE) {
  helpers <- Filter(function(helper) !is.null(helper$mode), helpers)
  deep <- recursive_routines(helpers)
  prototypes <- vapply(helpers, function(helper) paste0(helper_head(helper), ";"), "")
  lines_of(
    "#include <deepstride/kernel.h>", if (length(helpers)) give_up_text, prototypes,
    vapply(helpers, emit_helper, "", deep), unlist(Map(table_text, names(lowered$tables), lowered$tables)),
    emit_entry(lowered, argument_types, length(helpers) > 0, past_end)
  )
}

give_up_text <- c(
  "static jmp_buf give_up;", "static char *give_up_below;", "__attribute__((noinline, cold, noreturn))",
  "static void helper_gives_up(void) { R_CheckUserInterrupt(); longjmp(give_up, 1); }"
)

new_emitter <- function(lowered, main) {
  em <- new.env()
  em$vars <- lowered$vars
  em$stored <- lowered$stored
  em$random <- main && lowered$random
  em$main <- main
  em$count <- 0
  em$temps <- list()
  em$defined <- c(lowered$arguments, names(lowered$tables))
  em$fast <- NULL
  em$whole <- pass_whole(lowered)
  em
}

# A kernel with helpers is entered through a place that they can give up to.
emit_entry <- function(lowered, argument_types, helped, past_end) {
  em <- new_emitter(lowered, TRUE)
  em$past_end <- past_end
  em$growing <- growing_names(lowered$statements)
  loads <- vapply(seq_along(lowered$arguments), function(i) {
    emit_argument(em, lowered$arguments[[i]], argument_types[[i]], sprintf("a[%d]", i - 1))
  }, "")
  body <- emit_block(em, lowered$statements)
  declared <- declare_all(em)
  temps <- vapply(names(em$temps), function(name) declare_variable(name, em$temps[[name]]), "")
  arrays <- sum(vapply(c(em$vars, em$temps), function(type) type$rank > 0, NA))
  lines_of(
    sprintf("enum { held = %d };", arrays),
    if (helped) "static SEXP ds_body(SEXP *a) {" else "SEXP ds_kernel(SEXP *a) {",
    common_locals, declared, temps, loads,
    unlist(Map(load_table, names(lowered$tables), lowered$tables)),
    if (em$random) "GetRNGstate();", body,
    "ds_bail: __attribute__((unused));", "UNPROTECT(held);", "return NULL;",
    "ds_past_end: __attribute__((unused));", "UNPROTECT(held);", "return DS_PAST_END;", "}",
    if (helped) paste(
      "SEXP ds_kernel(SEXP *a) { give_up_below = ds_stack_end();",
      "if (_setjmp(give_up)) { UNPROTECT(held); return NULL; } return ds_body(a); }"
    )
  )
}

# `bad` is set where R would warn; `tick` counts down to the next look for interrupts.
common_locals <- "int bad_ = 0, *bad = &bad_; R_xlen_t tick = 0x10000; (void) bad; (void) tick;"

declare_all <- function(em) {
  vapply(names(em$vars), function(name) declare_variable(c_name(name), em$vars[[name]], name %in% em$whole), "")
}

declare_variable <- function(v, type, whole = FALSE) {
  mode <- if (type$mode %in% c("null", "na")) "logical" else type$mode
  if (type$rank == 0) return(sprintf(
    "%s %s = 0; int %s_set = 0; (void) %s; (void) %s_set;",
    if (whole) "R_xlen_t" else c_types[[mode]], v, v, v, v
  ))
  extents <- if (type$rank > 1) paste0(", ", v, "_d", seq_len(type$rank), " = 0", collapse = "")
  unused <- paste0("(void) ", v, c("_p", "_n", "_c", "_set", "_null"), ";", collapse = " ")
  sprintf(
    paste(
      "SEXP %1$s_s = R_NilValue; %2$s *%1$s_p = NULL; R_xlen_t %1$s_n = 0, %1$s_c = 0%3$s; int %1$s_set = 0,",
      "%1$s_null = 0; PROTECT_INDEX %1$s_i; PROTECT_WITH_INDEX(%1$s_s, &%1$s_i); %4$s"
    ),
    v, c_types[[mode]], extents %||% "", unused
  )
}

# Takes an argument into its variable: its own copy where elements are assigned.
emit_argument <- function(em, name, given, from) {
  v <- c_name(name)
  type <- em$vars[[name]]
  if (type$rank == 0) {
    read <- sprintf("%s(%s)[0]", data_readers[[given$mode]], from)
    return(sprintf("%s = %s; %s_set = 1;", v, convert(read, given$mode, type$mode), v))
  }
  object <- if (given$mode != type$mode) sprintf("Rf_coerceVector(%s, %s)", from, object_types[[type$mode]]) else
  if (name %in% em$stored) sprintf("Rf_duplicate(%s)", from) else from
  extents <- if (type$rank > 1) sprintf(
    "%s_d%d = INTEGER(Rf_getAttrib(%s, R_DimSymbol))[%d];", v, seq_len(type$rank),
    from,
    seq_len(type$rank) - 1
  )
  lines_of(sprintf("REPROTECT(%1$s_s = %2$s, %1$s_i); %3$s", v, object, take_object(v, type$mode)), extents)
}

# The locals of a variable, from its object.
take_object <- function(v, mode) {
  sprintf(
    "%1$s_p = %2$s(%1$s_s); %1$s_n = %1$s_c = XLENGTH(%1$s_s); %1$s_set = 1; %1$s_null = 0;", v,
    data_readers[[mode]]
  )
}

# C text of one mode as another.
convert <- function(code, from, to, sure = FALSE) {
  if (from == to) return(code)
  if (from == "na" || from == "null") return(na_text(to))
  if (to == "double") return(if (sure) sprintf("(double) (%s)", code) else sprintf("ds_i2d(%s)", code))
  if (to == "logical") return(sprintf(if (from == "double") "ds_d2l(%s)" else "ds_i2l(%s)", code))
  code # a logical is an int
}

emit_block <- function(em, statements) {
  lines_of(vapply(statements, function(statement) {
    paste0(
      sprintf("#line %d %s\n", statement$line, c_string(statement$file)),
      if (goes_deeper(em, statement)) "DS_DEEPER\n", emit_statement(em, statement)
    )
  }, ""))
}

goes_deeper <- function(em, s) {
  length(em$deep) > 0 && any(vapply(node_children(s), function(node) any(routines_in(node) %in% em$deep), NA))
}

emit_statement <- function(em, s) {
  switch(s$op,
    assign = emit_assign(em, s),
    store = emit_store(em, s),
    store_many = emit_store_many(em, s),
    "if" = emit_if(em, s),
    "for" = emit_for(em, s),
    scope = emit_scope(em, s),
    leave = sprintf("goto end_%s;", c_name(s$label)),
    "while" = emit_while(em, s),
    "break" = "break;",
    "next" = "continue;",
    bail = "goto ds_bail;",
    evaluate = if (s$value$op %in% c("null", "giveup")) "goto ds_bail;" else if (s$value$op == "list") "" else
    if (s$value$rank == 0) sprintf("(void) (%s);", emit(em, s$value)) else emit_array(em, s$value)$pre,
    "return" = emit_return(em, s)
  )
}

emit_if <- function(em, s) {
  cond <- emit_condition(em, s$cond)
  before <- em$defined
  yes <- emit_block(em, s$yes)
  after_yes <- em$defined
  em$defined <- before
  no <- emit_block(em, s$no)
  em$defined <- if (leaves(s$yes)) em$defined else if (leaves(s$no)) after_yes else intersect(after_yes, em$defined)
  lines_of(sprintf("if (%s) {", cond), yes, "} else {", no, "}")
}

# Does a block never reach its end?
leaves <- function(statements) {
  length(statements) > 0 && statements[[length(statements)]]$op %in% c("return", "bail", "leave", "break", "next")
}

# A function written into its caller: its returns go to the end of the block.
emit_scope <- function(em, s) {
  before <- em$defined
  locals <- unlist(lapply(s$locals, variables_of, em = em))
  em$defined <- setdiff(em$defined, locals)
  label <- paste0("end_", c_name(s$label))
  body <- emit_block(em, s$body)
  em$defined <- union(before, variables_of(s$result, em))
  lines_of(sprintf("{ __label__ %s;", label), sprintf("%s_set = 0;", c_name(locals)), body, sprintf("%s: ; }", label))
}

# The variables behind a name: itself, or the parts of a list.
variables_of <- function(name, em) {
  Filter(function(known) known == name || startsWith(known, paste0(name, "$")), names(em$vars))
}

# A C condition; where R would stop at NA the kernel gives up.
emit_condition <- function(em, cond) {
  if (cond$op == "lazy") {
    sides <- vapply(cond$args, emit_condition, "", em = em)
    return(sprintf("(%s %s %s)", sides[[1]], if (cond$stop_at == 0) "&&" else "||", sides[[2]]))
  }
  if (cond$op == "map" && identical(cond$fn, "!") && cond$rank == 0) {
    return(sprintf("(!%s)", emit_condition(em, cond$args[[1]])))
  }
  if (cond$op == "map" && !is.null(cond$compares) && cond$rank == 0) {
    whole <- lapply(cond$args, function(arg) if (arg$op != "map" || arg$mode == "double") emit_whole(em, arg))
    if (!any(vapply(whole, is.null, NA))) return(sprintf("(%s %s %s)", whole[[1]], cond$compares, whole[[2]]))
    mixed <- emit_mixed_comparison(em, cond, whole)
    if (!is.null(mixed)) return(mixed)
    values <- lapply(cond$args, function(arg) value_as(em, arg, cond$from))
    return(emit_comparison(cond, values, vapply(cond$args, is_sure, NA)))
  }
  sprintf("({ int c_ = %s; if (DS_RARE(c_ == NA_LOGICAL)) goto ds_bail; c_; })", emit(em, cond))
}

# A counter beside an integer that may be NA.
emit_mixed_comparison <- function(em, cond, whole) {
  other <- which(vapply(whole, is.null, NA))
  if (length(other) != 1 || cond$args[[other]]$mode != "integer") return(NULL)
  sides <- whole
  sides[[other]] <- "i_"
  sprintf(
    "({ const int i_ = %s; if (DS_RARE(i_ == NA_INTEGER)) goto ds_bail; %s %s %s; })",
    emit(em, cond$args[[other]]), sides[[1]], cond$compares, sides[[2]]
  )
}

# Numbers that compare as asked are not missing, so doubles are looked at only where they don't.
emit_comparison <- function(cond, values, sure) {
  op <- cond$compares
  held <- sprintf("const %s l_ = %s, r_ = %s;", c_types[[cond$from]], values[[1]], values[[2]])
  if (cond$from != "double") {
    missing <- paste(sprintf("%s == NA_INTEGER", c("l_", "r_")[!sure]), collapse = " || ")
    check <- if (nzchar(missing)) sprintf("if (DS_RARE(%s)) goto ds_bail;", missing) else ""
    return(sprintf("({ %s %s l_ %s r_; })", held, check, op))
  }
  opposite <- c("<" = "!(l_ >= r_)", "<=" = "!(l_ > r_)", ">" = "!(l_ <= r_)", ">=" = "!(l_ < r_)")
  missing <- if (op %in% names(opposite)) opposite[[op]] else "__builtin_isunordered(l_, r_)"
  sprintf(
    "({ %s %s(l_ %s r_ || ({ if (DS_RARE(%s)) goto ds_bail; 0; })); })", held, if (op == "!=") "!" else "",
    if (op == "!=") "==" else op, missing
  )
}

interrupt_check <- function(em) {
  sprintf("if (DS_RARE(--tick <= 0)) { tick = 0x10000; R_CheckUserInterrupt(); %s }", counters_check(em))
}

# Counters that grow by small steps are looked at now and then: see emit_count().
counters_check <- function(em) {
  paste(sprintf("if (DS_RARE(DS_FAR(%s))) goto ds_bail;", c_name(em$whole)), collapse = " ")
}

emit_return <- function(em, s) {
  if (!em$main) {
    return(sprintf(
      "{ const %s r_ = %s; if (DS_RARE(bad_)) goto ds_bail; return r_; }",
      c_types[[if (em$returns == "na") "logical" else em$returns]],
      value_as(em, s$value, em$returns)
    ))
  }
  lines_of(
    "{", sprintf("SEXP r_ = PROTECT(%s);", emit_object(em, s$value)),
    "if (DS_RARE(*bad)) { UNPROTECT(1); goto ds_bail; }",
    if (em$random) "PutRNGstate();", "UNPROTECT(held + 1); return r_;", "}"
  )
}

# An expression whose value is an R object, unprotected.
emit_object <- function(em, node) {
  if (node$op == "null") return("R_NilValue")
  if (node$op == "giveup") return("({ goto ds_bail; R_NilValue; })")
  if (node$op == "list") return(emit_list(em, node))
  if (node$rank == 0) {
    maker <- c(
      double = "Rf_ScalarReal", integer = "Rf_ScalarInteger", logical = "Rf_ScalarLogical",
      na = "Rf_ScalarLogical"
    )
    return(sprintf("%s(%s)", maker[[node$mode]], if (node$mode == "na") "NA_LOGICAL" else emit(em, node)))
  }
  array <- emit_array(em, node)
  v <- array$name
  object <- sprintf("({ %s %s_null ? R_NilValue : %s; })", array$pre, v, whole_object(v, node$rank))
  if (is.null(node$names)) object else with_names(object, node$names)
}

# Gives the unprotected object of C text `object` its names.
with_names <- function(object, names) {
  sets <- sprintf("SET_STRING_ELT(n_, %d, Rf_mkCharCE(%s, CE_UTF8));", seq_along(names) - 1, c_string(enc2utf8(names)))
  paste(c(
    sprintf("({ SEXP l_ = PROTECT(%s); SEXP n_ = PROTECT(Rf_allocVector(STRSXP, %d));", object, length(names)),
    sets, "Rf_setAttrib(l_, R_NamesSymbol, n_); UNPROTECT(2); l_; })"
  ), collapse = " ")
}

# The object of an array variable, cut to its length, with its extents.
whole_object <- function(v, rank) {
  if (rank < 2) return(sprintf("ds_fit(%1$s_s, %1$s_n)", v))
  sprintf(
    paste(
      "({ if (Rf_getAttrib(%1$s_s, R_DimSymbol) == R_NilValue) {",
      "SEXP d_ = PROTECT(Rf_allocVector(INTSXP, %2$d)); %3$s",
      "Rf_setAttrib(%1$s_s, R_DimSymbol, d_); UNPROTECT(1); } %1$s_s; })"
    ),
    v, rank, paste(sprintf("INTEGER(d_)[%d] = (int) %s_d%d;", seq_len(rank) - 1, v, seq_len(rank)),
      collapse = " "
    )
  )
}

# A list is held by a variable of its own, since making its parts may give up.
emit_list <- function(em, node) {
  count <- length(node$parts)
  v <- new_temp(em, "logical", 1)
  parts <- vapply(node$parts, function(part) emit_object(em, part), "")
  sets <- sprintf("SET_VECTOR_ELT(%s_s, %d, %s);", v, seq_len(count) - 1, parts)
  make <- sprintf("REPROTECT(%1$s_s = Rf_allocVector(VECSXP, %2$d), %1$s_i);", v, count)
  list <- paste(c("({", make, sets, sprintf("%s_s; })", v)), collapse = " ")
  if (any(nzchar(node$names))) with_names(list, node$names) else list
}

c_string <- function(text) paste0("\"", gsub("([\\\\\"])", "\\\\\\1", text), "\"")

# A fresh number for names inside the C text.
fresh <- function(em) {
  em$count <- em$count + 1
  em$count
}

new_temp <- function(em, mode, rank) {
  name <- paste0("t", fresh(em))
  em$temps[[name]] <- new_type(mode, rank)
  name
}

# Helpers: single numbers in and out.
helper_head <- function(helper) {
  arguments <- sprintf(
    "%s %s", c_types[vapply(helper$types, function(type) type$mode, "")],
    paste0("a", seq_along(helper$types))
  )
  sprintf(
    "static %s %s(%s)", c_types[[if (helper$mode == "na") "logical" else helper$mode]], helper$routine,
    if (length(arguments)) paste(arguments, collapse = ", ") else "void"
  )
}

# Before one calls itself it looks after the stack, and for interrupts; calls that end the recursion are spared that.
emit_helper <- function(helper, deep) {
  em <- new_emitter(helper$lowered, FALSE)
  em$deep <- deep
  em$returns <- helper$mode
  names <- helper$lowered$arguments
  loads <- sprintf("%s = %s; %s_set = 1;", c_name(names), vapply(seq_along(names), function(i) {
    convert(paste0("a", i), helper$types[[i]]$mode, em$vars[[names[[i]]]]$mode)
  }, ""), c_name(names))
  body <- emit_block(em, helper$lowered$statements)
  lines_of(
    paste(helper_head(helper), "{"), common_locals, declare_all(em), loads, body,
    "ds_bail: __attribute__((unused));", "helper_gives_up();", "}"
  )
}
