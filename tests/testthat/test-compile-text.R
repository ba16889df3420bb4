# Text is read, compared, counted by, put elsewhere and made as in R.

same_both_times <- function(f, ...) {
  given <- list(...)
  fast <- ds_compile(f)
  for (call in 1:2) expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given))
  expect_gt(length(attr(fast, "ds_compiled")$routines), 0)
}

gauge <- c("weir", "ford", "weir", NA, "moor", "ford")

marked <- function(text, encoding) {
  Encoding(text) <- encoding
  text
}

test_that("texts among several are found, in parts too", {
  without_comparing()
  counted <- function(s) {
    letters <- strsplit(s, "")[[1]]
    n <- 0
    for (k in letters) if (k %in% c("G", "C")) n <- n + 1
    n / length(letters)
  }
  fast <- ds_compile(counted)
  for (s in c("GATTACA", "", "CGG")) expect_identical(fast(s), counted(s))
  expect_identical(sum(ds_inspect(fast)$parts$handed_back), 0)
})

test_that("grouping, edit distances, runs and labels run native", {
  grouped <- function(gauge, flow) {
    gauge <- gauge[!is.na(gauge)]
    kinds <- unique(gauge)
    sums <- numeric(length(kinds))
    for (j in seq_along(kinds)) for (i in seq_along(gauge)) if (gauge[i] == kinds[j]) sums[j] <- sums[j] + flow[i]
    list(kinds, sums, match("ford", kinds), "moor" %in% kinds)
  }
  same_both_times(grouped, gauge, c(1, 2, 3, 4, 5, 6))
  distance <- function(a, b) {
    d <- matrix(0, length(a) + 1, length(b) + 1)
    d[, 1] <- 0:length(a)
    d[1, ] <- 0:length(b)
    for (i in seq_along(a)) for (j in seq_along(b)) {
      cost <- if (a[i] == b[j]) 0 else 1
      d[i + 1, j + 1] <- min(d[i, j + 1] + 1, d[i + 1, j] + 1, d[i, j] + cost)
    }
    d[length(a) + 1, length(b) + 1]
  }
  same_both_times(distance, strsplit("hollow", "")[[1]], strsplit("mereflow", "")[[1]])
  runs <- function(words) {
    last <- "none"
    count <- 0
    for (word in words) {
      if (word != last) count <- count + 1
      last <- word
    }
    if (last == "b") -count else count
  }
  same_both_times(runs, c("a", "a", "b"))
  same_both_times(runs, c("a", NA, "b"))
  labels <- function(level) {
    out <- character(length(level))
    for (i in seq_along(level)) out[i] <- if (is.na(level[i])) NA_character_ else if (level[i] > 2) "high" else "low"
    kept <- out
    out[1] <- kept[length(kept)]
    list(out, kept)
  }
  same_both_times(labels, c(1, 3, 2))
  same_both_times(function(x, how = "up") if (how == "up") rev(x) else x, gauge, "down")
})

test_that("`switch()` goes by text that is known only when it runs", {
  without_comparing()
  capacity <- function(soil) {
    total <- 0
    kept <- character(0)
    for (one in soil) {
      total <- total + switch(substr(one, 1, 4),
        clay = 0.3,
        peat = ,
        loam = 0.2,
        "NA" = 9,
        0
      )
      found <- switch(one,
        7,
        ford = next,
        moor = {
          kept <- c(kept, "moor")
          1L
        }
      )
      total <- total + found
    }
    list(total, kept)
  }
  same_both_times(capacity, c("clay", "loam", "moor", NA, "ford", "peat", "x"))
  fast <- ds_compile(function(soil) {
    depth <- numeric(length(soil))
    for (i in seq_along(soil)) depth[i] <- switch(soil[i],
      clay = 1,
      peat = 2,
      stop("unknown: ", soil[i])
    )
    for (i in 1:3) depth[1] <- depth[1] + switch(i,
      a = 1,
      b = 2
    )
    depth
  })
  for (soil in list(c("clay", "peat"), "sand", c(clay = "peat"), NA_character_)) {
    expected <- outcome_of(attr(fast, "ds_compiled")$original, list(soil))
    expect_identical(suppressMessages(outcome_of(fast, list(soil))), expected)
  }
  for (code in c("switch(s, a = 1, 2, 3)", "switch(s, 2)", "switch(s, a = 1, 2)")) {
    f <- eval(bquote(function(s, n) for (i in 1:3) if (i == 3) return(n) else n <- n + .(str2lang(code))))
    expect_identical(suppressMessages(outcome_of(ds_compile(f), list("b", 0))), outcome_of(f, list("b", 0)))
  }
})

test_that("lines are split inside loops", {
  without_comparing()
  flows <- function(lines) {
    total <- 0
    for (line in lines) {
      fields <- strsplit(line, ",")[[1]]
      for (mark in unlist(strsplit(fields[1], ""))) if (mark == "w") total <- total + 100
      total <- total + as.numeric(fields[2])
    }
    total
  }
  for (lines in list(c("weir,3", "ford,4.5"), c("weir,x", "ww"), c(NA, ""))) {
    same_both_times(flows, lines)
  }
  expect_identical(ds_compile(function(k) {
    for (mark in strsplit("bab", "")[[1]]) if (mark == "b") k <- k + 1
    k
  }, whole = TRUE)(0), 2)
})

test_that("text of other encodings, shapes, names and types is R's", {
  latin <- "caf\xe9"
  Encoding(latin) <- "latin1"
  same_both_times(function(a, b) a == b, c(latin, "b", NA), c(enc2utf8(latin), "c", "d"))
  letters_of <- matrix(c("a", "b", "c", "d"), 2)
  same_both_times(function(m) {
    m[2, 2] <- m[1, 2]
    c(m[2, 1], m[, 2])
  }, letters_of)
  odd <- list(
    function(s) s < "b", function(s) s == 1, function(s) c(s, 1), function(s) sapply(s, nchar),
    function(s) mapply(function(w) 1, s), function(s) vapply(s, nchar, 1L), function(s) s[5], function(s) toupper(s),
    function(s) s[-s], function(s) ifelse(s == "a", 1, 0), function(s) as.numeric(s), function(s) if (s[1]) 1 else 2,
    function(s) {
      s[5] <- "z"
      s
    },
    function(s) {
      s[2] <- 1
      s
    },
    function(s) {
      for (i in 1:2) s <- c(s, s[i], "new")
      s
    }
  )
  for (f in odd) {
    fast <- ds_compile(f)
    for (s in list(c("a", "b"), c(x = "a", y = "TRUE"), character())) {
      expect_identical(suppressMessages(outcome_of(fast, list(s))), outcome_of(f, list(s)))
    }
  }
})

test_that("text is made as R makes it, of whatever it is made", {
  written <- function(v) {
    out <- character(length(v))
    for (i in seq_along(v)) out[i] <- paste0(paste("at", i, as.character(v[i]), sep = "-"), ":", v[i], v[i] > 1)
    out
  }
  odd <- c(0, -0, 1, 99999, 1e5, 123456, -5, 0.1, 1e15, 1e300, 2^31, NaN, Inf, NA)
  for (values in list(odd, c(1:3, NA, 100000L, .Machine$integer.max), c(TRUE, FALSE, NA))) {
    same_both_times(written, values)
  }
  cut <- function(s, from, to) {
    out <- character(0)
    for (one in s) for (i in from) out <- c(out, substr(one, i, to), if (startsWith(one, substr(one, 1, i))) "so")
    out
  }
  same_both_times(function(s) {
    found <- 0
    for (i in seq_len(nchar("weir") + 1)) if (substr(s, i, i + nchar("we") - 1) == "we") found <- found + nchar(s)
    found
  }, "weirs we")
  words <- c("hollowmere", "", "M\u00f6we", "caf\u00e9", NA, strrep("a", 2000))
  Encoding(words[[4]]) <- "latin1"
  for (one in words) same_both_times(cut, one, c(-2, 0:4, 2.9, NA), 3)
  same_both_times(cut, "weir", 1:3, c(2, 3)[2])
  joined <- function(x, between) {
    s <- ""
    for (i in seq_along(x)) s <- paste(s, toupper(x[i]), sub("e", "_", x[i]), sep = between)
    c(s, paste(x, collapse = "+"), sprintf("%s|%03d|%5.2f", x[1], length(x), pi))
  }
  for (between in list("-", "\u00b7", NA_character_, character(0))) same_both_times(joined, gauge[-4], between)
  numbers <- function(s) {
    total <- 0
    for (i in seq_along(s)) total <- total + as.numeric(sub("mm", "", s[i])) + strtoi("11", base = 2L)
    total
  }
  same_both_times(numbers, c("3mm", "4.5mm"))
  at_places <- function(v, p, how) {
    s <- character(0)
    for (i in 1:2) s <- c(s, substr(start = i, stop = 2, x = v), sub(x = v, pattern = p, replacement = "_"))
    c(s, format(pi), format(1e5), intToUtf8(c(72, 105)), paste(grepl(x = v, pattern = p)), paste(1, how, 2.5))
  }
  same_both_times(at_places, c("weir", "ford"), "r", "x")
  fast <- ds_compile(at_places)
  fast(c("weir", "ford"), "r", 12)
  withr::with_options(list(digits = 3, scipen = -9), {
    expect_identical(fast(c("weir", "ford"), "r", 12), at_places(c("weir", "ford"), "r", 12))
  })
  none <- list(c("3mm", "x"))
  expect_identical(suppressMessages(outcome_of(ds_compile(numbers), none)), outcome_of(numbers, none))
})

test_that("letters are counted in text of any encoding, and broken text is R's", {
  counting <- function(s) {
    n <- 0L
    for (w in s) if (nchar(w) > 1) n <- n + nchar(w)
    n
  }
  own <- c("weir", "", "m\u00fchle", "\u6c34\u8eca", marked("m\xfchle", "latin1"), marked("cr\xe8te", "latin1"))
  same_both_times(counting, own)
  broken <- list("\xff\xfe", marked("a\xff", "bytes"), marked("a\xff", "UTF-8"), NA_character_)
  loops <- list(
    counting, function(s) sum(vapply(1:3, function(i) s == "a", NA)),
    function(s) {
      k <- list()
      for (i in 1:2) k[[s]] <- i
      k
    },
    function(s) {
      out <- character(3)
      for (i in 1:3) out[i] <- if (s == "a") "b" else s
      out
    },
    function(s) {
      k <- 0
      for (i in 1:2) k <- k + switch(s,
        a = i,
        10
      )
      k
    }
  )
  for (f in loops) for (text in broken) expect_identical(
    suppressMessages(outcome_of(ds_compile(f), list(text))), outcome_of(f, list(text))
  )
})

test_that("a text of the kernel keeps its bytes and what they are said to be", {
  broken <- c("\xe9", "\xff1", "m\xfchle")
  said <- vapply(c("latin1", "bytes", "UTF-8"), marked, "", text = "cr\xe8te\t\"\\1")
  texts <- c(broken, said, "\u6c34\u8eca", "??/%s\a")
  told <- function(x) list(Encoding(x), lapply(x, charToRaw))
  kernels <- list(
    quote(function(x) .(text)), quote(function(x) paste0(x, .(text))), quote(function(x) rep(.(text), 2)),
    quote(function(x) {
      out <- character(2)
      for (i in 1:2) out[i] <- .(text)
      out
    })
  )
  for (text in texts) for (kernel in kernels) {
    f <- eval(do.call(bquote, list(kernel)))
    expect_identical(told(suppressMessages(ds_compile(f))("a")), told(f("a")), info = paste(deparse(f), collapse = " "))
  }
})
