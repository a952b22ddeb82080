#!/usr/bin/env bash
# `R CMD check` on the built package. Tests and the code of vignettes have run before (`make test`).
# Fails on an error, a warning, or a note that is not explained here.
set -euo pipefail
cd "$(dirname "$0")/.."
# The demo world (3 MB) and the compiled core with what a debugger wants (13 MB; `make` strips it).
explained='installed package size'

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/source"
git archive HEAD | tar -x -C "$work/source"
export R_LIBS="$PWD/.library${R_LIBS:+:$R_LIBS}" _R_CHECK_FORCE_SUGGESTS_=false
export MAKEFLAGS=-j2
# the linker sees all files together, and says where two define one thing differently
printf 'CXX17FLAGS = -O1 -flto -Wodr -Wlto-type-mismatch\n' > "$work/makevars"
export R_MAKEVARS_USER=$work/makevars
cd "$work"
R CMD build --no-build-vignettes source >build.log 2>&1 || { cat build.log; exit 1; }
R CMD check --no-manual --no-tests --ignore-vignettes nubrek_*.tar.gz >check.log 2>&1 || true
tail -n 4 check.log | head -n 1
# mirai compiles for minutes: what needs it has a test of its own (`make test-daemons`)
if grep -q '^Package suggested but not available for checking: .mirai.$' check.log; then
  explained="$explained|checking package dependencies"
fi
torn=$(grep -hE 'Wodr|Wlto-type-mismatch' nubrek.Rcheck/00install.out | grep -v '^g++' || true)
[ -z "$torn" ] || { echo "Two definitions of one name: $torn"; exit 1; }
wrong=$(grep -E '^\*.* (NOTE|WARNING|ERROR)$' check.log | grep -Ev "$explained" || true)
if [ -n "$wrong" ] || ! grep -q '^Status:' check.log; then
  cat check.log
  echo "R CMD check found: ${wrong:-that it could not end}"
  exit 1
fi
grep '^Status:' check.log
