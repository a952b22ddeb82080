#!/bin/sh
# Set-up for `make demo` and `make test`: R packages (Debian's built ones where this is Debian and we
# are root, else from CRAN into the project's own library), then this package itself. A second run
# finds everything there and does nothing; one that was killed is taken up where it stopped.
# Usage: tools/setup.sh demo|test|lint|check
set -eu
cd "$(dirname "$0")/.."
goal=${1:-demo}
lib=$PWD/.library
mkdir -p "$lib"
R_LIBS="$lib${R_LIBS:+:$R_LIBS}"
NUBREK_LIB=$lib
export R_LIBS NUBREK_LIB

# What the package needs; then what is taken where a built package exists: a smaller report,
# spreadsheets. The tests need these too, and more.
needs="Rcpp checkmate cli data.table ggplot2 htmltools jsonlite optparse rlang scales yaml"
wishes="svglite"
built="readxl openxlsx"
[ "$goal" = demo ] || needs="$needs $built nanoparquet testthat withr generics codetools knitr hunspell DBI RSQLite shiny bslib callr"
[ "$goal" != lint ] || needs="$needs lintr"
[ "$goal" != check ] || needs="$needs rmarkdown"

missing() {   # the R packages that cannot be found
  Rscript --vanilla -e 'need <- commandArgs(TRUE)' \
    -e 'cat(need[!vapply(need, function(p) nzchar(system.file(package = p)), NA)])' "$@"
}
can_apt() {
  command -v apt-get >/dev/null 2>&1 && [ "$(id -u)" = 0 ] && [ "${NUBREK_SETUP:-}" != cran ]
}
apt() { apt-get -o DPkg::Lock::Timeout=300 "$@"; }

lacking=$(missing $needs $wishes $built)
if can_apt; then
  programs=""
  # figures need a font family; a bare machine has none
  dpkg -s fonts-dejavu-core >/dev/null 2>&1 || programs="fonts-dejavu-core"
  [ "$goal" = demo ] || command -v chromium >/dev/null 2>&1 || programs="$programs chromium"
  if [ -n "$(echo "$lacking$programs" | tr -d ' ')" ]; then
    log=$lib/setup.log
    export DEBIAN_FRONTEND=noninteractive
    # an installation that was killed is ended first
    if [ -n "$(dpkg --audit 2>/dev/null)" ]; then
      dpkg --configure -a >"$log" 2>&1 || true
      apt install -y -f >>"$log" 2>&1 || true
    fi
    apt update >>"$log" 2>&1 || true
    debian=""
    for package in $lacking; do
      name=r-cran-$(echo "$package" | tr '[:upper:]' '[:lower:]')
      ! apt-cache show "$name" >/dev/null 2>&1 || debian="$debian $name"
    done
    echo "Setting up:$debian $programs"
    [ -z "$(echo "$debian$programs" | tr -d ' ')" ] ||
      apt install -y --no-install-recommends $debian $programs >>"$log" 2>&1 ||
      echo "Debian's packages could not be installed; trying CRAN for what is missing. Log: $log"
  fi
fi
lacking=$(missing $needs)
# only what is needed is worth a compilation, but a wish comes along with it
[ -z "$lacking" ] || lacking="$lacking $(missing $wishes)"
if [ -n "$(echo "$lacking" | tr -d ' ')" ]; then
  echo "Setting up from CRAN, into .library: $lacking (compiles; takes minutes)"
  rm -rf "$lib"/00LOCK*
  # a library that one of the test tools wants comes bundled in its package
  USE_BUNDLED_LIBUV=1 MAKEFLAGS=-j2 R_MAKEVARS_USER=$PWD/tools/makevars Rscript -e '
    if (identical(unname(getOption("repos")["CRAN"]), "@CRAN@"))
      chooseCRANmirror(graphics = FALSE, ind = 1)
    install.packages(commandArgs(TRUE), lib = Sys.getenv("NUBREK_LIB"),
                     Ncpus = max(1L, parallel::detectCores()), quiet = TRUE)' $lacking
  lacking=$(missing $needs)
  [ -z "$lacking" ] || { echo "Still missing: $lacking" >&2; exit 1; }
fi

# This package, again only when one of its files is newer than the last installation.
stamp=$lib/nubrek.stamp
changed() {
  find DESCRIPTION NAMESPACE R src inst exec man -newer "$stamp" ! -name '*.[od]' ! -name '*.so' \
    -type f | head -n 1
}
# An object is made again when one of the files it was made of (listed beside it) is newer.
drop_stale_objects() {
  for object in src/*.o; do
    list=${object%.o}.d
    made_of=$(sed 's/^[^:]*://; s/\\$//' "$list" 2>/dev/null || true)
    newer=$(cd src && find $made_of Makevars -newer "../$object" 2>/dev/null) || newer=gone
    [ -n "$made_of" ] && [ -z "$newer" ] || rm -f "$object" "$list" src/*.so
  done
}
install() {
  rm -rf "$lib"/00LOCK*
  LISTS=-MMD R_MAKEVARS_USER=$PWD/tools/makevars MAKEFLAGS=-j2 \
    R CMD INSTALL --no-test-load --strip "$@" \
      --library="$lib" . >"$lib/install.log" 2>&1
}
if [ ! -f "$stamp" ] || [ ! -d "$lib/nubrek" ] || [ -n "$(changed)" ]; then
  echo "Installing nubrek into .library"
  touch "$stamp.new"
  drop_stale_objects
  # a compilation that was killed may have left half an object
  install || install --preclean || { tail -n 30 "$lib/install.log" >&2; exit 1; }
  mv "$stamp.new" "$stamp"
fi
