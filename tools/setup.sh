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

# what the package and everything in the README need, and what the tests need beside it
needs="Rcpp checkmate cli data.table ggplot2 htmltools jsonlite optparse rlang scales yaml"
needs="$needs nanoparquet readxl openxlsx"
# the report is larger without it, and whole all the same
wishes="svglite"
[ "$goal" = demo ] || needs="$needs testthat withr generics codetools knitr hunspell DBI RSQLite shiny bslib callr"
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

lacking=$(missing $needs $wishes)
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
  USE_BUNDLED_LIBUV=1 Rscript -e '
    if (identical(unname(getOption("repos")["CRAN"]), "@CRAN@"))
      chooseCRANmirror(graphics = FALSE, ind = 1)
    install.packages(commandArgs(TRUE), lib = Sys.getenv("NUBREK_LIB"),
                     Ncpus = max(1L, parallel::detectCores()), quiet = TRUE)' $lacking
  lacking=$(missing $needs)
  [ -z "$lacking" ] || { echo "Still missing: $lacking" >&2; exit 1; }
fi

# this package, again only when one of its files is newer than the last installation
stamp=$lib/nubrek.stamp
changed() {
  find DESCRIPTION NAMESPACE R src inst exec man -newer "$stamp" ! -name '*.o' ! -name '*.so' \
    -type f | head -n 1
}
install() {
  rm -rf "$lib"/00LOCK*
  MAKEFLAGS="-j2" R CMD INSTALL --no-test-load --strip "$@" --library="$lib" . >"$lib/install.log" 2>&1
}
if [ ! -f "$stamp" ] || [ ! -d "$lib/nubrek" ] || [ -n "$(changed)" ]; then
  echo "Installing nubrek into .library"
  touch "$stamp.new"
  # objects do not know the headers they were made of
  for object in src/*.o; do
    if [ -f "$object" ] && [ -n "$(find src -name '*.h' -newer "$object" | head -n 1)" ]; then
      rm -f src/*.o src/*.so
    fi
  done
  # a compilation that was killed may have left half an object
  install || install --preclean || { tail -n 30 "$lib/install.log" >&2; exit 1; }
  mv "$stamp.new" "$stamp"
fi
