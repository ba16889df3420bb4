# A loop made ready for what its variables are when it is reached. Texts, NULL and functions are settled into the
# code; `p$k` of a list or a data frame becomes a variable of its own; vectors with names, matrices with dimnames and
# time series are taken without them where names can't come out.

# list(call, state, puts, told, links) or list(reason). The call is for the frame; `puts` tell, by variable, whether a
# changed value fits, and put it back, where that is more than to assign it; `told` are calls that print.
new_variant <- function(part, kinds, frame) {
  kinds <- stats::setNames(kinds, part$reads)
  made <- new.env()
  made$reads <- part$reads
  made$dots <- if ("..." %in% part$reads) dots_of(frame)
  made$code <- if (part$returns) tell_returns(part$loop_code) else part$loop_code
  made$env <- part$kernel$env
  made$given <- lapply(stats::setNames(nm = part$reads), as.name)
  made$constants <- made$links <- made$puts <- list()
  made$renamed <- new.env() # what variables are called that are given back as what they were
  made$gives <- part$gives
  made$named_fields <- character()
  made$changed <- part$changed
  made$in_passing <- assigned_in_passing(made$code)
  made$pending <- names(kinds)[kinds %in% c("pending", "raising")] # nothing that R has not worked out is looked at
  made$given[kinds == "raising"] <- list(call("(", as.call(list(function() nothing_built)))) # what no kernel takes
  made$reason <- NULL
  kinds <- written_out(made, kinds, frame)
  lists <- names(kinds)[kinds == "list"]
  for (name in c(intersect("...", names(kinds)), setdiff(names(kinds), c(lists, "...")))) {
    settle_variable(made, name, kinds[[name]], frame)
  }
  put_constants(made)
  open_names(made, kinds, frame)
  if (length(lists)) hand_fields(made)
  for (name in lists) settle_variable(made, name, "list", frame)
  put_constants(made) # functions in them
  if (length(lists)) columns_for_keys(made, kinds, frame) # the names of lists are known by now
  if (is.null(made$reason)) settle_classes(made, kinds, frame)
  bound <- if (is.null(made$reason)) bind_rows(made, frame)
  named <- setdiff(c(names(kinds)[kinds == "named"], made$named_fields), bound)
  if (is.null(made$reason) && length(named)) places_by_name(made, named, frame)
  made$labelling <- if (is.null(made$reason)) labelling_functions(made, frame)
  about_names <- length(named) || binds(made$code) || length(made$labelling)
  if (is.null(made$reason) && about_names) keep_names_in(made, named, frame, bound)
  if (is.null(made$reason)) for (name in bound) lay_flat(made, name, frame)
  if (!is.null(made$reason)) return(list(reason = made$reason))
  code <- settle_code(made$code, known_values(made, kinds, frame), frame)
  if (!is.call(code) || !call_name(code) %in% loop_heads) return(list(reason = "nothing of it is left to do"))
  kernel <- part_kernel(part, c(made$before, list(code)), names(made$given), made$gives, made$env)
  kernel$labelling <- unique(unlist(made$labelling)) %||% character()
  kernel$about_names <- about_names
  kernel$series <- any(vapply(names(kinds)[kinds == "named"], function(name) stats::is.ts(frame[[name]]), NA))
  kernel$told <- told_calls(code, part$kernel$body)
  original <- as.function(c(kernel$formals, kernel$body), envir = kernel$env)
  state <- new_state(original, kernel, part$owner$build, whole = FALSE)
  state$shared <- part$owner$shared
  # what only changes the form of a variable may be worked out at once
  state$taken$certain <- union(state$taken$certain, which(vapply(made$given, function(given) {
    is.call(given) && is.function(given[[1]])
  }, NA)))
  state$taken$bare <- match(made$bare, names(made$given))
  state$taken$series <- TRUE
  state$what <- sprintf("loop (`%s` in line %d)", part$loop, part$from)
  fast <- as.function(c(kernel$formals, call("{", dispatch_call(kernel$env, state), left_to_r)))
  list(
    call = as.call(c(fast, made$given)), state = state, puts = made$puts, told = kernel$told, links = made$links,
    holds = made$holds, returned = made$returned
  )
}

# The code in other words, before its variables are looked at one by one; gives the kinds of those that are left.
written_out <- function(made, kinds, frame) {
  kinds <- grow_tables(made, kinds, frame)
  rows_in_lists(made, kinds, frame)
  kinds <- replace_lists(made, kinds, frame)
  kinds <- lists_as_vectors(made, kinds, frame)
  texts_gone_over(made, frame)
  kinds <- range_worked_out(made, kinds, frame)
  columns_for_keys(made, kinds, frame)
  kinds
}

settle_classes <- function(made, kinds, frame) {
  classed <- classed_names(made, kinds, frame)
  origins <- made$given
  left <- if (length(classed)) take_classes(made, classed, frame)
  shown <- c(intersect(left, names(origins)), classed)[1] # code written here has variables of its own
  if (length(left)) made$reason <- sprintf("`%s` is %s", shown, value_words(eval(origins[[shown]], frame)))
}

settle_variable <- function(made, name, kind, frame) {
  if (name == "...") return(take_dots(made, frame))
  assigned <- name %in% c(assigned_names(made$code), made$changed)
  settled <- switch(kind,
    unset = TRUE,
    null = settle_constant(made, name, NULL, assigned),
    text = if (!assigned) settle_constant(made, name, frame[[name]], FALSE),
    `function` = if (!assigned) take_function(made, name, frame[[name]], frame)
  )
  if (isTRUE(settled)) made$given <- made$given[names(made$given) != name]
  if (kind == "list") take_apart(made, name, frame)
  made$reason <- made$reason %||% switch(kind,
    `function` = if (assigned) sprintf("the function `%s` is replaced", name),
    default = sprintf("the default of `%s` may hang on what the loop changes", name),
    other = sprintf("`%s` is %s", name, value_words(frame[[name]]))
  )
}

# Do words mean R's own functions in a frame? Not known where an argument of that name is not worked out yet.
mean_rs <- function(words, frame) {
  here <- if (!is_of_top(frame)) intersect(words, names(frame))
  if (any(kinds_of_variables(frame, lapply(here, as.name)) %in% c("pending", "default"))) return(FALSE)
  all(vapply(words, function(word) identical(get0(word, frame, mode = "function"), get(word, baseenv())), NA))
}

# A value that stands in the code, or is what a variable starts from.
settle_constant <- function(made, name, value, assigned) {
  if (assigned) made$before <- c(made$before, list(call("<-", as.name(name), value))) else
    made$constants[name] <- list(value)
  TRUE
}

value_words <- function(value) {
  if (length(dim(value)) == 1 && !is.object(value)) return("an array of one extent")
  if (is.object(value)) sprintf("of class `%s`", class(value)[[1]]) else sprintf(
    "a %s of length %d", typeof(value),
    length(value)
  )
}

# `p$k` and `p[["k"]]` as variables of their own, if the list is used in no other way.
take_apart <- function(made, name, frame, unrolled = FALSE) {
  as_it_was <- list(code = made$code, given = made$given)
  if (name %in% own_of_functions(made$code)) return(take_with_namesakes(made, name, frame))
  parts_by_text(made, name, frame)
  placed <- list(code = made$code, given = made$given)
  columns_for_records(made, name, frame)
  plain <- identical(class(frame[[name]]), "data.frame") # others may mean something else by `[`
  if (plain) rows_as_elements(made, name, frame[[name]], frame)
  apart <- parts_apart(made, if (plain) column_elements(made$code, name) else made$code, name, frame)
  whole <- speaks_freely(apart$code, name)
  all_apart <- if (!whole) with_functions_apart(made, name, frame, apart, plain)
  if (!is.null(all_apart)) return(take_parts(made, name, frame, all_apart, unrolled))
  if (is_sequence_use(made, name, frame)) return()
  if (whole && plain && !any(startsWith(as.character(names(apart$found)), paste0(name, "$")))) {
    if (!is.null(columns_by_place(made, apart$code, name, frame))) return(made$given <- c(made$given, apart$found))
  }
  list2env(placed, made)
  if (whole && parts_alone(made, name, frame)) return()
  list2env(as_it_was, made)
  if (!unrolled && unroll_parts(made, name, frame)) return(take_apart(made, name, frame, unrolled = TRUE))
  made$reason <- sprintf("the list `%s` is used as a whole", name)
}

# The same of the functions that were made in the frame and speak of the list, which reach the loop's variables; NULL
# where one uses it in another way.
with_functions_apart <- function(made, name, frame, apart, plain) {
  apart$before <- made$before
  for (at in seq_along(made$before)) {
    code <- made$before[[at]]
    if (!speaks_freely(code, name)) next
    if (name %in% own_of_functions(code)) return(NULL)
    inside <- parts_apart(made, if (plain) column_elements(code, name) else code, name, frame)
    if (speaks_freely(inside$code, name)) return(NULL)
    apart$before[[at]] <- inside$code
    apart$found <- c(apart$found, inside$found[setdiff(names(inside$found), names(apart$found))])
    apart$deep <- c(apart$deep, inside$deep[setdiff(names(inside$deep), names(apart$deep))])
  }
  apart
}

# Does code speak of a variable that is not an argument of a function in it? A field of that name is none.
speaks_freely <- function(code, name) {
  if (is.name(code)) return(identical(code, as.name(name)))
  if (!is.call(code)) return(FALSE)
  if (call_name(code) == "function" && name %in% names(code[[2]])) return(FALSE)
  if (call_name(code) %in% c("$", "@")) return(speaks_freely(code[[2]], name))
  parts <- c(as.list(code), if (call_name(code) == "function") as.list(code[[2]]))
  any(vapply(parts, function(one) !rlang::is_missing(one) && !is.pairlist(one) && speaks_freely(one, name), NA))
}

# Where a function in the loop has a variable of that name of its own, code is not changed.
take_with_namesakes <- function(made, name, frame) {
  if (!is_sequence_use(made, name, frame)) made$reason <- sprintf("a function in the loop has a `%s` of its own", name)
}

# list(code, found, deep): code with variables for parts and for how many there are, what each is made of, and what is
# known of those that lie deeper.
parts_apart <- function(made, code, name, frame) {
  table <- is.data.frame(frame[[name]])
  found <- deep <- list()
  visit <- function(code) {
    if (!is.call(code)) return(code)
    part <- deep_part(code, name, frame)
    if (!is.null(part)) {
      found[[part$symbol]] <<- code
      deep[[part$symbol]] <<- part
      return(as.name(part$symbol))
    }
    field <- field_of(code, name) %||% if (table) column_number(code, frame[[name]], name)
    if (is.integer(field)) {
      code <- column_code(frame[[name]], code[[2]], field)
      field <- names(frame[[name]])[[field]]
    }
    if (!is.null(field)) {
      symbol <- paste0(name, "$", field)
      if (!identical(found[[symbol]] %||% code, code)) needs_field(made, name, field)
      if (!is_checked_column(found[[symbol]])) found[[symbol]] <<- code
      return(as.name(symbol))
    }
    if (is_counted(code, "seq_along", name) && mean_rs(c("seq_along", "seq_len", "length"), frame)) {
      return(call("seq_len", visit(call("length", as.name(name)))))
    }
    if (is_counted(code, c("nrow", "ncol", "length", "NROW", "NCOL"), name) && mean_rs(call_name(code), frame)) {
      symbol <- paste0(call_name(code), "(", name, ")")
      found[[symbol]] <<- code
      return(as.name(symbol))
    }
    if (is.call(code[[1]])) code[[1]] <- visit(code[[1]])
    code[-1] <- lapply(as.list(code)[-1], function(one) if (rlang::is_missing(one)) one else visit(one))
    code
  }
  code <- visit(code)
  list(code = code, found = found, deep = deep)
}

is_counted <- function(code, heads, name) {
  call_name(code) %in% heads && length(code) == 2 && identical(code[[2]], as.name(name))
}

# What is settled takes its place in the loop and in the functions made in the frame.
put_constants <- function(made) {
  for (name in names(made$constants)) {
    put <- function(code) put_constant(code, name, made$constants[[name]])
    made$code <- put(made$code)
    made$before <- lapply(made$before, put)
  }
}

# A variable's value in its place, but where it is the name of an argument, of a part, of a function, or of another
# variable. A name or code as the value stands for a function that it calls, too.
put_constant <- function(code, name, value) {
  if (identical(code, as.name(name))) return(value)
  if (!is.call(code)) return(code)
  if (call_name(code) == "function" && name %in% own_names(list(formals = code[[2]], body = code[[3]]))) return(code)
  if (call_name(code) %in% c("quote", "::", ":::")) return(code)
  kept <- attributes(code)
  parts <- as.list(code)
  if (is.call(parts[[1]])) parts[[1]] <- put_constant(parts[[1]], name, value)
  if (is.language(value) && identical(parts[[1]], as.name(name))) parts[[1]] <- value
  for (i in if (call_name(code) %in% c("$", "@")) 2 else seq_along(parts)[-1]) {
    if (rlang::is_missing(parts[[i]])) next
    made <- if (is.pairlist(parts[[i]])) constant_defaults(parts[[i]], name, value) else
      put_constant(parts[[i]], name, value)
    parts[i] <- list(made)
  }
  made <- as.call(parts)
  attributes(made) <- kept
  made
}

constant_defaults <- function(defaults, name, value) {
  as.pairlist(lapply(defaults, function(code) if (rlang::is_missing(code)) code else put_constant(code, name, value)))
}

# What questions about types can be asked of: variables that the loop does not assign.
known_values <- function(made, kinds, frame) {
  assigned <- c(assigned_names(made$code), made$changed)
  names <- names(kinds)[kinds %in% c("plain", "named", "function", "list") & !names(kinds) %in% assigned]
  fields <- made$given[setdiff(made$settled, assigned)]
  c(stats::setNames(lapply(names, function(name) frame[[name]]), names), lapply(fields, eval, frame))
}

type_questions <- c(
  "is.numeric", "is.character", "is.null", "is.function", "is.matrix", "is.vector", "is.list", "is.data.frame",
  "is.logical", "is.integer", "is.double", "is.array", "is.complex", "is.factor"
)

# Answers what is known, and takes the ways that are left.
settle_code <- function(code, known, env) {
  if (!is.call(code)) return(code)
  head <- call_name(code)
  if (head == "function" || head == "quote") return(code)
  attributes_kept <- attributes(code)
  parts <- as.list(code)
  for (i in seq_along(parts)[-1]) {
    if (!rlang::is_missing(parts[[i]])) parts[i] <- list(settle_code(parts[[i]], known, env))
  }
  made <- as.call(parts)
  attributes(made) <- attributes_kept
  if (head == "{") return(until_it_leaves(made))
  if (!head %in% c(type_questions, foldable, "if")) return(made)
  if (head != "if" && !mean_rs(head, env)) return(made)
  about <- if (head %in% type_questions && length(parts) == 2 && is.name(parts[[2]])) as.character(parts[[2]])
  if (!is.null(about) && about %in% names(known)) return(do.call(head, list(known[[about]]), quote = TRUE))
  fold_call(made, head, parts)
}

# Nothing comes after a statement that leaves the block.
until_it_leaves <- function(block) {
  ends <- which(vapply(as.list(block)[-1], function(one) is.call(one) && call_name(one) %in% c("break", "next"), NA))
  if (length(ends) == 0 || ends[[1]] + 1 == length(block)) return(block)
  as.call(as.list(block)[seq_len(ends[[1]] + 1)])
}

foldable <- c("c", "==", "!=", "!", "&&", "||", "is.null", "is.character", "is.numeric", "identical", "%in%")

is_literal <- function(code) !is.call(code) && !is.name(code)

fold_call <- function(made, head, parts) {
  settled <- length(parts) > 1 && !rlang::is_missing(parts[[2]]) && is_literal(parts[[2]])
  if (head == "if") {
    if (!settled || !is.logical(parts[[2]]) || length(parts[[2]]) != 1 || is.na(parts[[2]])) return(made)
    if (parts[[2]]) return(parts[[3]])
    return(if (length(parts) > 3) parts[[4]] else NULL)
  }
  if (head == "&&" && isFALSE(parts[[2]])) return(FALSE)
  if (head == "||" && isTRUE(parts[[2]])) return(TRUE)
  if (head == "&&" && isTRUE(parts[[2]]) || head == "||" && isFALSE(parts[[2]])) {
    return(if (is_literal(parts[[3]])) isTRUE(as.logical(parts[[3]])) else call("(", parts[[3]]))
  }
  if (head == "c" && !all(vapply(parts[-1], is.character, NA))) return(made)
  texts <- all(vapply(parts[-1], function(one) is.character(one) || is.null(one) || is.logical(one), NA))
  if (all(vapply(parts[-1], is_literal, NA)) && texts) eval(made, baseenv()) else made
}
