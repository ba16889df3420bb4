# C names for the variables of a form: the user's own where C leaves them free.

# list(id = base): an array `x` has its data in x, its object in x_s, its length in x_n and so on.
c_names <- function(form) {
  ids <- unique(c(form$arguments, used_names(form)))
  taken <- character()
  names <- character()
  for (id in ids) {
    base <- plain_c_name(id)
    names[[id]] <- free <- free_c_name(base, id, taken)
    lone <- is_scalar(form, id) && !identical(form$vars[[id]]$kind, "sequence")
    taken <- c(taken, free, paste0(free, if (lone) c("_lost", "_part") else array_endings))
  }
  names
}

# The first of `base`, `base_d` (its mode) and `base_2`, `base_3`, ... that is free with all that an array needs.
free_c_name <- function(base, id, taken) {
  tried <- 0
  name <- base
  while (any(c(name, paste0(name, array_endings)) %in% taken)) {
    tried <- tried + 1
    name <- paste0(base, "_", if (tried == 1) substr(sub(".*:", "", id), 1, 1) else tried)
  }
  name
}

array_endings <- c("_s", "_n", "_i", "_room", "_own", "_used", "_room_s", "_room_s_i", paste0("_d", 1:30))

is_scalar <- function(form, id) !identical(form$vars[[id]]$kind, "number") || form$vars[[id]]$rank == 0

used_names <- function(form) {
  found <- list()
  each_step(form$steps, function(step) {
    found[[length(found) + 1]] <<- c(
      step$name, step_reads(step),
      shape_tags(step$shape)
    ) })
  unique(unlist(found))
}

# Tags that tell what kind of object a returned value is.
shape_tags <- function(shape) {
  if (is.null(shape)) return(NULL)
  c(shape$tag, if (identical(shape$kind, "sequence")) shape$name, unlist(lapply(shape$parts, shape_tags)))
}

plain_c_name <- function(id) remembered("plain names", id, make_plain_name)

make_plain_name <- function(id) {
  key <- sub(":[^:]*$", "", id)
  name <- if (is_temporary(key)) gsub(" ", "", sub(paste0(".*", temporary_mark), "", key)) else sub(".* ", "", key)
  if (endsWith(id, ":tag")) name <- paste0(name, "_mode")
  name <- gsub("[^A-Za-z0-9_]", "_", gsub("[.$]", "_", iconv(name, "", "ASCII", sub = "_")))
  if (grepl("^[^A-Za-z]", name) || name == "") name <- paste0("v_", name)
  if (is_taken_in_c(name)) paste0(name, "_v") else name # names of the C around end in `_`
}

c_words <- c(
  "auto", "break", "case", "char", "const", "continue", "default", "do", "double", "else", "enum", "extern", "float",
  "for",
  "goto", "if", "inline", "int", "long", "register", "restrict", "return", "short", "signed", "sizeof", "static",
  "struct",
  "switch", "typedef", "union", "unsigned", "void", "volatile", "while", "asm", "typeof", "held", "a", "where", "noted",
  "result", "main", "unix", "linux", "ceil", "fabs", "nearbyint", "pow", "stdin", "stdout",
  "stderr",
  "errno",
  "fprec", "fround", "gammafn", "lgammafn", "memcpy", "memset", "index", "y0", "y1", "yn", "j0", "j1", "jn", "isnan"
)

is_taken_in_c <- function(name) {
  shapes <- paste(c(
    "^(R|Rf|ds|DS|SEXP|scratch|spare)_", "RNGstate$", "^[A-Z][A-Z0-9_]+$", "^[IE]$", "_$", "_t$", "__[0-9]+$",
    "^(places|taken)[0-9]+", "^f_.+_[0-9]+$"
  ), collapse = "|")
  name %in% c_words || name %in% macro_words() || grepl(shapes, name) ||
    exists(name, baseenv(), inherits = FALSE) || exists(name, asNamespace("stats"), inherits = FALSE)
}
