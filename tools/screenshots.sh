#!/bin/sh
# Makes the pictures of docs/screenshots/ from the demo.
set -eu
cd "$(dirname "$0")/.."
shots=docs/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
command=$(Rscript -e 'cat(system.file("exec", "deepstride", package = "deepstride"))')

# A terminal window of its own, so that what is seen is what a user sees.
export DISPLAY=:97
Xvfb $DISPLAY -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
trap 'kill $server 2>/dev/null; rm -rf "$work"' EXIT
sleep 1
cp -r inst/studies "$work/studies"

# terminal NAME COMMAND...: the end of a command's output in a window.
terminal() {
  name=$1
  shift
  cat >"$work/show.sh" <<SHOW
printf '$ deepstride %s\n' "$*"
cd "$work"
"$command" $*
touch "$work/done"
sleep 60
SHOW
  xterm -geometry 115x36+0+0 -fa "DejaVu Sans Mono" -fs 13 -bg white -fg black -e sh "$work/show.sh" &
  window=$!
  while [ ! -e "$work/done" ]; do sleep 1; done
  sleep 1
  import -window root -crop 1280x800+0+0 "$shots/$name-terminal.png"
  kill $window 2>/dev/null || true
  rm "$work/done"
}

terminal demo demo
terminal agree agree studies/overtopping.R --out overtopping

for kind in time speedup; do cp "$work/demo-output/$kind.png" "$shots/figure-$kind.png"; done
cp "$work/overtopping/agreement.png" "$shots/figure-agreement.png"

chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking \
  --disable-component-update --disable-sync --hide-scrollbars --user-data-dir="$work/browser" \
  --window-size=1280,800 --screenshot="$shots/report.png" "file://$work/demo-output/report.html" >/dev/null 2>&1
ls -l $shots
