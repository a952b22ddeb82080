#!/usr/bin/env bash
# The kernels under the address and undefined-behaviour sanitizers: the last commit is built apart,
# then its tests that drive C++, a part of the damaged inputs, and the models with extreme inputs
# run on it. Fails on any report. Usage: tools/sanitize.sh [FILTER]
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
flags="-g -O1 -fno-omit-frame-pointer -fsanitize=address,undefined"
printf 'CXXFLAGS = %s\nCXX17FLAGS = %s\nCXX14FLAGS = %s\nCXX11FLAGS = %s\n' "$flags" "$flags" "$flags" "$flags" > "$work/makevars"
mkdir "$work/library" "$work/source"
git archive HEAD | tar -x -C "$work/source"
R_MAKEVARS_USER="$work/makevars" R CMD INSTALL --no-docs --no-test-load -l "$work/library" "$work/source" > "$work/install.log" 2>&1 || { tail -20 "$work/install.log"; exit 1; }

export LD_PRELOAD="$(gcc -print-file-name=libasan.so):$(gcc -print-file-name=libubsan.so):$(gcc -print-file-name=libstdc++.so)"
# memory that R itself never gives back is no finding
export ASAN_OPTIONS="detect_leaks=0:log_path=$work/asan:allocator_may_return_null=1" UBSAN_OPTIONS="print_stacktrace=1:log_path=$work/ubsan"
export R_LIBS="$work/library:$PWD/.library"
cd "$work/source"        # the tests of the commit that was built, whatever is being edited meanwhile
status=0
Rscript tools/run-tests.R "${1:-^(models|fit|ledger-cells|ledger-proof|ledger-values|ledger-save|kernels|parts|rank|repeat|cohort)$}" || status=1
Rscript tools/extreme.R || status=1
Rscript -e 'e <- new.env(parent = asNamespace("nubrek")); sys.source("tools/fuzz-cases.R", e)
  for (kind in c("csv", "gz", "parquet", "kept")) for (i in 1:80) if (identical(c(e$fuzz_case(kind, i)), "defect")) stop(kind, " ", i)' || status=1
reports=$(find "$work" -maxdepth 1 -name 'asan*' -o -maxdepth 1 -name 'ubsan*' | wc -l)
find "$work" -maxdepth 1 \( -name 'asan*' -o -name 'ubsan*' \) -exec head -30 {} +
echo "$reports reports of the sanitizers"
[ "$status" = 0 ] && [ "$reports" = 0 ]
