# Which branches ran, and the search for those that did not.

test_that("every side of a branch is a mark, with its line, and the copy gives what the function gives", {
  helper <- function(v) if (v > 2) v else -v
  kernel <- function(x, m = NULL) {
    out <- x
    for (i in seq_along(x)) {
      out[i] <- if (x[i] < 0) helper(x[i]) else x[i]
    }
    while (length(out) > 5) out <- out[-1]
    ifelse(out > 100, 100, out)[, drop = TRUE]
  }
  covered <- internal("covered_kernel")(kernel)
  expect_identical(covered$kernel(c(1, -2, 3)), kernel(c(1, -2, 3)))
  words <- internal("remark_words")(covered$points[!covered$hits()])
  expect_length(covered$points, 8)
  expect_setequal(sub(" \\(line.*", "", words), c(
    "`v > 2` was true in no check", "the loop over `length(out) > 5` was entered in no check",
    "`out > 100` was true in no check"
  ))
  expect_null(internal("covered_kernel")(function(x) sum(x)))
})

test_that("a mistake that only a search reaches is found, and what nothing reaches is told", {
  local_in_package("least_coverage", 20) # however busy the machine: so many cases, not so many seconds
  rain <- function(n) list(x = stats::rgamma(n, 0.5, 0.1), base = 0.1, cap = 50)
  plain <- function(x, base, cap) pmin(x - base, cap)
  hidden <- function(x, base, cap) {
    if (cap < 0 && base < 0) return(x)
    if (length(x) == -1) return(NULL)
    pmin(x - base, cap)
  }
  study <- ds_study("Searched", rain, sizes = 20) |>
    ds_stage("plain", plain) |>
    ds_stage("hidden", hidden)
  agreement <- ds_agree(study)
  found <- agreement$table[startsWith(agreement$table$case, "search, draw"), ]
  expect_true("differs" %in% found$verdict)
  left <- agreement$unchecked$reason[agreement$unchecked$case == "coverage"]
  expect_match(left, "^`length\\(x\\) == -1` was true in no check \\(line [0-9]+\\)$")
  expect_output(print(agreement), "Not reached: of `hidden`, `length(x) == -1` was true in no check", fixed = TRUE)
  again <- ds_inputs(study, found$size[[1]], found$case[[1]])
  expect_false(identical(plain(again$x, again$base, again$cap), hidden(again$x, again$base, again$cap)))
})
