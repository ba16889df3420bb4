# Slow kernels of the Hollowmere catchment, as a working scientist writes them first. `# hot` marks the line that
# takes the time; `inputs` makes the arguments for a size, `size` is the largest that is tried.
# nolint start: seq_linter.
hollowmere_rain <- function(n) round(rgamma(n, 0.3, 0.1), 2)

climb_kernels <- list(
  routing = list(
    size = 8000, inputs = function(n) list(rain = hollowmere_rain(n), keep = 0.85),
    f = function(rain, keep) {
      out <- numeric(0)
      store <- 0
      for (r in rain) {
        store <- keep * store + r
        out <- c(out, (1 - keep) * store) # hot
      }
      out
    }
  ),
  snowmelt = list(size = 8000, inputs = function(n) {
    list(temp = rnorm(n, 0, 6), snow = hollowmere_rain(n), base = 0.5, rate = 3.2)
  }, f = function(temp, snow, base, rate) {
    melt <- c()
    cover <- 0
    for (day in seq_along(temp)) {
      potential <- if (temp[day] > base) rate * (temp[day] - base) else 0
      cover <- cover + snow[day]
      today <- min(cover, potential)
      cover <- cover - today
      melt <- c(melt, today) # hot
    }
    melt
  }),
  interpolation = list(size = 2000, inputs = function(n) {
    list(
      px = runif(n, 0, 40), py = runif(n, 0, 40), gx = runif(30, 0, 40), gy = runif(30, 0, 40),
      rain = rgamma(30, 2, 0.4)
    )
  }, f = function(px, py, gx, gy, rain) {
    out <- numeric(length(px))
    for (i in 1:length(px)) {
      top <- 0
      bottom <- 0
      for (j in 1:length(gx)) { # hot
        d <- sqrt((px[i] - gx[j])^2 + (py[i] - gy[j])^2) + 0.001
        top <- top + rain[j] / d^2
        bottom <- bottom + 1 / d^2
      }
      out[i] <- top / bottom
    }
    out
  }),
  semivariogram = list(size = 400, inputs = function(n) {
    list(x = runif(n, 0, 40), y = runif(n, 0, 40), z = rnorm(n), width = 4, bins = 8)
  }, f = function(x, y, z, width, bins) {
    total <- numeric(bins)
    count <- numeric(bins)
    n <- length(x)
    for (i in 1:(n - 1)) {
      for (j in (i + 1):n) { # hot
        d <- sqrt((x[i] - x[j])^2 + (y[i] - y[j])^2)
        b <- floor(d / width) + 1
        if (b <= bins) {
          total[b] <- total[b] + (z[i] - z[j])^2
          count[b] <- count[b] + 1
        }
      }
    }
    total / (2 * count)
  }),
  despiking = list(
    size = 5000, inputs = function(n) list(level = cumsum(rnorm(n)), half = 3, limit = 2),
    f = function(level, half, limit) {
      clean <- level
      for (i in (half + 1):(length(level) - half)) {
        middle <- sort(level[(i - half):(i + half)])[half + 1] # hot
        if (abs(level[i] - middle) > limit) clean[i] <- middle
      }
      clean
    }
  ),
  overtopping = list(size = 50000, inputs = function(n) list(n = n, crest = 4.2), f = function(n, crest) {
    over <- 0
    for (i in 1:n) { # hot
      stage <- 2 + rgamma(1, 3, 2)
      if (stage > crest) over <- over + 1
    }
    over / n
  }),
  diffusion = list(
    size = 3000, inputs = function(n) list(moisture = runif(n, 0.1, 0.4), k = 0.2, steps = 20),
    f = function(moisture, k, steps) {
      n <- length(moisture)
      for (step in 1:steps) {
        new <- moisture
        for (i in 2:(n - 1)) { # hot
          new[i] <- moisture[i] + k * (moisture[i - 1] - 2 * moisture[i] + moisture[i + 1])
        }
        moisture <- new
      }
      moisture
    }
  ),
  exceedances = list(size = 1500, inputs = function(n) list(level = rnorm(n), limit = 0.5), f = function(level, limit) {
    table <- NULL
    for (i in seq_along(level)) {
      if (level[i] > limit) table <- rbind(table, data.frame(hour = i, level = level[i])) # hot
    }
    table
  }),
  report_line = list(size = 8000, inputs = function(n) list(codes = sample(letters, n, TRUE)), f = function(codes) {
    line <- ""
    for (code in codes) line <- paste0(line, code) # hot
    line
  }),
  soil_column = list(size = 10000, inputs = function(n) {
    list(met = data.frame(rain = hollowmere_rain(n), et = runif(n, 0, 3), soil = 0), capacity = 120)
  }, f = function(met, capacity) {
    soil <- 60
    for (day in 1:nrow(met)) { # hot
      soil <- min(capacity, max(0, soil + met$rain[day] - met$et[day]))
      met$soil[day] <- soil
    }
    met
  }),
  anomalies = list(size = 20000, inputs = function(n) list(m = matrix(rnorm(n * 5), n)), f = function(m) {
    means <- apply(m, 1, mean) # hot
    m - means
  }),
  rating = list(
    size = 100000, inputs = function(n) list(depth = runif(n, 0, 4), a = 12, b = 1.6),
    f = function(depth, a, b) {
      sapply(depth, function(h) a * h^b) # hot
    }
  ),
  by_gauge = list(
    size = 100000, inputs = function(n) list(gauge = sample(30, n, TRUE), rain = hollowmere_rain(n)),
    f = function(gauge, rain) {
      total <- numeric(30)
      for (i in seq_along(gauge)) total[gauge[i]] <- total[gauge[i]] + rain[i] # hot
      total
    }
  ),
  mixing = list(
    size = 60, inputs = function(n) list(a = matrix(runif(n^2), n), b = matrix(runif(n^2), n)),
    f = function(a, b) {
      out <- matrix(0, nrow(a), ncol(b))
      for (i in 1:nrow(a)) {
        for (j in 1:ncol(b)) {
          for (k in 1:ncol(a)) out[i, j] <- out[i, j] + a[i, k] * b[k, j] # hot
        }
      }
      out
    }
  ),
  daily_mean = list(size = 20000, inputs = function(n) list(flow = rgamma(n, 2)), f = function(flow) {
    out <- rep(NA_real_, length(flow))
    for (i in 24:length(flow)) out[i] <- mean(flow[(i - 23):i]) # hot
    out
  }),
  mass_curve = list(
    size = 100000, inputs = function(n) list(rain = hollowmere_rain(n), area = 42),
    f = function(rain, area) {
      total <- 0
      curve <- numeric(length(rain))
      for (hour in 1:length(rain)) { # hot
        total <- total + rain[hour] * area / 1000
        curve[hour] <- total
      }
      curve
    }
  ),
  dry_spell = list(
    size = 100000, inputs = function(n) list(rain = hollowmere_rain(n), wet = 0.5),
    f = function(rain, wet) {
      longest <- 0
      run <- 0
      for (r in rain) { # hot
        if (r < wet) run <- run + 1 else run <- 0
        if (run > longest) longest <- run
      }
      longest
    }
  ),
  peaks = list(size = 50000, inputs = function(n) list(flow = rgamma(n, 2), limit = 5), f = function(flow, limit) {
    at <- c()
    for (i in 2:(length(flow) - 1)) {
      if (flow[i] > limit && flow[i] > flow[i - 1] && flow[i] >= flow[i + 1]) at <- c(at, i) # hot
    }
    at
  }),
  evaporation = list(
    size = 3000, inputs = function(n) list(temp = rnorm(n, 12, 5), wind = runif(n, 0, 6), k = 0.3),
    f = function(temp, wind, k) {
      wet <- 0
      out <- numeric(length(temp))
      for (i in seq_along(temp)) {
        wet <- wet * exp(-k) + max(0, temp[i] - mean(temp)) * wind[i] / sd(wind) # hot
        out[i] <- wet
      }
      out
    }
  ),
  distances = list(size = 300, inputs = function(n) list(x = runif(n), y = runif(n)), f = function(x, y) {
    d <- matrix(0, length(x), length(x))
    for (i in seq_along(x)) {
      for (j in seq_along(x)) d[i, j] <- sqrt((x[i] - x[j])^2 + (y[i] - y[j])^2) # hot
    }
    d
  }),
  flags = list(
    size = 100000, inputs = function(n) list(level = rnorm(n, 2), low = 0.5, high = 3.5),
    f = function(level, low, high) {
      flag <- integer(length(level))
      for (i in seq_along(level)) { # hot
        if (level[i] < low) {
          flag[i] <- 1L
        } else if (level[i] > high) {
          flag[i] <- 2L
        } else {
          flag[i] <- 0L
        }
      }
      flag
    }
  ),
  cells = list(
    size = 3000, inputs = function(n) list(met = data.frame(rain = hollowmere_rain(n), temp = rnorm(n))),
    f = function(met) {
      store <- 0
      for (i in 1:nrow(met)) {
        store <- max(0, store * 0.9 + met[i, "rain"] - 0.1 * max(0, met[i, "temp"])) # hot
      }
      store
    }
  ),
  lag_one = list(size = 100000, inputs = function(n) list(x = rnorm(n)), f = function(x) {
    m <- mean(x)
    top <- 0
    bottom <- 0
    for (i in 2:length(x)) top <- top + (x[i] - m) * (x[i - 1] - m) # hot
    for (i in 1:length(x)) bottom <- bottom + (x[i] - m)^2
    top / bottom
  }),
  storms = list(size = 30000, inputs = function(n) list(rain = hollowmere_rain(n), wet = 1), f = function(rain, wet) {
    storms <- list()
    from <- 0
    for (hour in seq_along(rain)) {
      if (rain[hour] > wet && from == 0) from <- hour
      if (rain[hour] <= wet && from > 0) {
        storms[[length(storms) + 1]] <- c(from, hour - 1, sum(rain[from:(hour - 1)])) # hot
        from <- 0
      }
    }
    do.call(rbind, storms)
  })
)
# nolint end

# Kernels written after the rules stood and measured before any rule was changed for them; the same form as above.
# nolint start: seq_linter.
climb_later <- list(
  gap_fill = list(size = 50000, inputs = function(n) {
    list(level = replace(cumsum(rnorm(n)), sample(2:(n - 1), n %/% 5), NA))
  }, f = function(level) {
    filled <- level
    i <- 1
    while (i < length(level)) { # hot
      if (is.na(level[i])) {
        j <- i
        while (j <= length(level) && is.na(level[j])) j <- j + 1
        if (j <= length(level)) {
          for (k in i:(j - 1)) filled[k] <- level[i - 1] + (level[j] - level[i - 1]) * (k - i + 1) / (j - i + 1)
        }
        i <- j
      } else {
        i <- i + 1
      }
    }
    filled
  }),
  high_water = list(size = 6000, inputs = function(n) list(level = cumsum(rnorm(n))), f = function(level) {
    mark <- c()
    for (i in 1:length(level)) {
      mark[i] <- max(level[1:i]) # hot
    }
    mark
  }),
  hydrograph = list(
    size = 5000, inputs = function(n) list(rain = hollowmere_rain(n), uh = dgamma(1:48, 3, 0.2)),
    f = function(rain, uh) {
      flow <- rep(0, length(rain))
      for (t in 1:length(rain)) {
        for (k in 1:length(uh)) { # hot
          if (t - k + 1 > 0) {
            flow[t] <- flow[t] + rain[t - k + 1] * uh[k]
          }
        }
      }
      flow
    }
  ),
  runoff = list(size = 50000, inputs = function(n) {
    list(cover = sample(c("forest", "meadow", "bog"), n, TRUE), slope = runif(n, 0, 0.4))
  }, f = function(cover, slope) {
    coefficient <- rep(NA, length(cover))
    for (i in 1:length(cover)) { # hot
      if (cover[i] == "forest") {
        coefficient[i] <- 0.1 + 0.2 * slope[i]
      } else if (cover[i] == "meadow") {
        coefficient[i] <- 0.2 + 0.4 * slope[i]
      } else {
        coefficient[i] <- 0.6
      }
    }
    coefficient
  }),
  monthly = list(
    size = 20000, inputs = function(n) list(month = rep(seq_len(n / 20), 20), rain = hollowmere_rain(n)),
    f = function(month, rain) {
      table <- data.frame()
      for (m in unique(month)) {
        table <- rbind(table, data.frame(month = m, rain = sum(rain[month == m]))) # hot
      }
      table
    }
  ),
  bootstrap = list(size = 4000, inputs = function(n) list(flow = rgamma(50, 2), times = n), f = function(flow, times) {
    means <- c()
    for (b in 1:times) {
      again <- sample(flow, length(flow), replace = TRUE)
      means <- c(means, mean(again)) # hot
    }
    quantile(means, c(0.05, 0.95))
  }),
  duration = list(
    size = 2000, inputs = function(n) list(flow = rgamma(n, 2), limits = seq(0, 6, length.out = 100)),
    f = function(flow, limits) {
      share <- numeric(length(limits))
      for (j in seq_along(limits)) {
        count <- 0
        for (i in seq_along(flow)) { # hot
          if (flow[i] > limits[j]) count <- count + 1
        }
        share[j] <- count / length(flow)
      }
      share
    }
  ),
  reach = list(
    size = 100000, inputs = function(n) list(up = rgamma(n, 2), k = 6, x = 0.2, dt = 3),
    f = function(up, k, x, dt) {
      down <- numeric(length(up))
      down[1] <- up[1]
      for (t in 2:length(up)) { # hot
        d <- k * (1 - x) + dt / 2
        c0 <- (dt / 2 - k * x) / d
        c1 <- (dt / 2 + k * x) / d
        c2 <- (k * (1 - x) - dt / 2) / d
        down[t] <- c0 * up[t] + c1 * up[t - 1] + c2 * down[t - 1]
      }
      down
    }
  ),
  tracer = list(
    size = 2000, inputs = function(n) list(particles = n, steps = 50, drift = 0.1, spread = 0.5),
    f = function(particles, steps, drift, spread) {
      arrived <- 0
      for (p in 1:particles) {
        x <- 0
        for (s in 1:steps) {
          x <- x + drift + spread * rnorm(1) # hot
        }
        if (x > 5) arrived <- arrived + 1
      }
      arrived / particles
    }
  ),
  smoothing = list(size = 60, inputs = function(n) list(dem = matrix(runif(n^2, 100, 300), n)), f = function(dem) {
    smooth <- dem
    for (i in 2:(nrow(dem) - 1)) {
      for (j in 2:(ncol(dem) - 1)) {
        smooth[i, j] <- mean(dem[(i - 1):(i + 1), (j - 1):(j + 1)]) # hot
      }
    }
    smooth
  }),
  normal_depth = list(size = 5000, inputs = function(n) {
    list(flow = rgamma(n, 3, 0.5), width = 4, slope = 0.002, rough = 0.03)
  }, f = function(flow, width, slope, rough) {
    depth <- NULL
    for (q in flow) {
      h <- 1
      repeat {
        through <- width * h * (width * h / (width + 2 * h))^(2 / 3) * sqrt(slope) / rough # hot
        step <- (through - q) / (5 * width / 3 * sqrt(slope) / rough * h^(2 / 3))
        h <- max(h - step, 0.01)
        if (abs(step) < 1e-8) break
      }
      depth <- append(depth, h)
    }
    depth
  }),
  wet_days = list(
    size = 20000, inputs = function(n) list(rain = matrix(hollowmere_rain(n * 8), n), limit = 1),
    f = function(rain, limit) {
      apply(rain, 1, function(day) sum(day > limit)) # hot
    }
  )
)
# nolint end
