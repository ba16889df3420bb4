# Native stages under the compiler's address and undefined-behaviour sanitizers.
# Their libraries load only into a process that was started with the sanitizers'
# own runtime, so this session builds them and a worker loads them.

sanitizer_flags <- c(
  "-fsanitize=address,undefined", "-fno-sanitize-recover=all", "-fno-omit-frame-pointer",
  "-g", "-O1", "-fno-var-tracking"
)

# list(built, language), or NULL for a stage without source to build.
sanitized_build <- function(kernel) {
  recipe <- inner_facts(kernel)$recipe
  if (is.null(recipe)) return(NULL)
  check_sanitizers(recipe$code$language)
  list(
    built = withCallingHandlers( # its warnings were told when the stage was built
      native_library(recipe$code, recipe$symbol, c(recipe$flags, sanitizer_flags)),
      ds_warning_build = function(w) tryInvokeRestart("muffleWarning")
    ),
    language = recipe$code$language
  )
}

sanitized_kernel <- function(kernel, sanitized) {
  inner <- native_function(inner_facts(kernel)$recipe, sanitized$built)
  if (!is.null(native_facts(kernel))) return(inner)
  retooled(kernel, stats::setNames(list(inner), names(natives_within(kernel))[[1]]))
}

sanitizer_runtimes <- function(language) {
  program <- strsplit(config_value(c(c = "CC", cpp = "CXX", fortran = "FC")[[language]]), " ", fixed = TRUE)[[1]][[1]]
  vapply(c("libasan.so", "libubsan.so"), function(name) {
    found <- tryCatch(system2(program, paste0("-print-file-name=", name), stdout = TRUE, stderr = FALSE),
      error = function(e) name, warning = function(w) name
    )
    found[[1]]
  }, "")
}

check_sanitizers <- function(language) {
  if (!all(file.exists(sanitizer_runtimes(language)))) {
    abort_ds("build", "The compiler's sanitizers are not on this machine.",
      hint = "They come with GCC (libasan and libubsan). Without them: `sanitize = FALSE`."
    )
  }
}

# The sanitizers write their logs to files that begin with `log`.
sanitizer_environment <- function(language, log) {
  address <- "detect_leaks=0:exitcode=99:allocator_may_return_null=1:handle_segv=2:handle_sigfpe=2:log_path="
  c(
    LD_PRELOAD = paste(sanitizer_runtimes(language), collapse = " "), ASAN_OPTIONS = paste0(address, log),
    UBSAN_OPTIONS = paste0("halt_on_error=1:exitcode=99:log_path=", log)
  )
}

# A crash's words with what the sanitizers said of it.
with_sanitizer_words <- function(fault, log) {
  logs <- if (!is.null(log)) Sys.glob(paste0(log, ".*"))
  if (fault$state != "crashed" || length(logs) == 0) return(fault)
  words <- sanitizer_words(unlist(lapply(logs, readLines, warn = FALSE)))
  unlink(logs)
  if (is.null(words)) fault else new_fault("crashed", "sanitizer", message = words)
}

# "heap-buffer-overflow: write of size 8 at route.c:14", from the log of the sanitizers.
sanitizer_words <- function(lines) {
  pattern <- "^(.*):([0-9]+):[0-9]+: runtime error: (.*)$"
  undefined <- grep(pattern, lines, value = TRUE)
  if (length(undefined)) {
    parts <- regmatches(undefined[[1]], regexec(pattern, undefined[[1]]))[[1]]
    return(sprintf("undefined behaviour: %s, at %s:%s", parts[[4]], basename(parts[[2]]), parts[[3]]))
  }
  summary <- grep("ERROR: AddressSanitizer:", lines, value = TRUE, fixed = TRUE)
  if (length(summary) == 0) return(NULL)
  kind <- sub(" .*", "", sub("^.*AddressSanitizer: ", "", summary[[1]]))
  access <- grep("^(READ|WRITE) of size", lines, value = TRUE)
  access <- tolower(sub("^(READ|WRITE) of size ([0-9]+).*", "\\1 of \\2 bytes", access))
  frame <- "^ *#[0-9]+ 0x[0-9a-f]+ in [^ ]+ (.*:[0-9]+)(:[0-9]+)?$"
  frames <- grep(frame, lines, value = TRUE)
  where <- if (length(frames)) sub(":0$", "", sub(frame, "\\1", frames[[1]]))
  paste0(kind, if (length(access)) paste(":", access[[1]]), if (!is.null(where)) paste(" at", basename(where)))
}
