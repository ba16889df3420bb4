# `deepstride machine`: what this host can do at best.

verb_machine <- function(command) {
  out <- asked_folder(command$options)
  machine <- allowInterrupts(ds_machine(command$options$refresh))
  faces <- write_faces(machine_faces(machine, out))
  give_answer(command, machine_document(machine), machine_lines(machine), faces$written)
  faces$status
}

machine_document <- function(machine) {
  tables <- lapply(machine[c("bandwidth", "operations", "latency", "caches", "seen", "costs")], table_document)
  c(tables, machine[c("clock_step", "noise", "pressure", "seconds")], list(facts = machine$facts))
}

machine_faces <- function(machine, out) {
  if (is.null(out)) return(NULL)
  c(
    list(machine.csv = function() write_table(machine$bandwidth, file.path(out, "machine.csv"))),
    drawn_faces("machine", out, function() figure_machine(machine))
  )
}
