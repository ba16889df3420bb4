# Types of the language: a mode (null, na, logical, integer, double) and a rank:
# 0 a single number, 1 a vector, 2 and above an array. `na` is a bare NA, which
# takes the mode of whatever it meets.

new_type <- function(mode, rank = 0) list(mode = mode, rank = rank)

type_modes <- c("null", "na", "logical", "integer", "double")

# The common type of what one variable holds at different places; NULL where there is none.
join_types <- function(one, other) {
  if (is.null(one)) return(other)
  if (is.null(other)) return(one)
  mode <- join_modes(one$mode, other$mode)
  rank <- join_ranks(one, other)
  if (is.null(mode) || is.null(rank)) NULL else new_type(mode, rank)
}

join_modes <- function(one, other) {
  both <- c(one, other)
  if ("logical" %in% both && any(c("integer", "double") %in% both)) return(NULL) # TRUE is not 1 when printed
  type_modes[[max(match(both, type_modes))]]
}

join_ranks <- function(one, other) {
  if (one$mode == "null") return(max(1, other$rank))
  if (other$mode == "null") return(max(1, one$rank))
  if (one$rank > 1 && other$rank > 1 && one$rank != other$rank) return(NULL)
  if (max(one$rank, other$rank) > 1 && one$rank != other$rank) return(NULL) # a matrix is not a vector
  max(one$rank, other$rank)
}

# The mode of arithmetic on two.
common_mode <- function(modes) {
  at <- max(match(modes, type_modes))
  type_modes[[max(at, match("logical", type_modes))]]
}

# "double vector", "integer", "3-dimensional logical array".
type_words <- function(type) {
  if (type$mode == "null") return("NULL")
  shape <- if (type$rank <= 2) c("", " vector", " matrix")[[type$rank + 1]] else sprintf(
    " array of %d extents",
    type$rank
  )
  paste0(if (type$mode == "na") "logical" else type$mode, shape)
}

# Of an argument; NULL where the compiler has no type for it.
type_of_value <- function(value) {
  mode <- typeof(value)
  if (!mode %in% c("logical", "integer", "double")) return(NULL)
  if (length(setdiff(names(attributes(value)), "dim"))) return(NULL)
  extents <- length(dim(value))
  if (extents == 1) return(NULL)
  new_type(mode, if (extents > 1) extents else as.integer(length(value) != 1))
}

# As one short string: "d1" is a double vector.
type_code <- function(type) paste0(substr(type$mode, 1, 1), type$rank)
