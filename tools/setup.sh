#!/bin/sh
# Installs what is missing.
#
#   tools/setup.sh            what the package needs, and the package itself
#   tools/setup.sh test       also what its tests and checks need
#   tools/setup.sh pictures   also what the screenshots of the README need
#
# As root on Debian it uses apt-get; elsewhere R packages come from CRAN into
# the user's own library, and it says which system programs are still missing.
set -eu
cd "$(dirname "$0")/.."
level=${1:-run}

run_packages="Rcpp cli ggplot2 htmltools jsonlite optparse processx rlang scales svglite tibble callr codetools withr xml2 DBI RSQLite"
test_packages="testthat roxygen2 lintr future knitr markdown"
packages=$run_packages
programs="R make gcc g++ gfortran"
[ "$level" = run ] || { packages="$packages $test_packages"; programs="$programs chromium clang"; }
[ "$level" = pictures ] && programs="$programs Xvfb xterm import"

debian_name() {
  case $1 in
    R|gcc|g++|gfortran|make) echo r-base-dev ;;
    chromium) echo chromium fonts-dejavu-core ;;
    Xvfb) echo xvfb ;;
    xterm) echo xterm ;;
    clang) echo clang ;;
    import) echo imagemagick ;;
    *) echo "r-cran-$(echo "$1" | tr '[:upper:]' '[:lower:]')" ;;
  esac
}

missing_programs() {
  for program in $programs; do command -v "$program" >/dev/null 2>&1 || echo "$program"; done
}

missing_packages() {
  command -v Rscript >/dev/null 2>&1 || { echo "$packages"; return; }
  Rscript -e 'wanted <- commandArgs(TRUE); cat(wanted[!vapply(wanted, requireNamespace, NA, quietly = TRUE)])' $packages 2>/dev/null
}

missing="$(missing_programs) $(missing_packages)"
wanted=$(for name in $missing; do debian_name "$name"; done | sort -u)
if [ -n "$wanted" ] && [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
  echo "Installing:" $wanted
  export DEBIAN_FRONTEND=noninteractive
  apt-get update -qq
  apt-get install -y -qq --no-install-recommends $wanted >/dev/null
fi

left=$(missing_programs)
[ -z "$left" ] || echo "Not there, please install:" $left >&2
command -v Rscript >/dev/null 2>&1 || exit 1

left=$(missing_packages)
if [ -n "$left" ]; then
  echo "Installing from CRAN: $left"
  Rscript - $left <<'R'
if (identical(getOption("repos")[["CRAN"]], "@CRAN@")) chooseCRANmirror(graphics = FALSE, ind = 1)
if (file.access(.libPaths()[[1]], 2) != 0) {
  dir.create(Sys.getenv("R_LIBS_USER"), recursive = TRUE, showWarnings = FALSE)
  .libPaths(Sys.getenv("R_LIBS_USER"))
}
install.packages(commandArgs(TRUE))
R
fi

tools/install.sh
