# Heather, moss and open water on Birk Moss as cells that follow their
# neighbours: who spreads over fifty years?

set.seed(64)
rows <- 90
columns <- 110
open_water <- 0
moss <- 1
heather <- 2
cells <- matrix(sample(c(0, 1, 1, 2), rows * columns, replace = TRUE), rows, columns)
wetness <- matrix(runif(rows * columns), rows, columns)

count_neighbours <- function(cells, i, j, kind) {
  n <- 0
  for (di in -1:1) {
    for (dj in -1:1) {
      if (di == 0 && dj == 0) next
      a <- i + di
      b <- j + dj
      if (a >= 1 && a <= nrow(cells) && b >= 1 && b <= ncol(cells)) {
        if (cells[a, b] == kind) n <- n + 1
      }
    }
  }
  n
}

next_year <- function(cells, wetness) {
  new <- cells
  for (i in 1:nrow(cells)) {
    for (j in 1:ncol(cells)) {
      now <- cells[i, j]
      near_moss <- count_neighbours(cells, i, j, 1)
      near_heather <- count_neighbours(cells, i, j, 2)
      if (now == 0 && near_moss >= 4) {
        new[i, j] <- 1
      } else if (now == 1 && near_heather >= 3 && wetness[i, j] < 0.4) {
        new[i, j] <- 2
      } else if (now == 2 && wetness[i, j] > 0.8) {
        new[i, j] <- 1
      } else if (now == 1 && wetness[i, j] > 0.97) {
        new[i, j] <- 0
      }
    }
  }
  new
}

history <- data.frame()
for (year in 1:25) {
  cells <- next_year(cells, wetness)
  wetness <- 0.9 * wetness + 0.1 * matrix(runif(rows * columns), rows, columns)
  history <- rbind(history, data.frame(
    year = year, water = mean(cells == 0), moss = mean(cells == 1),
    heather = mean(cells == 2)
  ))
}
print(round(history[seq(1, 25, by = 4), ], 4))

edge_length <- function(cells) {
  edges <- 0
  for (i in 1:(nrow(cells) - 1)) {
    for (j in 1:(ncol(cells) - 1)) {
      if (cells[i, j] != cells[i + 1, j]) edges <- edges + 1
      if (cells[i, j] != cells[i, j + 1]) edges <- edges + 1
    }
  }
  edges
}
cat("Edges between kinds:", edge_length(cells), "\n")
image(cells)
matplot(history[, -1], type = "l")
invisible(dev.off())
