# Helpers that are handed a list, and use its fields.

site <- list(area = 2, loss = 0.25, sealed = FALSE, weights = c(1, 2, 3), soil = list(depth = 4), kind = "mere")

outside <- local(
  {
    scale <- 10
    limit <- function(x, q) x / q[["area"]]
    list(
      flow = function(x, p) if (p$sealed) x else max(x - p$loss, 0) * p$area,
      nested = function(x, p) scale * limit(x, p) + p$soil$depth,
      kinds = function(x, p) {
        switch(p$kind,
          mere = x + 1,
          weir = x - 1
        )
      },
      absent = function(x, p, least = p$loss) if (is.null(p$extra)) x + least else x + p$extra
    )
  },
  envir = new.env(parent = asNamespace("deepstride"))
)

handed_loop <- function(call, ...) {
  eval(bquote(function(p) {
    ..(list(...))
    s <- 1
    for (i in 1:5) s <- s / 2 + .(call)
    list(s, p)
  }, splice = TRUE))
}

test_that("loops run native with helpers of the frame and from outside", {
  for (helper in outside) {
    expect_identical(over_parts(handed_loop(quote(f(i, p)), call("<-", quote(f), helper)), site), "native")
  }
  inside <- alist(
    f <- function(x, q) x * q$area + own, f <- function(q, x = q$loss, y) x * q$weights[y] + own,
    f <- function(x, p) sum(p$weights) * g(p, x), f <- function(x, q) q$soil$depth * x
  )
  calls <- alist(f(s, p), f(p, y = 2), f(s, p = p), f(q = p, x = i))
  for (k in 1:4) {
    own <- quote(own <- 0.5)
    kernel <- handed_loop(calls[[k]], own, quote(g <- function(r, x) x + r[["area"]]), inside[[k]])
    expect_identical(over_parts(kernel, site), "native", label = deparse1(inside[[k]]))
  }
})

test_that("a list that is used otherwise, or a helper that looks at its call, is R's", {
  inside <- alist(
    f <- function(x, p) x + length(p), f <- function(x, p) if (missing(p)) x else p$area,
    f <- function(x, p) nchar(deparse(substitute(p))) + p$area, f <- function(x, p) {
      p$area <- 9
      p$area + x
    },
    f <- function(x, p) if (x < 1) p$area else f(x - 1, p), f <- function(x, ...) list(...)[[1]]$area
  )
  for (one in inside) compiled_as_in_r(handed_loop(quote(f(s, p)), one), site)
})

test_that("fields that come, go and change their kind are followed, and so are helpers that are redefined", {
  without_comparing()
  kernel <- handed_loop(quote(f(s, p)), quote(f <- function(x, p) {
    if (is.null(p$extra)) x * p$area else if (is.character(p$extra)) nchar(p$extra) else x + p$extra[1]
  }))
  fast <- ds_compile(kernel)
  for (extra in list(NULL, 1, NULL, c(2, 3), "weir", 2L, NULL)) {
    given <- c(site, if (!is.null(extra)) list(extra = extra))
    expect_identical(suppressMessages(outcome_of(fast, list(given))), outcome_of(kernel, list(given)))
  }
  longer <- list(c(site, extras = 5))
  expect_identical(suppressMessages(outcome_of(fast, longer)), outcome_of(kernel, longer))
  begins <- function(p) {
    s <- 0
    for (i in 1:3) {
      s <- s + length(p$ext)
      p$extra <- i
    }
    list(s, p)
  }
  compiled_as_in_r(begins, site)
  outward <- handed_loop(
    quote(f(s, p)), quote(bump <- function() p$loss <<- p$loss * 2),
    quote(f <- function(x, q) {
      x <- x + q$area
      bump()
      x + q$loss
    })
  )
  compiled_as_in_r(outward, site)
  place <- new.env(parent = globalenv())
  place$f <- function(x, p) x + p$area
  kernel <- handed_loop(quote(f(s, p)))
  environment(kernel) <- place
  fast <- ds_compile(kernel)
  first <- fast(site)
  place$f <- function(x, p) x - p$loss
  expect_identical(fast(site), kernel(site))
  expect_false(identical(fast(site), first))
})

test_that("a loop that comes to itself while it is compared with R goes on as R does", {
  visits <- function(paths) {
    seen <- logical(nrow(paths))
    order <- integer(0)
    visit <- function(at) {
      seen[at] <<- TRUE
      order <<- c(order, at)
      for (to in seq_along(seen)) if (paths[at, to] && !seen[to]) visit(to)
    }
    for (at in seq_along(seen)) if (!seen[at]) visit(at)
    order
  }
  set.seed(1)
  paths <- matrix(runif(100) < 0.2, 10)
  fast <- ds_compile(visits)
  for (call in 1:12) expect_identical(suppressMessages(fast(paths)), visits(paths))
  part <- attr(fast, "ds_compiled")$parts[[1]]
  for (turn in c("R", "R again")) {
    part$compared <- turn
    part$started <- NA
    deepstride:::compare_part(part, 0, environment())
    deepstride:::part_ends(part)
    expect_identical(part$compared, turn)
  }
})
