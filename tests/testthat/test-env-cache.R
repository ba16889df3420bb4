build_as_users_do()

# One cache for all that is built: whose folder it is, and whether a file is what was written.

entry <- function(folder, text = "built") {
  made <- tempfile()
  writeLines(text, made)
  internal("keep_entry")(folder, "kone", c(".so" = made))
}

test_that("what is loaded is what was checked: damaged, cut and planted files are not used", {
  folder <- withr::local_tempdir(tmpdir = dirname(tempdir()))
  Sys.chmod(folder, "0700")
  files <- function() internal("cached_files")(folder, "kone", ".so")
  expect_null(files())
  expect_identical(readLines(entry(folder)), "built")
  expect_identical(readLines(files()), "built")
  kept <- file.path(folder, "kone.so")
  for (bytes in list(raw(0), charToRaw("buil"), as.raw(c(98, 0, 116, 10)), charToRaw("planted\n"))) {
    writeBin(bytes, kept)
    expect_null(files())
  }
  entry(folder)
  unlink(file.path(folder, "kone.sum"))
  expect_null(files())
  entry(folder)
  unlink(kept)
  system2("mkfifo", kept)
  expect_null(files())
})

test_that("a folder that others can write to, or put another in place of, is not used", {
  outer <- withr::local_tempdir(tmpdir = dirname(tempdir()))
  folder <- file.path(outer, "R", "deepstride", "native")
  withr::local_envvar(R_USER_CACHE_DIR = outer)
  chosen <- function() internal("cache_folder")("native")
  expect_identical(chosen(), folder)
  expect_identical(file.info(folder)$mode, as.octmode("700"))
  Sys.chmod(folder, "0775", use_umask = FALSE) # as a common umask makes it: mended
  expect_identical(chosen(), folder)
  expect_identical(file.info(folder)$mode, as.octmode("700"))
  Sys.chmod(outer, "0777", use_umask = FALSE)
  expect_identical(chosen(), file.path(tempdir(), "native"))
  Sys.chmod(outer, "0700")
  skip_if(internal("acting_user")() != 0, "only root can give a folder away")
  system2("chown", c("nobody", folder))
  expect_identical(chosen(), file.path(tempdir(), "native"))
  system2("chown", c("root", folder))
  system2("chown", c("nobody", outer))
  expect_identical(chosen(), file.path(tempdir(), "native"))
})

test_that("kernels of both kinds heal a damaged cache, and do without one that can't be written", {
  outer <- withr::local_tempdir(tmpdir = dirname(tempdir()))
  withr::local_envvar(R_USER_CACHE_DIR = outer)
  code <- "#include <Rinternals.h>\nSEXP twice(SEXP x) { return Rf_ScalarReal(2 * REAL(x)[0]); }\n"
  f <- eval(parse(text = sprintf("function(x) 2 * x + %d", sample.int(1e6, 1))))
  use <- function() c(ds_native(code, "twice")(2), ds_compile(f)(2))
  right <- c(4, f(2))
  expect_identical(use(), right)
  for (file in list.files(outer, "[.]so$", recursive = TRUE, full.names = TRUE)) {
    writeBin(utils::head(readBin(file, "raw", 1e6), 900), file)
  }
  both <- function(code, f) c(deepstride::ds_native(code, "twice")(2), deepstride::ds_compile(f)(2))
  in_new_session <- function() callr::r(both, list(code, f))
  expect_identical(in_new_session(), right)
  kernels <- list.files(outer, "[.]so$", recursive = TRUE, full.names = TRUE)
  expect_true(all(file.size(kernels) > 900))
  unlink(outer, recursive = TRUE)
  file.create(outer) # no folder can be made here
  expect_identical(in_new_session(), right)
})

build_quickly()
