# The form between R and C: its tables, and how a dozen kernels look in it and in C.
form_kernels <- list(
  recurrence = list(route_filled, double(3), 0.5),
  wettest = list(function(rain, floor) {
    best <- NA
    for (hour in seq_along(rain)) if (rain[hour] > floor) best <- hour
    best
  }, double(3), 0.5),
  expression = list(function(a, b) (a * b + 1) / (a - b), double(3), double(3)),
  reduction = list(function(x, w) sum(x * w) / sum(w), double(3), double(3)),
  growing = list(function(level) {
    out <- NULL
    for (l in level) if (l > 0) out <- c(out, l)
    out
  }, double(3)),
  matrix = list(function(m) {
    for (j in seq_len(ncol(m))) for (i in 2:nrow(m)) m[i, j] <- m[i, j] + m[i - 1, j]
    m
  }, matrix(0, 2, 2)),
  counting = list(function(n) {
    steps <- 0L
    while (n != 1) {
      n <- if (n %% 2 == 0) n / 2 else 3 * n + 1
      steps <- steps + 1L
    }
    steps
  }, 3),
  drawing = list(function(n) {
    total <- 0
    for (i in seq_len(n)) total <- total + max(0, rnorm(1))
    list(mean = total / n)
  }, 3),
  subsets = list(function(x, at) {
    x[x < 0] <- 0
    x[at] + x[-1][1]
  }, double(3), c(1, 2)),
  integers = list(function(v) {
    s <- 0L
    for (i in seq_along(v)) s <- s + min(v[i], 3L)
    s
  }, 1:3)
)

form_of_kernel <- function(name) {
  given <- form_kernels[[name]]
  f <- eval(parse(text = deparse(given[[1]]), keep.source = TRUE))
  kernel <- internal("read_kernel")(f)
  kernel$file <- "kernel.R"
  form <- internal("lower_kernel")(kernel, stats::setNames(
    lapply(given[-1], internal("type_of_value")),
    names(kernel$formals)
  ))
  form$source <- kernel$text
  internal("validate_form")(form)
}

test_that("forms and their C are as they were", {
  for (name in names(form_kernels)) {
    form <- form_of_kernel(name)
    expect_snapshot(cat(internal("print_form")(internal("annotate_form")(form)), sep = "\n"), variant = NULL)
    expect_snapshot(cat(internal("emit_form")(form)$text))
  }
})

test_that("a form is data: what passes leave is valid, it can be saved, and the same code gives the same form", {
  for (name in names(form_kernels)) {
    form <- form_of_kernel(name)
    expect_silent(internal("validate_form")(internal("annotate_form")(form)))
    again <- unserialize(serialize(form[c("name", "arguments", "vars", "steps", "callees")], NULL))
    expect_identical(internal("hash_form")(again), internal("hash_form")(form_of_kernel(name)))
    expect_false(any(rapply(form$steps, is.function, how = "unlist")))
  }
})

test_that("constructors and the validator refuse what the tables do not have", {
  value_node <- internal("value_node")
  one <- internal("const_node")(1)
  expect_error(value_node("turn", "double", 0, list(one)), "no op")
  expect_error(value_node("add", "double", 0, list(one)), "takes 2 operands")
  form <- form_of_kernel("expression")
  form$steps[[1]]$args[[1]] <- value_node("add", "double", 0, list(one, internal("const_node")(1L)))
  expect_error(internal("validate_form")(form), "does not take integer")
  form$steps[[1]]$args[[1]] <- value_node("var", "double", 0, name = "nobody:d0")
  expect_error(internal("validate_form")(form), "no variable")
})

test_that("no local of a macro hides a function that its arguments may call", {
  header <- readLines(system.file("include", "deepstride", "kernel.h", package = "deepstride"))
  text <- paste(sub("[\\\\]$", "", header), collapse = "\n")
  locals <- unlist(regmatches(text, gregexpr("\\bds_[a-z0-9]+(?= =[^=])", text, perl = TRUE)))
  called <- unlist(regmatches(text, gregexpr("\\bds_[a-z0-9_]+(?=\\()", text, perl = TRUE)))
  expect_gt(length(locals), 20)
  expect_identical(intersect(locals, called), character())
})

test_that("variables may be called like anything that the C of a kernel speaks of", {
  headers <- list.files(system.file("include", "deepstride", package = "deepstride"), full.names = TRUE)
  text <- gsub("\\\\\n", " ", paste(unlist(lapply(headers, readLines)), collapse = "\n"))
  macros <- unlist(regmatches(text, gregexpr("(?m)^#define .*$", text, perl = TRUE)))
  words <- unique(unlist(regmatches(macros, gregexpr("\\b[a-z][A-Za-z0-9_]+\\b", macros))))
  words <- c(words, "GetRNGstate", "total_part", "x_n", "x_s", "places1", "taken1_i", "double")
  words <- Filter(function(word) make.names(word) == word && !exists(word, baseenv()), words)
  expect_gt(length(words), 60)
  from <- c("a", utils::head(words, -1))
  set <- Map(function(word, from) bquote(.(as.name(word)) <- .(as.name(from)) * 1.5), words, from)
  body <- c(as.name("{"), unname(set), quote(total <- runif(1)), quote(for (i in seq_along(x)) {
    highest <- max(total, x[i])
    if (x[i] > 2) total <- total + highest
    whole[i] <- whole[i] + 1L
  }), lapply(words, function(word) bquote(total <- total + .(as.name(word)))), quote(list(total, whole)))
  f <- as.function(c(stats::setNames(rep(list(rlang::missing_arg()), 3), c("a", "x", "whole")), as.call(body)))
  fast <- ds_compile(f, whole = TRUE)
  set.seed(1)
  expected <- f(1e-20, c(1, 2, 3), 1:3)
  set.seed(1)
  expect_identical(fast(1e-20, c(1, 2, 3), 1:3), expected)
})

test_that("nothing that the C of a kernel names beside its variables can be a variable", {
  taken <- internal("is_taken_in_c")
  endings <- c("", "_lost", "_part", "_from", internal("array_endings"))
  spoken <- "include|define|deepstride|kernel|text|order|h|undef|always_inline|unused|jmp_buf|_setjmp"
  several <- function(x, k) {
    x[k] <- x[k] * 2 + c(x, 1)[k]
    x
  }
  programs <- c(list(list(several, list(c(1, 2, 3), c(1, 2)))), lapply(1:12, function(seed) {
    list(eval(parse(text = random_program(seed)), program_scope), random_arguments(seed, 1))
  }))
  for (one in programs) {
    kernel <- internal("read_kernel")(one[[1]])
    types <- stats::setNames(lapply(one[[2]], internal("type_of_value")), names(kernel$formals))
    form <- tryCatch(internal("lower_kernel")(kernel, types), ds_error_unsupported = function(e) NULL)
    if (is.null(form)) next
    own <- unlist(lapply(c(list(form), form$callees), function(part) internal("c_names")(part)))
    text <- gsub("//.*", "", strsplit(internal("emit_form")(form)$text, "\n")[[1]])
    text <- gsub("\"[^\"]*\"", "", text)
    words <- unlist(regmatches(text, gregexpr("(?<![A-Za-z0-9_.])[A-Za-z_][A-Za-z0-9_]*", text, perl = TRUE)))
    words <- setdiff(words, unlist(lapply(own, paste0, endings)))
    free <- Filter(function(word) !taken(word) && !grepl(paste0("^(", spoken, ")$"), word), words)
    expect_identical(free, character(), label = deparse1(one[[1]]))
  }
})
