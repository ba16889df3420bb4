# Random loops over lists, records and data frames: by places, names and fields, read and written, of one kind and of
# several; days in tables, rows that are bound; and vectors that are filled by text.

# What a program reads: its table by places or by fields, its list by places or names.
table_uses <- function() {
  own <- list(
    place = c("d[[j]][i]", "d[i, j]", "d[i, k]", "d[[k]][i]", "sum(d[, j])", "mean(d[[k]])", "ncol(d)"),
    field = c("d$rain[i]", "d[i, \"flow\"]", "d$flow[j]", "nrow(d)", "sum(d$rain)", "row$flow", "row$rain"),
    list = c("l[[j]][1]", "l[[k]][i]", "length(l)", "sum(l[[k]])", "length(l[[j]])"),
    record = c("r[[i]]$area", "r[[j]]$no", "r[[i]]$no * s", "nchar(r[[i]]$name)"),
    deep = c("p$soil$depth", "p$soil$cap[i]", "p$n", "p$soil$cap[j]"),
    named = c("w[[k]]", "w[k]", "w[[i]]", "sum(w)", "length(names(w))"),
    queue = c(
      "length(u)", "u[[length(u)]][1]", "sum(u[[1]])", "m[[length(m)]]$a", "m[[1]]$b", "length(m)", "e$a", "e$b"
    ),
    grown = c("nrow(g)", "sum(g$rain)", "g$flow[nrow(g)]", "length(o)"),
    rows = c("nrow(z)", "sum(z$rain)", "z$flow[1]"),
    dated = c(
      "as.numeric(h$day[i] - h$day[1])", "as.integer(format(h$day[i], \"%d\"))", "h$rain[i]",
      "as.POSIXlt(h$day[j])$wday", "as.numeric(h$day[i] - t)", "as.numeric(h$day[j])", "sum(h$rain[h$day > h$day[i]])"
    ),
    bound = c("NROW(b)", "sum(b)", "w[[1]]")
  )
  styles <- list(
    c("place", "list"), c("field", "record"), c("place", "deep"), c("list", "record"), c("named", "place"), "queue",
    c("queue", "grown"), c("grown", "rows"), c("rows", "queue"), "dated", c("dated", "grown"), c("bound", "grown"),
    "bound"
  )
  tables$style <- sample(styles, 1)[[1]]
  tables$reads <- c(unlist(own[tables$style]), "s", "i", "2", if (!"field" %in% tables$style) "nchar(k)")
}

tables <- new.env()

table_number <- function(deep = 1) {
  less <- function() table_number(deep - 1)
  if (deep < 1) return(pick(tables$reads))
  switch(pick(1:6),
    sprintf("%s %s %s", less(), pick("+", "-", "*"), less()),
    sprintf("max(%s, %s)", less(), less()),
    sprintf("if (%s) %s else %s", table_condition(), less(), less()),
    less(),
    less(),
    less()
  )
}

table_condition <- function() {
  by_style <- list(
    place = c("is.numeric(d[[k]])", "is.character(d[[j]])", "is.na(d[i, k])", "is.integer(d[[k]])"),
    field = c("is.na(d$rain[i])", "d$flow[i] > 1"), list = c("is.null(l[[k]])", "length(l[[j]]) > 1"),
    named = c("k %in% names(w)", "w[[k]] > 1"),
    record = c("r[[i]]$name == \"mill\"", "r[[i]]$area > 1"), deep = "p$n > i", queue = "length(u) > 2",
    grown = "nrow(g) > 2", rows = "nrow(z) > 0", bound = "NROW(b) > 2",
    dated = c("h$day[i] > t", "is.na(t)", "is.null(t)", "h$day[i] >= \"2020-01-02\"", "h$day[j] - h$day[i] > 1")
  )
  pick(unlist(by_style[tables$style]), "i > 1", "isTRUE(s > 9)", "k == \"flow\"")
}

table_step <- function() {
  number <- function() table_number()
  by_style <- list(
    place = c(
      "d[[k]][i] <- %s", "d[i, j] <- %s", "d[[k]] <- d[[k]] * %s", "d$rain[i] <- %s", "n[k] <- %s",
      "n[k] <- if (k %%in%% names(n)) n[k] + %s else 1"
    ),
    named = c("w[k] <- %s", "w[[k]] <- w[[k]] + %s"),
    field = c("d$rain[i] <- %s", "d$flow[j] <- %s", "d[i, \"rain\"] <- %s"),
    list = c("l[[j]] <- %s", "l[[k]][i] <- %s"),
    record = "for (q in r) s <- s + q$area * %s", deep = c("p$soil$depth <- %s", "p$soil$cap[i] <- %s"),
    queue = c(
      "u <- c(u, list(%s))", "u <- c(u, list(c(%s, i), 2L))", "{\nu <- u[-1]\ns <- s + %s\n}", "u[[i]] <- %s",
      "{\ne <- m[[length(m)]]\nm[[length(m)]] <- NULL\ns <- s + %s\n}", "m <- c(m, list(list(a = %s, b = i)))",
      "m[[length(m) + 1]] <- list(a = i, b = %s)", "m[[1]]$a <- %s", "m[[i]]$b <- %s", "for (v in u) s <- s + v[1] * %s"
    ),
    grown = c(
      "g <- rbind(g, data.frame(rain = %s, flow = i))", "o[[length(o) + 1]] <- data.frame(rain = %s, i)",
      "if (i > 1) g <- rbind(g, data.frame(rain = i, flow = %s))", "g[nrow(g) + 1, ] <- list(%s, i)",
      "g[nrow(g) + 1, ] <- c(i, %s)"
    ),
    rows = c("z <- d[d$rain > %s, ]", "z <- subset(d, flow > %s)", "{\nz <- d[i, ]\ns <- s + %s\n}"),
    dated = c(
      "{\nt <- h$day[i]\ns <- %s\n}", "t <- if (%s > 2) h$day[i] else h$day[j]", "if (s > %s) t <- h$day[i] + 1",
      "{\nt <- NA\ns <- %s\n}", "{\nt <- max(h$day[i], h$day[j])\ns <- %s\n}", "if (s < %s) return(h$day[i])",
      "g <- rbind(g, data.frame(rain = %s, flow = h$day[i]))", "h$day[j] <- h$day[i] + %s",
      "s <- c(0, h$day[i])[2] + %s"
    ),
    bound = c(
      "b <- rbind(b, c(t = %s, u = i))", "b <- rbind(b, w * %s)", "{\nb <- rbind(b, w)\ns <- %s\n}",
      "b <- rbind(b, c(t = i, w[1] * %s))", "w <- w * %s",
      "b <- rbind(b, c(%s, 1))", "{\nw[1] <- %s\nb <- rbind(b, w)\n}", "b <- cbind(b, c(t = %s, u = 2))"
    )
  )
  switch(pick(1:4),
    sprintf("s <- %s%s", pick("", "s + "), number()),
    sprintf(pick(unlist(by_style[tables$style])), number()),
    sprintf(pick(unlist(by_style[tables$style])), number()),
    sprintf("if (%s) %s", table_condition(), pick("next", "break", sprintf("s <- %s", number())))
  )
}

table_program <- function(seed) {
  set.seed(seed)
  table_uses()
  steps <- unlist(lapply(seq_len(sample(1:3, 1)), function(at) table_step()))
  given <- grepl("^[a-z][^{\n]* <- ", steps) & stats::runif(length(steps)) < 0.1
  steps[given] <- paste("y <-", steps[given]) # where the value is used again
  by_style <- list(
    named = "for (k in names(w))",
    place = c(
      "for (k in names(d)) for (i in 1:2)", "for (i in seq_len(nrow(d))) for (k in names(d))", "for (v in d)",
      "for (j in seq_len(ncol(d)))", "for (i in 1:2) for (j in 1:2)", "for (k in keys)",
      "for (k in c(\"flow\", \"site\"))"
    ),
    field = c("for (i in seq_len(nrow(d)))", "for (i in 1:3)"),
    list = c("for (k in names(l))", "for (j in seq_along(l))", "for (v in l)", "for (k in keys)"),
    record = c("for (q in r)", "for (i in seq_along(r))"), deep = "for (i in 1:2)", queue = "for (i in 1:3)",
    grown = c("for (i in 1:4)", "for (i in c(1, 2.5))"), rows = "for (i in 1:2)",
    dated = c("for (i in seq_len(nrow(h)))", "for (i in 1:3)", "for (v in h$day)"), bound = "for (i in seq_len(j + 2))"
  )
  over <- pick(unlist(by_style[tables$style]))
  variable <- sub("^for \\((.) .*", "\\1", over)
  uses <- c(v = pick("s <- s + sum(v)", "if (is.numeric(v)) s <- s + v[1]"), q = "s <- s + q$area")
  c(
    "function(d, l, r, p, w, keys, g, o, u, m, h, b, t) {", "y <- s <- 0", "i <- j <- 1", "k <- \"rain\"", "z <- d",
    "e <- m[[1]]",
    sprintf("n <- %s", pick("c()", "numeric()")), paste(over, "{"),
    if (any(grepl("row", steps, fixed = TRUE))) "row <- d[i, ]", if (variable %in% names(uses)) uses[[variable]],
    steps, "}", sprintf("list(s, d, l, p, w, n, g, o, u, m, h, b, t, y, %s)", pick("s", "z", "e", variable)), "}"
  )
}

table_arguments <- function(round) {
  set.seed(round)
  number <- function(count) sample(c(0.5, 2, NA, -1, 3, NaN), count)
  d <- data.frame(rain = number(3), flow = if (round %% 3) number(3) else sample(9, 3))
  if (round %% 4 == 3) d$site <- c("mill", "weir", NA)
  if (round %% 5 == 4) d <- d[2:1]
  parts <- list(rain = number(2), flow = number(3), mill = if (round %% 6 == 5) 1:2 else number(1))
  records <- lapply(1:3, function(at) list(area = at / 2, name = sample(c("mill", "weir"), 1), no = at))
  if (round %% 7 == 6) records[[2]]$area <- 1L
  list(
    d = d, l = if (round %% 8 == 7) unname(parts) else parts, r = records,
    p = list(soil = list(depth = 1.5, cap = if (runif(1) < 0.3) c(a = 1, b = 2) else c(1, 2, 3)), n = 2),
    w = stats::setNames(number(3), if (round %% 4 < 3) c("rain", "mill", "flow") else c("rain", "", "rain")),
    keys = sample(c("rain", "flow", "mill", "site", NA, ""), 3, prob = c(4, 4, 2, 1, 0.3, 0.3)),
    g = list(data.frame(), NULL, data.frame(rain = 1L, flow = 0.5), d[1:2])[[round %% 4 + 1]],
    o = list(list(), list(5), vector("list", 2))[[round %% 3 + 1]],
    u = list(list(1, c(2, NA)), list(1:2, 0.5), list(3L, 4:6), list(a = 1, b = 2))[[round %% 4 + 1]],
    h = data.frame(day = days_drawn(round), rain = number(3)),
    t = list(NULL, NA, as.Date("2020-01-02"))[[sample(3, 1)]],
    b = list(
      NULL, c(p = 1, q = 2), matrix(0, 1, 2), matrix(1, 2, 2, dimnames = list(NULL, c("p", "q")))
    )[[sample(4, 1)]],
    m = lapply(1:3, function(at) {
      if (round %% 5 == 1) list(b = 1, a = at) else list(a = if (at == 2) 2L else at, b = at / 2)
    })
  )
}

days_drawn <- function(round) {
  day <- as.Date("2020-01-01") + sample(c(0, 1, 1.5, NA, 40), 3)
  time <- as.POSIXct("2020-01-01", tz = "UTC") + sample(c(0, 30, 4000, 1e5), 3)
  list(day, time, day, as.numeric(day), structure(as.integer(day), class = "Date"))[[round %% 5 + 1]]
}

# NULL, or what differs between such a loop in R and compiled.
table_mismatch <- function(seed, rounds = 8) parts_mismatch(seed, table_program(seed), table_arguments, rounds)

# A function compiled, which must give what R gives, twice, printing included.
compiled_as_in_r <- function(f, ...) {
  without_comparing()
  fast <- ds_compile(f)
  theirs <- outcome_of(f, list(...))
  for (call in 1:2) expect_identical(suppressMessages(outcome_of(fast, list(...))), theirs, label = deparse1(body(f)))
  fast
}

# Do the loops of a function run native, called twice? It gives what R gives either way.
over_parts <- function(f, ...) {
  parts <- ds_inspect(compiled_as_in_r(f, ...))$parts
  if (nrow(parts) && all(parts$runs == "native" & parts$handed_back == 0)) "native" else "R"
}

# A function compiled, which gives what R gives for each list of arguments.
same_as_r <- function(f, ...) {
  fast <- ds_compile(f)
  for (arguments in list(...)) {
    expect_identical(outcome_of(fast, arguments), outcome_of(f, arguments),
      label = paste(deparse(body(f))[[1]], deparse(arguments)[[1]])
    )
  }
  invisible(fast)
}
