# Loops in another order, and in blocks: nests of `for` around one assignment to an element that each turn has to
# itself, or that turns of one loop alone add to, in their order whatever the order of the others. So every element
# comes of the same operations in the same order.

# Marks the outermost loop of such nests with `turned`: the loops in the order in which they are to run, the block of
# each (NA: none), and the body with all places taken to be inside, which a test before the nest proves.
pass_blocks <- function(form) {
  form$steps <- turned_steps(form, form$steps)
  form
}

turned_steps <- function(form, steps) {
  lapply(steps, function(step) {
    if (step$op == "for") step$turned <- turned_nest(form, step)
    if (is.null(step$turned)) step$blocks <- lapply(step$blocks, turned_steps, form = form)
    step
  })
}

# list(before, loops, sizes, inner, own), or NULL where the nest is left as it is.
turned_nest <- function(form, step) {
  nest <- perfect_nest(step)
  names <- vapply(nest$loops, function(loop) loop$name, "")
  if (length(names) < 2 || !can_be_turned(form, nest, names)) return(NULL)
  order <- names
  if (!lies_in_order(names, places_of(nest))) {
    order <- names[order(-vapply(names, strides_of, 0, places = places_of(nest)))]
  }
  smooth <- strides_of(order[[length(order)]], places_of(nest)) == 0
  sizes <- block_sizes(form$block, sub(":.*", "", order), smooth)
  if (identical(order, names) && all(is.na(sizes))) return(NULL)
  inner <- list(op = "for", name = order[[length(order)]], blocks = list(body = list(proved_store(nest$store))))
  list(
    before = nest$before, loops = stats::setNames(nest$loops, names)[order], sizes = as.integer(sizes),
    own = order %in% nest$written,
    inner = hoist_elements(list(form = form, written = nest$store$name), inner)
  )
}

# list(loops, store, before, written): from a loop inwards, as long as nothing but the next one stands in it; `before`
# gives the vector that is assigned an object of its own, `written` are the counters that say which element is.
perfect_nest <- function(step) {
  loops <- list()
  repeat {
    loops <- c(loops, list(step))
    body <- step$blocks$body
    if (length(body) != 1 || body[[1]]$op != "for") break
    step <- body[[1]]
  }
  own <- Filter(function(one) one$op == "own", body)
  body <- setdiff(body, own)
  store <- if (length(body) == 1 && body[[1]]$op == "store") body[[1]]
  if (!all(vapply(own, function(one) identical(one$name, store$name), NA))) store <- NULL
  list(loops = loops, store = store, before = own, written = unlist(lapply(store$args[-1], function(place) place$name)))
}

turned_ops <- c(
  "const", "var", "element", "add", "sub", "mul", "div", "neg", "abs", "square", "integer_to_double",
  "size", "extent"
)

can_be_turned <- function(form, nest, names) {
  store <- nest$store
  if (is.null(store) || !identical(form$vars[[store$name]]$modes, "double") || anyDuplicated(names)) return(FALSE)
  places <- store$args[-1]
  plain <- all(vapply(places, function(place) place$op == "var" && place$name %in% names, NA)) &&
    length(places) == form$vars[[store$name]]$rank
  if (!plain || anyDuplicated(nest$written) || length(setdiff(names, nest$written)) > 1) return(FALSE)
  if (!all(names %in% form$counters)) return(FALSE)
  ranges <- vapply(nest$loops, function(loop) {
    range <- loop$args[[1]]
    moves <- function(node) !node$op %in% c("size", "extent") && any(c(names, store$name) %in% node$name)
    range$op == "range" && length(loop$late) == 0 && !any_value(range, moves)
  }, NA)
  all(ranges) && is_turned_value(form, nest, store$args[[1]], names)
}

# Elements at counters alone, those of the vector that is written at the same place alone.
is_turned_value <- function(form, nest, node, names) {
  if (!node$op %in% turned_ops) return(FALSE)
  if (node$op == "element") {
    rank <- form$vars[[node$name]]$rank
    fixed <- function(place) {
      place$op == "const" && isTRUE(place$value >= 1) ||
        place$op == "var" && (place$name %in% names || is_sure(place, form$sure))
    }
    if (length(node$args) != rank || rank > 4 || !all(vapply(node$args, fixed, NA))) return(FALSE)
    own <- counters_at(node$args)
    return(node$mode == "double" && (node$name != nest$store$name || identical(own, nest$written)))
  }
  if (node$op == "var") return(node$name %in% names || node$name != nest$store$name)
  all(vapply(node$args, is_turned_value, NA, form = form, nest = nest, names = names))
}

counters_at <- function(places) vapply(places, function(place) place$name %||% "", "")

# Places of all elements that the body speaks of: lists of the names in them.
places_of <- function(nest) {
  found <- list(nest$written)
  look <- function(node) {
    if (node$op == "element") found[[length(found) + 1]] <<- counters_at(node$args)
    lapply(node$args, look)
  }
  look(nest$store$args[[1]])
  found
}

# Do the loops go through all these elements in the order in which they lie in memory? Then another order makes jumps
# of what is read one by one.
lies_in_order <- function(names, places) {
  all(vapply(places, function(one) !is.unsorted(-match(intersect(one, names), names)), NA))
}

# At how many elements a counter steps over others: it stands at another place than the first.
strides_of <- function(name, places) sum(vapply(places, function(one) name %in% one[-1], NA))

proved_store <- function(store) {
  inside <- function(node) {
    if (node$op == "element") node$proved <- TRUE
    node$held <- NULL
    node
  }
  store$proved <- TRUE
  map_values(store, inside)
}

# A block for each loop, the outermost first (NA: none): those that are given, or such that what the inner loops come by
# stays in the cache of the second level.
block_sizes <- function(block, names, smooth) {
  if (!isTRUE(block)) return(if (is.null(block)) rep(NA, length(names)) else block[names])
  sizes <- rep(NA, length(names))
  last <- length(names)
  if (!smooth) return(replace(sizes, c(last - 1, last), 32L))
  sizes[[last]] <- 512L
  if (last > 2) sizes[[last - 1]] <- max(16, 2^floor(log2(core_cache_bytes() / 4 / 8 / 512)))
  sizes
}

# TRUE, or whole numbers by the names of loops of the function.
check_block <- function(block, f) {
  if (is.null(block) || isTRUE(block)) return(block)
  vars <- if (is.function(f)) unique(vapply(calls_in(body(f), "for"), function(one) as.character(one[[2]]), ""))
  whole <- is.numeric(block) && length(block) > 0 && all(is.finite(block) & block == round(block) & block >= 1)
  if (!whole || anyDuplicated(names(block)) || !all(rlang::names2(block) %in% vars)) {
    abort_input("`block` must be TRUE, or whole numbers named by variables of loops.", you_gave(block),
      if (length(vars)) sprintf("The loops go over %s, as in `block = c(%s = 64)`.", quoted(vars), vars[[1]]),
      arg = "block"
    )
  }
  block
}

# What was asked for by name is an error where no nest can run so.
check_blocked <- function(kernel, form) {
  waits <- any_step(form$steps, function(step) step$op == "pending") # an argument is not worked out yet
  if (is.null(form$block) || waits) return()
  blocked <- any_step(annotate_form(form)$steps, function(step) any(!is.na(step$turned$sizes)))
  if (blocked) return()
  abort_ds("unsupported", "No loops of this function can run in blocks.",
    sprintf("%s, line %d.", basename(kernel$file), kernel$line),
    paste(
      "Blocks are for loops that stand directly in one another, around one assignment to an element that each turn has",
      "to itself, or that one loop adds to: `out[i, j] <- out[i, j] + a[i, k] * b[k, j]`."
    ),
    file = kernel$file, line = kernel$line
  )
}
