# What the figures of a run depend on, one hash each: kept beside them, so that a run
# goes on only where nothing of it has changed.

run_keys <- function(study, plan) {
  stages <- lapply(study$stages, function(stage) {
    list(stage$name, code_parts(stage$kernel), stage[c("in_place", "threads", "random", "block")])
  })
  list(
    stages = hash_value(stages),
    inputs = hash_value(list(code_parts(study$inputs), study$seed, study$sizes, reference_of(study))),
    plan = hash_value(unclass(plan[setdiff(names(plan), c("budget", "first_call"))])),
    machine = hash_value(machine_parts())
  )
}

machine_parts <- function() {
  list(
    Sys.info()[["nodename"]], processor_name(), processor_count(), R.version.string, extSoftVersion()[["BLAS"]],
    La_library(), as.character(utils::packageVersion("deepstride")), compiler_settings(), user_makevars(),
    Sys.getenv(c("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "R_ENABLE_JIT", "R_COMPILE_PKGS", "LD_PRELOAD"))
  )
}
