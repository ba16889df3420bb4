# What became of each line of a kernel: from the form, the C compiler's own report and the binary.

# A tibble, a row for each of the user's lines: see ds_inspect().
kernel_lines <- function(state) {
  known <- known_of_lines(state)
  numbers <- as.integer(names(state$kernel$text))
  loops <- lapply(numbers, function(line) Filter(function(loop) loop$line == line, known$fx$loops))
  notes <- lapply(numbers, function(line) c(line_notes(line, known$forms), shared_note(line, known)))
  known$whole_lines <- numbers[vapply(notes, function(own) any(grepl("in one pass", own)), NA)]
  became <- Map(became_of, numbers, loops, MoreArgs = list(known = known))
  field <- function(name, type) vapply(became, function(one) one[[name]], type)
  count <- function(kind) {
    vapply(numbers, function(line) sum(known$arithmetic$line == line & known$arithmetic$kind == kind, na.rm = TRUE), 0L)
  }
  table <- tibble::tibble(
    line = numbers, source = unlist(state$kernel$text, use.names = FALSE), loop = lengths(loops) > 0,
    became = field("became", ""), bytes = field("bytes", 0), why = field("why", ""),
    notes = vapply(notes, paste, "", collapse = "; "), packed = count("packed"), scalar = count("scalar")
  )
  structure(list(table = table, build = state$build), class = "ds_lines")
}

# What the compiler, the binary, the forms and the code tell of all that was built.
known_of_lines <- function(state) {
  built <- all_builds(state)
  reports <- lapply(built, compiler_report, build = state$build)
  instructions <- do.call(rbind, lapply(reports, function(report) report$instructions))
  forms <- lapply(built, function(one) annotate_form(one$form))
  list(
    arithmetic = list(line = instructions$line, kind = arithmetic_kind(instructions$instruction)),
    remarks = do.call(rbind, lapply(reports, function(report) report$remarks)), parts = parts_table(state),
    threads = state$build$threads, shared = shared_lines(built), fx = read_loops(state$original), forms = forms,
    relaxed = state$build$numerics, whole = whole_variables(forms)
  )
}

# list(became, bytes, why) of the loops that begin in a line, or of whole-vector code there. Where a sum is added up in
# order, only what is added is worked out in vectors. What the compiler calls vectorised may be a version for rare
# values alone: the binary tells.
became_of <- function(line, loops, known) {
  here <- known$remarks[which(known$remarks$line == line), ]
  span <- known$arithmetic$line %in% line:max(line, vapply(loops, function(loop) loop$to, 0))
  only_scalar <- any(known$arithmetic$kind[span] == "scalar") && !any(known$arithmetic$kind[span] == "packed")
  is_vector <- any(here$became == "vector") && !only_scalar
  given <- function(became, why = "") {
    list(became = became, bytes = if (became == "vector") max(here$bytes, na.rm = TRUE) else NA_real_, why = why)
  }
  if (length(loops) == 0) {
    if (!is_vector && !line %in% known$whole_lines) return(given(""))
    return(if (is_vector) given("vector") else given("scalar", c_reason(here)))
  }
  left <- known$parts[known$parts$from <= line & known$parts$to >= line & known$parts$runs == "R", ]
  if (nrow(left)) return(given("R", left$reason[[1]]))
  reasons <- order_reasons(known$fx, loops[[length(loops)]], known$relaxed, known$whole)
  if (is_vector && !any(grepl("summed in R's order", reasons, fixed = TRUE))) return(given("vector"))
  if (length(reasons) == 0) reasons <- c_reason(here)
  unrolled <- any(here$became == "unrolled")
  given(if (unrolled) "unrolled" else "scalar", paste(utils::head(reasons, 2), collapse = "; "))
}

# Variables that hold integers wherever they hold anything.
whole_variables <- function(forms) {
  modes <- unlist(lapply(unname(forms), function(form) {
    own <- Filter(function(var) length(var$modes) == 1, form$vars)
    stats::setNames(vapply(own, function(var) var$modes, ""), sub(":.*", "", names(own)))
  }))
  setdiff(names(modes)[modes == "integer"], names(modes)[modes != "integer"])
}

# What the C compiler gives as its reason, where the code gives none.
c_reason <- function(remarks) {
  said <- grep("not vectorized: ", remarks$text, value = TRUE, fixed = TRUE)
  said <- unique(sub(".*not vectorized: ", "", said))
  said <- c(setdiff(said, "control flow in loop."), intersect(said, "control flow in loop."))
  if (length(said) == 0) return("the C compiler does not say why")
  sprintf("the C compiler says: %s", sub("\\.$", "", said[[1]]))
}

# Checks that were lifted, copies and passes that were saved, of the steps of a line.
line_notes <- function(line, forms) {
  unique(unlist(lapply(forms, function(form) {
    notes <- character()
    each_step(form$steps, function(step) {
      if (!identical(as.integer(step$line), line)) return()
      if (step$op %in% c("for", "repeat") && length(step$tests)) {
        notes <<- c(notes, "its places are proved before it starts: no test in a turn")
      }
      if (!is.null(step$turned)) notes <<- c(notes, turned_words(step$turned))
      passes <- if (step$op == "assign") whole_operations(step$args[[1]]) else 0
      if (passes > 1) notes <<- c(notes, sprintf("%d operations in one pass, no vector in between", passes))
    })
    if (line == min(as.integer(names(form$source)))) notes <- c(notes, copy_notes(form))
    notes
  })))
}

# "its loops run in the order j, k, i, in blocks of 64 k and 256 i"
turned_words <- function(turned) {
  names <- sub(":.*", "", names(turned$loops))
  blocked <- !is.na(turned$sizes)
  paste0(
    "its loops run in the order ", paste(names, collapse = " "),
    if (any(blocked)) paste(" in blocks of", paste(turned$sizes[blocked], names[blocked], collapse = " and "))
  )
}

# Element-wise operations on whole vectors in a value.
whole_operations <- function(node) {
  own <- is_element_op(node$op) && node$rank > 0
  own + sum(vapply(node$args, whole_operations, 0))
}

# The user's lines of loops that threads share, from the C.
shared_lines <- function(built) {
  unlist(lapply(built, function(one) one$lines[grepl("^ *DS_BLOCKS\\(", read_text(one$source))]))
}

shared_note <- function(line, known) {
  if (line %in% known$shared) sprintf("%d threads share its turns where they take long enough", known$threads)
}

copy_notes <- function(form) {
  copied <- Filter(function(id) id %in% form$stored && !id %in% form$owned && !is_scalar(form, id), form$arguments)
  if (length(copied)) sprintf("`%s` is copied: elements of it are assigned", sub(":.*", "", copied))
}

# The latest build's instructions in their order: an object of class `ds_assembly`.
kernel_assembly <- function(state) {
  report <- compiler_report(latest_build(state), state$build)
  table <- report$instructions[c("line", "instruction", "operands")]
  table$arithmetic <- arithmetic_kind(table$instruction)
  structure(list(table = table, text = state$kernel$text), class = "ds_assembly")
}
