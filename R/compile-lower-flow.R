# The code is followed as it runs: `cx$flow` holds the type of each variable at the place
# reached (NULL where no way leads), `cx$out` the steps so far. A variable has
# one form variable for each mode and rank that it is held in ("x:d1"), and where
# it can be several things at one place a tag beside it ("x:tag").

put <- function(cx, op, ...) {
  step <- step_node(op, cx$line, ...)
  if (length(cx$earlier)) cx$changed <- c(cx$changed, step$name)
  cx$out[[length(cx$out) + 1]] <- step
}

held_name <- function(cx, key, mode, rank) {
  id <- sprintf("%s:%s%d", key, mode_field(mode, "sign"), rank)
  cx$vars[[id]] <- number_type(mode, rank)
  id
}

tag_name <- function(cx, key) {
  id <- paste0(key, ":tag")
  cx$vars[[id]] <- list(kind = "tag")
  id
}

# No way leads on from here.
never <- function(cx) {
  cx$flow <- NULL
  stop(structure(class = c("ds_never", "error", "condition"), list(message = "never", call = NULL)))
}

fall_back <- function(cx, why) {
  put(cx, "fallback", why = why)
  never(cx)
}

# The steps that `make` puts, up to where no way leads on.
steps_of <- function(cx, make) {
  outer <- cx$out
  cx$out <- list()
  tryCatch(make(), ds_never = function(e) NULL)
  made <- cx$out
  cx$out <- outer
  made
}

is_temporary <- function(key) grepl(temporary_mark, key, fixed = TRUE)

join_flows <- function(one, other) {
  if (is.null(one) || is.null(other)) return(one %||% other)
  keys <- sort(union(names(one), names(other)))
  gone <- is_temporary(keys) & !(keys %in% names(one) & keys %in% names(other))
  keys <- keys[!gone]
  stats::setNames(lapply(keys, function(key) join_types(one[[key]], other[[key]])), keys)
}

# Steps that make variables what they are known to be where ways meet.
edge_steps <- function(cx, from, to) {
  outer <- cx$out
  cx$out <- list()
  for (key in names(to)) {
    if (to[[key]]$kind == "number" && !identical(from[[key]], to[[key]])) {
      turn_into(cx, key, from[[key]] %||% unset_type(), to[[key]])
    }
  }
  made <- cx$out
  cx$out <- outer
  made
}

turn_into <- function(cx, key, from, to) {
  mode <- held_mode(to)
  if (!is.null(mode)) {
    target <- held_name(cx, key, mode, to$rank)
    if (!is.null(held_mode(from))) {
      source <- held_name(cx, key, held_mode(from), from$rank)
      if (source != target) put(cx, "assign", list(as_held(var_node(cx, source), mode, to$rank)), name = target)
    } else if ("null" %in% from$modes) {
      put(cx, "empty", name = target)
    }
  }
  if (length(to$modes) > 1 && length(from$modes) == 1) put(cx, "tag", name = tag_name(cx, key), tag = from$modes)
}

var_node <- function(cx, id) {
  force(id) # may be what makes the variable known
  type <- cx$vars[[id]]
  value_node("var", type$modes, type$rank, name = id)
}

# A node in another mode, and as a vector where it is a single number.
as_held <- function(node, mode, rank) {
  node <- as_mode(node, mode)
  if (node$rank == 0 && rank == 1) value_node("concat", mode, 1, list(node)) else node
}

narrowing_ops <- c("double_to_integer", "complex_to_logical", "complex_to_integer", "complex_to_double")

as_mode <- function(node, mode) {
  op <- conversion_op(node$mode, mode)
  if (is.null(op)) return(node)
  if (node$op == "const" && !op %in% narrowing_ops) return(const_node(as.vector(node$value, mode)))
  value_node(op, mode, node$rank, list(node))
}

# A loop: `turn` puts the steps of one turn. Followed until what is known at its head
# holds for every turn. `open` loops end by `break` alone.
lower_loop <- function(cx, id, turn, open) {
  head <- join_flows(cx$flow, known_head(cx, id))
  entry <- cx$flow
  line <- cx$line
  repeat {
    frame <- new.env()
    frame$edges <- list()
    cx$loops <- c(list(frame), cx$loops)
    cx$flow <- head
    body <- steps_of(cx, turn)
    cx$loops <- cx$loops[-1]
    last <- cx$flow
    flows <- function(kind) lapply(Filter(function(edge) edge$kind == kind, frame$edges), function(edge) edge$flow)
    back <- Reduce(join_flows, c(list(last), flows("next")), head)
    out <- Reduce(join_flows, flows("break"), if (!open) back)
    found <- if (open) back else join_flows(back, out)
    if (identical(found, head)) break
    head <- found
  }
  cx$heads[[id]] <- head
  body <- resolve_edges(cx, body, frame$edges, head, out)
  if (!is.null(last)) body <- c(body, edge_steps(cx, last, head))
  cx$line <- line
  cx$out <- c(cx$out, edge_steps(cx, entry, head))
  cx$flow <- out
  body
}

# What was known at the head when the loop was last followed, without the variables of a function written in around it:
# each time it has others.
known_head <- function(cx, id) {
  kept <- cx$heads[[id]]
  if (length(kept) == 0) return(kept)
  prefix <- cx$scope$prefix
  own <- startsWith(names(kept), prefix) & !grepl(" [0-9]+ ", substring(names(kept), nchar(prefix) + 1))
  kept[own | names(kept) %in% names(cx$flow)]
}

# `break` and `next` leave a mark, which becomes steps once it is known what they lead to.
leave_turn <- function(cx, kind) {
  if (length(cx$loops) == 0) fall_back(cx, sprintf("`%s` outside a loop", kind))
  frame <- cx$loops[[1]]
  cx$marks <- cx$marks + 1
  frame$edges[[length(frame$edges) + 1]] <- list(kind = kind, flow = cx$flow, id = cx$marks)
  put(cx, "edge", id = cx$marks)
  put(cx, kind)
  never(cx)
}

resolve_edges <- function(cx, steps, edges, head, out) {
  ids <- vapply(edges, function(edge) edge$id, 0)
  walk_blocks(steps, function(steps) {
    unlist(lapply(steps, function(step) {
      at <- if (step$op == "edge") match(step$id, ids) else NA
      if (is.na(at)) return(list(step))
      if (is.null(edges[[at]]$flow)) {
        return(list(step_node("fallback", step$line, why = "a list comes out on other ways")))
      }
      edge_steps(cx, edges[[at]]$flow, if (edges[[at]]$kind == "next") head else out)
    }), recursive = FALSE)
  })
}

# A way that the compiler does not take is left to R where it is reached, if the other one can be gone.
way_steps <- function(cx, way) {
  if (!cx$shared$lenient) return(steps_of(cx, way))
  kept <- mget(c("out", "loops", "scope", "line", "written_in", "forcing"), envir = cx)
  tryCatch(steps_of(cx, way), ds_error_unsupported = function(e) {
    list2env(kept, cx)
    cx$flow <- NULL
    structure(list(step_node("fallback", cx$line, why = refusal_words(e))), refused = e)
  })
}

# Two ways, of which one is taken. `yes` and `no` put their steps.
lower_ways <- function(cx, cond, yes, no) {
  if (cond$op == "const" && !is.na(cond$value)) return(if (cond$value) yes() else no())
  before <- cx$flow
  ways <- lapply(list(yes, no), function(way) {
    cx$flow <- before
    steps <- way_steps(cx, way)
    list(steps = steps, flow = cx$flow, refused = attr(steps, "refused"))
  })
  refused <- lapply(ways, function(way) way$refused)
  if (!any(vapply(refused, is.null, NA))) rlang::cnd_signal(refused[[1]])
  after <- join_flows(ways[[1]]$flow, ways[[2]]$flow)
  blocks <- lapply(ways, function(way) {
    c(way$steps, if (!is.null(way$flow)) edge_steps(cx, way$flow, after))
  })
  # where both are empty the condition may still stop
  put(cx, "if", list(cond), list(yes = blocks[[1]], no = blocks[[2]]))
  cx$flow <- after
  if (is.null(after)) never(cx)
}
