# The demo studies, as they are installed with the package.
demo_file <- function(name = "routing") {
  system.file("studies", paste0(name, ".R"), package = "deepstride", mustWork = TRUE)
}

# What the demo is timed with: done within half a minute.
demo_plan <- function() ds_plan(budget = 24, cell_limit = 1)

demo_studies <- c("routing", "snowmelt", "interpolation", "overtopping")
