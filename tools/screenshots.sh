#!/bin/sh
# Makes the pictures of docs/screenshots/ from the demo.
set -eu
cd "$(dirname "$0")/.."
shots=docs/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
command=$(Rscript -e 'cat(system.file("exec", "deepstride", package = "deepstride"))')

export R_USER_CACHE_DIR="$work/cache"

# A terminal window of its own, so that what is seen is what a user sees.
export DISPLAY=:97
Xvfb $DISPLAY -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
trap 'kill $server 2>/dev/null; rm -rf "$work"' EXIT
sleep 1
cp -r inst/studies "$work/studies"
cp measure/scripts/snow_ledger.R "$work"

cat >"$work/route.R" <<'SCRIPT'
route <- function(rain, keep) {
  out <- numeric(length(rain))
  store <- 0
  for (hour in seq_along(rain)) {
    store <- keep * store + rain[hour]
    out[hour] <- (1 - keep) * store
  }
  out
}

labelled <- function(rain) {
  total <- 0
  for (r in rain) total <- total + r
  paste("rain:", total)
}
SCRIPT

cat >"$work/smooth.R" <<'SCRIPT'
smooth <- function(depth, keep) {
  n <- length(depth)
  store <- 0
  out <- numeric(n)
  for (i in seq_len(n)) {
    store <- keep * store + depth[i]
    out[i] <- store
  }
  scaled <- numeric(n)
  for (i in seq_len(n)) scaled[i] <- sqrt(out[i]) * 2 + depth[i]
  total <- 0
  for (i in seq_len(n)) total <- total + scaled[i]
  counts <- numeric(10)
  for (i in seq_len(n)) counts[ceiling(depth[i])] <- counts[ceiling(depth[i])] + 1
  list(scaled / total, counts, exp(-scaled))
}
SCRIPT

cat >"$work/errors.R" <<'SCRIPT'
library(deepstride)
store <- function(rain, keep) {
  held <- total <- 0
  for (r in rain) {
    held <- keep * held + r
    total <- total + held
  }
  total
}
errors <- ds_study("What rounding costs",
  inputs = function(n) list(rain = rgamma(n, 0.4, 0.1), keep = 0.85), sizes = c(100, 1e3, 1e4, 1e5, 1e6)
) |>
  ds_stage("loop", store) |>
  ds_stage("relaxed", ds_compile(store, "relaxed")) |>
  ds_stage("compensated", ds_compile(store, sums = "compensated")) |>
  ds_stage("single", ds_compile(store, precision = "single")) |>
  ds_agree(cases = FALSE)
ggplot2::ggsave(commandArgs(TRUE), ggplot2::autoplot(errors, "errors"), width = 8.5, height = 5.3, dpi = 150)
SCRIPT

cat >"$work/tuning.R" <<'SCRIPT'
library(deepstride)
product <- function(a, b) {
  out <- matrix(0, nrow(a), ncol(b))
  for (i in seq_len(nrow(a))) for (j in seq_len(ncol(b))) for (k in seq_len(ncol(a))) {
    out[i, j] <- out[i, j] + a[i, k] * b[k, j]
  }
  out
}
tuning <- ds_tune(function(tile, threads) ds_compile(product, block = c(i = tile, j = tile), threads = threads),
  over = list(tile = c(16, 64, 256, 1024), threads = 1:2), make = TRUE, unit = "rows and columns",
  inputs = function(n) list(a = matrix(runif(n^2), n), b = matrix(runif(n^2), n)), size = 600)
ggplot2::ggsave(commandArgs(TRUE), ggplot2::autoplot(tuning), width = 8.5, height = 5.3, dpi = 150)
SCRIPT

cat >"$work/inspect.R" <<'SCRIPT'
source("floods.R", keep.source = TRUE)
fast <- deepstride::ds_compile(floods)
invisible(fast(data.frame(rain = c(0.2, 9, 4)), 0.85))
deepstride::ds_inspect(fast)
SCRIPT

cat >"$work/floods.R" <<'SCRIPT'
floods <- function(met, keep, unit = c("mm", "cm"), limit = 1) {
  unit <- match.arg(unit)
  met$flow <- 0
  store <- 0
  for (hour in seq_len(nrow(met))) {
    store <- keep * store + met$rain[hour]
    met$flow[hour] <- (1 - keep) * store
  }
  for (hour in which(met$flow > limit)) {
    writeLines(sprintf("hour %d above %g %s", hour, limit, unit))
  }
  met
}
SCRIPT

# terminal NAME ARGUMENTS...: the end of the command's output in a window, a
# string of arguments for each call.
terminal() {
  name=$1
  shift
  echo "cd '$work'" >"$work/show.sh"
  for arguments in "$@"; do
    case $arguments in
      Rscript*) printf 'cat <<"LINE"\n$ cat inspect.R\nLINE\ncat inspect.R\ncat <<"LINE"\n$ %s\nLINE\n%s\n' \
        "$arguments" "$arguments" ;;
      *) printf 'cat <<"LINE"\n$ deepstride %s\nLINE\n"%s" %s\n' "$arguments" "$command" "$arguments" ;;
    esac >>"$work/show.sh"
  done
  printf 'touch "%s/done"\nsleep 60\n' "$work" >>"$work/show.sh"
  xterm -geometry 125x39+0+0 -fa "DejaVu Sans Mono" -fs 12 -bg white -fg black -e sh "$work/show.sh" &
  window=$!
  while [ ! -e "$work/done" ]; do sleep 1; done
  sleep 1
  import -window root -crop 1280x800+0+0 "$shots/$name-terminal.png"
  kill $window 2>/dev/null || true
  rm "$work/done"
}

terminal demo demo
terminal agree "agree studies/overtopping.R --out overtopping"
terminal compile "compile route.R --function route --like 'rain=double(10), keep=0.85'" \
  "compile route.R --function labelled --like 'rain=double(10)'" \
  "compile route.R --function route --like 'rain=double(10), keep=0.85' --emit c | grep -A6 DS_FOR_UP"
terminal lines "compile smooth.R --function smooth --like 'depth=double(10), keep=0.85' --emit lines"
terminal advise "advise studies/slow.R --function snowmelt"
terminal profile "profile studies/slow.R --function snowmelt --args 'temp=rnorm(4000, 2, 6), snow=runif(4000), base=0.5, factor=3' --out profile"
terminal climb "climb studies/routing.R --function route_grown --inputs rain_record --out climb > climb.txt; head -34 climb.txt"
terminal inspect "Rscript inspect.R"
terminal swap "swap snow_ledger.R"
terminal machine machine
"$command" demo --budget 12 --out "$work/later" --quiet
terminal compare "history --history runs.sqlite --add demo-output/result.json --note first" \
  "history --history runs.sqlite --add later/result.json --note later" \
  "compare 1 2 --history runs.sqlite --fail-if-slower 50%"

Rscript "$work/errors.R" "$shots/figure-errors.png"
Rscript "$work/tuning.R" "$shots/figure-tuning.png"
for kind in overview roofline; do cp "$work/demo-output/$kind.png" "$shots/figure-$kind.png"; done
cp "$work/climb/climb.png" "$shots/figure-climb.png"
cp "$work/profile/profile.png" "$shots/figure-profile.png"
cp "$work/overtopping/agreement.png" "$shots/figure-agreement.png"

chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking \
  --disable-component-update --disable-sync --hide-scrollbars --user-data-dir="$work/browser" \
  --window-size=1280,800 --screenshot="$shots/report.png" "file://$work/demo-output/report.html" >/dev/null 2>&1
ls -l $shots
