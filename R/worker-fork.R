# A copy of this session that answers questions. It has all that the session has, and
# whatever becomes of it (a crash, quit(), an endless loop, a flood of output), the
# session goes on.

most_printed <- 10e6 # bytes that one answer may print

can_fork <- function() .Platform$OS.type == "unix"

# `answer` is what the copy does with a question; what it prints goes to the file `said`.
start_fork <- function(said, answer) {
  dir.create(dirname(said), showWarnings = FALSE)
  file.create(said)
  made <- tryCatch(fork_process(said), error = function(e) {
    abort_ds("worker", "A worker process could not be started.", condition_line(e), cause = e)
  })
  if (made$copy) serve_fork(made$socket, answer)
  list2env(list(pid = made$pid, socket = made$socket, said = said, lives = TRUE), parent = emptyenv())
}

quit_status <- 117L # a copy that left through quit()

# In the copy, and never out of it: neither an error nor a jump to top level may go
# on with the session's program, nor quit() clean up what is the session's.
serve_fork <- function(socket, answer) {
  on.exit(leave_process(1L))
  restore_user_settings()
  reg.finalizer(environment(), function(e) leave_process(quit_status), onexit = TRUE)
  repeat {
    question <- receive_message(socket, Inf, NULL, Inf)
    if (!is.raw(question)) leave_process(0L)
    answered <- guarded_answer(answer, unserialize(question))
    if (!send_message(socket, serialize(answered, NULL, xdr = FALSE))) leave_process(0L)
  }
}

guarded_answer <- function(answer, question) {
  withRestarts(
    tryCatch(
      withCallingHandlers(answer(question), ds_progress = function(p) invokeRestart("muffle_progress")),
      error = function(e) new_fault("failed", "error", message = condition_line(e)),
      interrupt = function(i) new_fault("failed", "jump")
    ),
    abort = function() new_fault("failed", "jump")
  )
}

# The copy's answer, or a fault when it took longer than `limit` seconds, printed
# without end, or died. After a fault of these the copy is gone. `wait`: how long the answer
# may be on its way where the limit is on a part of it.
ask_fork <- function(fork, question, limit, wait = limit) {
  whole <- FALSE
  if (isTRUE(file.size(fork$said) > most_printed / 10)) file.create(fork$said)
  on.exit(if (!whole) stop_fork(fork)) # interrupted: its answer would be taken for the next one's
  sent <- send_message(fork$socket, serialize(question, NULL, xdr = FALSE))
  got <- if (sent) receive_message(fork$socket, wait, fork$said, most_printed) else "closed"
  whole <- is.raw(got)
  if (whole) return(unserialize(got))
  switch(got,
    timeout = overrun_fault(limit),
    loud = new_fault("stopped", "loud", bytes = most_printed),
    death_fault(stop_fork(fork, wait = 2))
  )
}

# Ends the copy; its exit status.
stop_fork <- function(fork, wait = 0) {
  if (!fork$lives) return(NA_integer_)
  fork$lives <- FALSE
  unlink(fork$said)
  end_process(fork$pid, fork$socket, wait)
}

# What became of a process that ended while it was asked.
death_fault <- function(status) {
  if (is.na(status)) return(new_fault("crashed", "gone"))
  if (status == quit_status) return(new_fault("crashed", "quit"))
  if (status < 0) new_fault("crashed", "signal", signal = -status) else new_fault("crashed", "exit", status = status)
}
