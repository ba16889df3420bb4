# The form's values as C++ in Rcpp's words: plain code for those who go on by hand. Single numbers are C++'s own; of
# vectors whole expressions are left to Rcpp, which works them out element by element.

cpp_type <- function(cx, type) {
  known <- identical(type$kind %||% "number", "number") && all(type$modes %in% names(cpp_kinds)) && type$rank < 3
  if (!known) refuse_cpp(cx, "lists, text, complex numbers, and arrays of more than two extents")
  switch(as.character(type$rank),
    "0" = c(double = "double", integer = "int", logical = "bool")[[type$modes]],
    "1" = paste0(cpp_kinds[[type$modes]], "Vector"),
    "2" = paste0(cpp_kinds[[type$modes]], "Matrix")
  )
}

cpp_kinds <- c(double = "Numeric", integer = "Integer", logical = "Logical")

cpp_table <- c(
  list(
    add = c_row("@1 + @2", 12), sub = c_row("@1 - @2", 12), mul = c_row("@1 * @2", 13), div = c_row("@1 / @2", 13),
    neg = c_row("-@1", 14), square = c_row("@1 * @1", 13), add_i = c_row("@1 + @2", 12), sub_i = c_row("@1 - @2", 12),
    mul_i = c_row("@1 * @2", 13), neg_i = c_row("-@1", 14), not = c_row("!@1", 14), and = c_row("@1 && @2", 5),
    or = c_row("@1 || @2", 4), xor = c_row("@1 != @2", 9), is_true = c_row("@1", 20), is_false = c_row("!@1", 14),
    and_then = c_row("@1 && @2", 5), or_else = c_row("@1 || @2", 4), integer_to_logical = c_row("@1 != 0", 9),
    double_to_logical = c_row("@1 != 0", 9), choose = c_row("@1 ? @2 : @3", 2), bit_and = c_row("@1 & @2", 8),
    bit_or = c_row("@1 | @2", 6), bit_xor = c_row("@1 ^ @2", 7)
  ),
  sapply(names(compared), compared_row, simplify = FALSE),
  c_calls(c(
    integer_to_double = "double", logical_to_integer = "int", double_to_integer = "int", whole = "int",
    abs_i = "std::abs", is_nan = "R_IsNaN", sign = "sign"
  ), 1),
  c_calls(c(pow = "R_pow", mod = "modulo", mod_i = "modulo", idiv = "quotient", idiv_i = "quotient"), 2)
)

cpp_by_mode <- list(
  double = c(
    c_calls(c(is_na = "ISNAN", is_finite = "R_FINITE"), 1),
    c_calls(c(min = "R::fmin2", max = "R::fmax2", pmin = "R::fmin2", pmax = "R::fmax2"), 2),
    c_calls(c(abs = "std::fabs", floor = "std::floor", ceiling = "std::ceil", trunc = "std::trunc"), 1)
  ),
  integer = c(
    c_calls(c(min = "std::min", max = "std::max", pmin = "std::min", pmax = "std::max"), 2),
    list(is_na = c_row("@1 == NA_INTEGER", 9), is_finite = c_row("@1 != NA_INTEGER", 9))
  ),
  logical = list(is_na = c_row("false"))
)

# What Rcpp has for whole vectors.
cpp_of_vectors <- c(
  cpp_table[c("add", "sub", "mul", "div", "neg", "square", "add_i", "sub_i", "mul_i", "neg_i", names(compared))],
  list(not = c_row("!@1", 14), and = c_row("@1 & @2", 8), or = c_row("@1 | @2", 6)),
  c_calls(c(
    abs = "abs", floor = "floor", ceiling = "ceiling", trunc = "trunc", integer_to_double = "as<NumericVector>",
    is_na = "is_na"
  ), 1),
  c_calls(c(pmin = "pmin", pmax = "pmax", pow = "pow"), 2), c_calls(c(ifelse = "ifelse"), 3)
)

cpp_functions <- c(
  "sqrt", "exp", "log", "sin", "cos", "tan", "asin", "acos", "atan", "sinh", "cosh", "tanh", "log1p", "expm1", "log2",
  "log10", "atan2", "lgammafn", "gammafn"
)

# What variables can't be called.
cpp_words <- c(
  "and", "bool", "catch", "class", "compl", "delete", "explicit", "export", "false", "friend", "mutable", "namespace",
  "new", "not", "operator", "or", "private", "protected", "public", "template", "this", "throw", "true", "try",
  "typename", "using", "virtual", "xor", "std", "Rcpp", "stop", "clone", "as", "wrap", "traits", "pow", "ceiling",
  "ifelse", "is_na", "is_true", "List", "Named", "Range", "Function", "NumericVector", "IntegerVector",
  "LogicalVector", "NumericMatrix", "IntegerMatrix", "LogicalMatrix", "unif_rand"
)

# Short functions that the C++ is given where it speaks of them, as they stand in the file.
cpp_helpers <- list(
  place = c(
    "// A place from 1 as C++ counts it.", "inline int place(double at, double count) {",
    "  if (!(at >= 1 && at < count + 1)) stop(\"a place that a vector does not have\");", "  return int(at) - 1;", "}"
  ),
  count = c(
    "// A length that there can be.", "inline int count(double n) {",
    "  if (!(n >= 0 && n <= 2147483647)) stop(\"a length that there can't be\");", "  return int(n);", "}"
  ),
  total = c(
    "// R adds in extended precision.", "template <typename V> double total(const V& x) {",
    "  long double sum = 0;", "  for (double value : x) sum += value;", "  return double(sum);", "}"
  ),
  average = c(
    "// As R works a mean out: the sum, and what it lost.", "inline double average(const NumericVector& x) {",
    "  long double sum = 0, rest = 0;", "  for (double value : x) sum += value;", "  sum /= x.size();",
    "  for (double value : x) rest += value - sum;", "  return double(sum + rest / x.size());", "}"
  ),
  modulo = c(
    "// R's %%.", "inline double modulo(double a, double b) {", "  if (b == 0) return R_NaN;",
    "  const long double rest = (long double) a - std::floor(a / b) * (long double) b;",
    "  const double again = double(rest / b);", "  return double(rest - std::floor(again) * (long double) b);", "}",
    "inline int modulo(int a, int b) {", "  if (b == 0) return NA_INTEGER;", "  const int rest = a % b;",
    "  return rest != 0 && (rest < 0) != (b < 0) ? rest + b : rest;", "}"
  ),
  quotient = c(
    "// R's %/%.", "inline double quotient(double a, double b) {", "  const double q = a / b;",
    "  if (b == 0 || !R_FINITE(q)) return q;",
    "  const long double rest = (long double) a - std::floor(q) * (long double) b;",
    "  return std::floor(q) + std::floor(double(rest / b));", "}",
    "inline int quotient(int a, int b) {", "  return b == 0 ? NA_INTEGER : int(std::floor((double) a / b));", "}"
  ),
  sign = c("inline double sign(double x) { return ISNAN(x) ? x : (x > 0) - (x < 0); }"),
  span = c(
    "// Whole numbers from one to another, up or down.", "inline IntegerVector span(int from, int to) {",
    "  IntegerVector made(std::abs(to - from) + 1);",
    "  for (int k = 0; k < made.size(); ++k) made[k] = from <= to ? from + k : from - k;", "  return made;", "}"
  ),
  pick = c(
    "// Elements by their places.", "template <typename V, typename P> V pick(const V& x, const P& places) {",
    "  V made(places.size());",
    "  for (int k = 0; k < made.size(); ++k) made[k] = x[place(places[k], x.size())];", "  return made;", "}"
  ),
  squared = c(
    "// R multiplies, where pow() may round otherwise.", "template <typename V> V squared(const V& x) {",
    "  V made = clone(x);", "  for (double& value : made) value *= value;", "  return made;", "}"
  ),
  chosen = c(
    "// Elements in a range, or where a condition holds.",
    "template <typename V, typename P> V chosen(V x, const P& which) {", "  V made = x[which];", "  return made;", "}"
  ),
  without = c(
    "// All but one.", "template <typename V> V without(const V& x, double at) {",
    "  V made = clone(x);", "  if (at >= 1 && at < x.size() + 1) made.erase(int(at) - 1);", "  return made;", "}"
  ),
  put = c(
    "// Sets an element, where the vector may have to grow for it.",
    "template <typename V, typename T> void put(V& x, double at, T value) {",
    "  if (!(at >= 1 && at <= 2147483647)) stop(\"a place that a vector can't have\");",
    "  while (x.size() < int(at)) x.push_back(traits::get_na<V::r_type::value>());",
    "  x[int(at) - 1] = value;", "}"
  ),
  same_length = c(
    "// R would repeat the shorter one.",
    "template <typename A, typename B> void same_length(const A& a, const B& b) {",
    "  if (a.size() != b.size()) stop(\"two vectors of different lengths\");", "}"
  )
)

refuse_cpp <- function(cx, what) {
  line <- if (length(cx$line) && !is.na(cx$line)) sprintf(" (line %s)", cx$line) else ""
  abort_ds("unsupported", sprintf("There is no C++ for %s%s.", what, line),
    hint = "`language = \"c\"` exports all that runs native."
  )
}

cpp_text <- function(cx, node) cpp_value(cx, node)$text

# list(text, level), as of the emitter for C.
cpp_value <- function(cx, node) {
  cx$line <- cx$line %||% NA
  name <- if (!is.null(node$name)) cx$names[[node$name]]
  if (!node$mode %in% names(cpp_kinds)) refuse_cpp(cx, sprintf("values that are %s", node$mode))
  switch(node$op,
    const = cpp_constant(cx, node),
    var = c_text(name),
    size = c_text(sprintf("%s.size()", name)),
    extent = c_text(sprintf("%s.%s()", name, c("nrow", "ncol")[[node$which]])),
    single = c_text(sprintf("%s.at(0)", cpp_text(cx, node$args[[1]]))),
    element = cpp_element(cx, node, name),
    reduce = cpp_reduced(cx, node),
    call = c_text(sprintf("%s(%s)", cpp_routine(cx, node$routine), cpp_list(cx, node$args))),
    draw = c_text(sprintf("R::r%s(%s)", node$family, cpp_list(cx, node$args))),
    subset = c_text(sprintf("%s(%s)", cpp_type(cx, list(modes = node$mode, rank = 1)), cpp_chosen(cx, node, name))),
    concat = ,
    fill = ,
    range = ,
    along = c_text(cpp_vector(cx, node)),
    cpp_operation(cx, node)
  )
}

cpp_list <- function(cx, nodes) paste(vapply(nodes, function(node) cpp_text(cx, node), ""), collapse = ", ")

cpp_routine <- function(cx, routine) gsub("[^A-Za-z0-9_]", "_", routine)

cpp_constant <- function(cx, node) {
  value <- node$value
  if (is.logical(value)) {
    if (is.na(value)) refuse_cpp(cx, "a missing condition")
    return(c_text(if (value) "true" else "false"))
  }
  constant_text(node)
}

cpp_operation <- function(cx, node) {
  by_one <- node$op == "ifelse" && node$rank > 0 && node$args[[1]]$rank == 0
  if (by_one) refuse_cpp(cx, "a choice between vectors, by one condition")
  if (node$op == "ifelse" && node$args[[1]]$op %in% c("integer_to_double", "logical_to_integer")) {
    node$args[[1]] <- node$args[[1]]$args[[1]] # a condition, whatever the sides are
  }
  row <- if (node$rank > 0) cpp_of_vectors[[node$op]] else
    cpp_table[[node$op]] %||% cpp_by_mode[[node$args[[1]]$mode]][[node$op]]
  if (node$op == "pow" && node$rank > 0 && identical(node$args[[2]]$value, 2)) {
    row <- c_row(sprintf("squared<%s>(@1)", cpp_type(cx, list(modes = "double", rank = node$rank))))
  } else if (node$op == "pow" && node$rank > 1) {
    refuse_cpp(cx, "powers of a matrix other than squares")
  }
  if (node$op == "math" && node$fn %in% cpp_functions) {
    fn <- if (node$rank > 0 || endsWith(node$fn, "fn")) sub("^(l?gamma)fn", "R::\\1fn", node$fn) else
      paste0("std::", node$fn)
    row <- c_row(sprintf("%s(%s)", fn, paste0("@", seq_along(node$args), collapse = ", ")))
  }
  if (is.null(row)) refuse_cpp(cx, sprintf("`%s`", if (node$op == "math") node$fn else node$op))
  for (helper in intersect(names(cpp_helpers), sub("[<(].*", "", row$text))) cx$helpers <- union(cx$helpers, helper)
  if (node$rank > 0) check_lengths(cx, node)
  with_operands(row, lapply(node$args, function(arg) cpp_value(cx, arg)))
}

# Rcpp goes as far as the first one goes.
check_lengths <- function(cx, node) {
  wide <- unique(unlist(lapply(node$args, vectors_read)))
  if (length(wide) < 2) return()
  cx$helpers <- union(cx$helpers, "same_length")
  cx$checks <- union(cx$checks, sprintf("same_length(%s, %s);", cx$names[[wide[[1]]]], cx$names[wide[-1]]))
}

vectors_read <- function(node) {
  if (node$rank == 0) return(NULL)
  if (node$op == "var") node$name else unlist(lapply(node$args, vectors_read))
}

cpp_element <- function(cx, node, name) {
  extents <- cpp_extents(cx, node$name)
  if (length(extents) != length(node$args)) refuse_cpp(cx, "an element of a matrix by one place")
  at <- Map(function(arg, extent) cpp_place(cx, arg, extent, isTRUE(node$proved)), node$args, extents)
  brackets <- if (length(at) == 1) c("[", "]") else c("(", ")")
  c_text(paste0(name, brackets[[1]], paste(at, collapse = ", "), brackets[[2]]))
}

cpp_extents <- function(cx, id) {
  name <- cx$names[[id]]
  if (cx$form$vars[[id]]$rank == 1) paste0(name, ".size()") else paste0(name, c(".nrow()", ".ncol()"))
}

# A place as C++ counts it: looked at where no pass has proved that it is inside.
cpp_place <- function(cx, node, extent, proved) {
  if (node$mode == "logical") refuse_cpp(cx, "a place that is a condition")
  if (!proved) {
    cx$helpers <- union(cx$helpers, "place")
    return(sprintf("place(%s, %s)", if (node$op == "const") cpp_sum(cx, node, 0) else cpp_text(cx, node), extent))
  }
  cpp_sum(cx, node, -1)
}

# A whole number and a constant, with all constants in one.
cpp_sum <- function(cx, node, plus) {
  parts <- sum_parts(node, 1)
  number <- plus + sum(unlist(parts$constants))
  terms <- vapply(parts$terms, function(term) cpp_value(cx, term)$text, "")
  order <- order(-parts$signs)
  text <- ""
  for (at in order) {
    sign <- if (parts$signs[[at]] < 0) " - " else if (nzchar(text)) " + " else ""
    text <- paste0(text, if (nzchar(text)) sign else trimws(sign), terms[[at]])
  }
  if (!nzchar(text)) return(sprintf("%.0f", number))
  if (number != 0) text <- sprintf("%s %s %.0f", text, if (number < 0) "-" else "+", abs(number))
  doubles <- vapply(parts$terms, function(term) term$mode == "double", NA)
  if (any(doubles)) sprintf("int(%s)", text) else text
}

cpp_reduced <- function(cx, node) {
  of <- node$args[[1]]
  fn <- c(sum = "total", mean = "average", min = "min", max = "max", any = "any", all = "all")
  fn <- if (node$fn %in% names(fn) && !isTRUE(node$skip)) fn[[node$fn]] else refuse_cpp(cx, sprintf("`%s()`", node$fn))
  if (fn == "total" && of$mode != "double") fn <- "sum"
  if (fn %in% names(cpp_helpers)) cx$helpers <- union(cx$helpers, fn)
  text <- cpp_vector(cx, of)
  worked_out <- of$op != "var" && fn %in% names(cpp_helpers)
  if (worked_out) text <- sprintf("%s(%s)", cpp_type(cx, list(modes = of$mode, rank = 1)), text)
  made <- sprintf("%s(%s)", fn, text)
  c_text(if (fn %in% c("any", "all")) paste0("is_true(", made, ")") else made)
}

# Whole vectors and matrices.
cpp_vector <- function(cx, node) {
  name <- if (!is.null(node$name)) cx$names[[node$name]]
  switch(node$op,
    subset = cpp_chosen(cx, node, name),
    fill = cpp_fill(cx, node),
    concat = cpp_concat(cx, node),
    range = cpp_range(cx, node),
    along = cpp_along(cx, node),
    cpp_text(cx, node)
  )
}

cpp_along <- function(cx, node) {
  if (!node$fn %in% c("rev", "cumsum", "cumprod")) refuse_cpp(cx, sprintf("`%s()`", node$fn))
  sprintf("%s(%s)", node$fn, cpp_vector(cx, node$args[[1]]))
}

# A subset as a vector: what Rcpp has in its place is none to the functions of vectors.
cpp_chosen <- function(cx, node, name) {
  text <- cpp_subset(cx, node, name)
  if (length(node$args) > 1 || !startsWith(text, paste0(name, "["))) return(text)
  cx$helpers <- union(cx$helpers, "chosen")
  sprintf("chosen(%s, %s)", name, substr(text, nchar(name) + 2, nchar(text) - 1))
}

cpp_subset <- function(cx, node, name) {
  ops <- vapply(node$args, function(arg) arg$op, "")
  extents <- cpp_extents(cx, node$name)
  if (length(ops) != length(extents)) refuse_cpp(cx, "elements of a matrix by one place")
  if (identical(ops, "range")) return(sprintf("%s[%s]", name, cpp_span(cx, node$args[[1]], extents)))
  if (identical(ops, "where")) return(sprintf("%s[%s]", name, cpp_vector(cx, node$args[[1]]$args[[1]])))
  if (ops[[1]] %in% c("places", "leave_out") && length(ops) == 1 && node$args[[1]]$args[[1]]$op != "range") {
    fn <- if (ops == "places") "pick" else "without"
    cx$helpers <- union(cx$helpers, c("place", fn))
    return(sprintf("%s(%s, %s)", fn, name, cpp_vector(cx, node$args[[1]]$args[[1]])))
  }
  one <- which(ops == "one")
  line <- length(ops) == 2 && length(one) == 1 && "all" %in% ops && !node$keep
  if (!line) refuse_cpp(cx, "elements picked in this way")
  at <- cpp_place(cx, node$args[[one]]$args[[1]], extents[[one]], FALSE)
  sprintf(if (one == 1) "%s(%s, _)" else "%s(_, %s)", name, at)
}

cpp_span <- function(cx, range, extent) {
  ends <- lapply(range$args, function(end) cpp_place(cx, end, extent, FALSE))
  sprintf("Range(%s, %s)", ends[[1]], ends[[2]])
}

cpp_fill <- function(cx, node) {
  type <- cpp_type(cx, list(modes = node$mode, rank = node$rank))
  extents <- vapply(node$args[-1], function(arg) cpp_count(cx, arg), "")
  value <- node$args[[1]]
  if (value$rank > 0 || length(extents) != node$rank) refuse_cpp(cx, "a vector that is repeated")
  zero <- value$op == "const" && isTRUE(value$value == 0)
  if (node$rank == 2 && !zero) cx$filled <- cpp_text(cx, value)
  if (node$rank == 1 && !zero) extents <- c(extents, cpp_text(cx, value))
  sprintf("%s(%s)", type, paste(extents, collapse = ", "))
}

cpp_count <- function(cx, node) {
  if (node$op == "const" && holds_count(node)) return(sprintf("%.0f", node$value))
  if (holds_count(node, cx$counts)) return(cpp_sum(cx, node, 0))
  cx$helpers <- union(cx$helpers, "count")
  sprintf("count(%s)", cpp_text(cx, node))
}

cpp_concat <- function(cx, node) {
  if (length(node$args) == 0) return(sprintf("%s()", cpp_type(cx, list(modes = node$mode, rank = 1))))
  if (any(node_ranks(node$args) > 0) || length(node$args) > 20) refuse_cpp(cx, "vectors put together")
  sprintf("%s::create(%s)", cpp_type(cx, list(modes = node$mode, rank = 1)), cpp_list(cx, node$args))
}

cpp_range <- function(cx, node) {
  if (!node$colon && identical(node$args[[1]]$value, 1L)) return(sprintf("seq_len(%s)", cpp_count(cx, node$args[[2]])))
  cx$helpers <- union(cx$helpers, "span")
  sprintf("span(%s)", paste(vapply(node$args, function(end) cpp_end(cx, end), ""), collapse = ", "))
}
