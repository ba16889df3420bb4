#!/bin/sh
# Installs the package and puts the command on the PATH, or says how to.
set -eu
cd "$(dirname "$0")/.."
library=$(Rscript -e 'lib <- .libPaths()[[1]]
if (file.access(lib, 2) != 0) {
  lib <- path.expand(Sys.getenv("R_LIBS_USER"))
  dir.create(lib, recursive = TRUE, showWarnings = FALSE)
}
cat(lib)')
# One installation at a time: a lock of R's that is there now was left by one that was killed.
if command -v flock >/dev/null 2>&1; then
  exec 9>"$library/.deepstride-installing"
  flock 9
  rm -rf "$library/00LOCK-$(basename "$PWD")"
fi
log=$(mktemp)
R CMD INSTALL --no-multiarch --library="$library" . >"$log" 2>&1 || { cat "$log" >&2; rm -f "$log"; exit 1; }
rm -f "$log"

bin=/usr/local/bin
[ -w "$bin" ] || bin=$HOME/.local/bin
mkdir -p "$bin"
ln -sf "$library/deepstride/exec/deepstride" "$bin/deepstride"
case ":$PATH:" in
  *":$bin:"*) ;;
  *) echo "The command is $bin/deepstride; to call it by name: export PATH=\"$bin:\$PATH\"" ;;
esac
