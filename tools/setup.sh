#!/bin/sh
# Installs what building, running and testing tundrel needs. Quick when nothing is missing.
set -eu

packages="base64enc BH bslib callr cli colorspace curl farver filelock future generics ggplot2 globals htmltools httpuv jsonlite mvtnorm optparse patchwork progressr ps ragg Rcpp
  RcppEigen readr readxl rlang rmarkdown roxygen2 shiny testthat tibble units withr xml2 yaml lintr"
debian="r-base-core g++ make catch2 pandoc chromium libssl-dev valgrind"

# By which tests drive the page in Chromium; Debian does not serve it. Without it these tests are skipped.
browser_driver() {
  Rscript --vanilla -e 'quit(status = !requireNamespace("chromote", quietly = TRUE))' >/dev/null 2>&1 && return 0
  echo "Installing from CRAN: chromote"
  log=$(mktemp) flags=$(mktemp)
  # it only passes on what the tests say: not worth what it takes to optimise it
  printf 'CXX%sFLAGS = -O0 -g0\n' '' 11 14 17 >"$flags"
  R_MAKEVARS_USER="$flags" MAKEFLAGS=-j2 Rscript --vanilla -e 'install.packages("chromote", repos = "https://cloud.r-project.org", Ncpus = 2L); quit(status = !requireNamespace("chromote", quietly = TRUE))' >"$log" 2>&1 ||
    { tail -n 5 "$log"; echo "chromote could not be installed: tests of the page in a browser will be skipped." >&2; }
  rm -f "$log" "$flags"
}

missing_r() {
  Rscript --vanilla -e 'wanted <- commandArgs(TRUE); cat(wanted[!wanted %in% rownames(installed.packages())])' $packages
}

if command -v apt-get >/dev/null 2>&1 && command -v dpkg-query >/dev/null 2>&1; then
  for p in $packages; do
    debian="$debian r-cran-$(echo "$p" | tr '[:upper:]' '[:lower:]')"
  done
  missing=""
  there=" $(dpkg-query -W -f '${db:Status-Abbrev}${Package} ' 2>/dev/null | sed 's/ii  *//g') "
  for p in $debian; do
    case "$there" in *" $p "*) ;; *) missing="$missing $p" ;; esac
  done
  if [ -z "$missing" ]; then browser_driver; exit 0; fi
  if [ "$(id -u)" = 0 ]; then
    echo "Installing:$missing"
    log=$(mktemp)
    export DEBIAN_FRONTEND=noninteractive
    { apt-get update -qq && apt-get install -y -qq --no-install-recommends $missing; } >"$log" 2>&1 ||
      { tail -n 20 "$log"; echo "apt-get could not install:$missing" >&2; exit 1; }
    rm -f "$log"
    browser_driver
    exit 0
  fi
fi

if ! command -v Rscript >/dev/null 2>&1; then
  echo "tundrel needs R 4.1 or later and a C++17 compiler: install them, then run 'make setup' again." >&2
  exit 1
fi
missing=$(missing_r)
[ -z "$missing" ] && exit 0
echo "Installing from CRAN: $missing"
if ! Rscript --vanilla -e '
  library <- Sys.getenv("R_LIBS_USER")
  dir.create(library, recursive = TRUE, showWarnings = FALSE)
  install.packages(strsplit(commandArgs(TRUE), " ")[[1]], lib = library, repos = "https://cloud.r-project.org")
' "$missing" || [ -n "$(missing_r)" ]; then
  echo "Could not install all of it: run  Rscript -e 'install.packages(c(\"$(echo "$missing" | sed 's/ /","/g')\"))'  where CRAN can be reached." >&2
  exit 1
fi
