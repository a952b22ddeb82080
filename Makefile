# Two commands: `make demo` and `make test`. Each does all its own set-up.
LIB := $(CURDIR)/.library
export R_LIBS := $(LIB)$(if $(R_LIBS),:$(R_LIBS))
NUBREK := $(LIB)/nubrek/exec/nubrek

.PHONY: demo test test-long bench bench-models instructions promises engines test-engines test-daemons fuzz sanitize faults format lint catalogue site document check data screenshots clean

demo:
	@tools/setup.sh demo
	@if [ -d demo-study ]; then $(NUBREK) demo --folder demo-study --later; \
	  else $(NUBREK) demo --folder demo-study; fi
	@$(NUBREK) run demo-study/study.yaml

test:
	@tools/setup.sh test
	@Rscript tools/run-tests.R short

# What needs many worlds or much machine.
test-long:
	@tools/setup.sh test
	@Rscript tools/run-tests.R long

# For developers; `document` needs roxygen2 beside the rest.
document:
	@Rscript -e 'Rcpp::compileAttributes(".")'
	@tools/setup.sh test
	@Rscript -e 'roxygen2::roxygenise()'
	@tools/setup.sh test

# The layout of C++, by .clang-format.
format:
	@clang-format -i $$(ls src/*.cpp src/*.h | grep -v RcppExports)

# Help pages, vignettes and the questions as a site in site/, without the network. Needs pkgdown and pandoc.
site:
	@tools/setup.sh test
	@Rscript tools/site.R

# All texts of the faces, for translators.
catalogue:
	@tools/setup.sh demo
	@Rscript tools/catalogue.R

lint:
	@tools/setup.sh lint
	@Rscript tools/lint.R

check:
	@tools/setup.sh check
	@tools/check.sh

data:
	@Rscript data-raw/demo-world.R

# Ratios against general-purpose engines on the same work; sizes by `make bench LINES="2000000 20000000"`.
LINES ?= 2000000
bench:
	@tools/setup.sh demo
	@cd bench && npm install --no-audit --no-fund --silent
	@Rscript bench/run.R $(LINES)
	@Rscript bench/study.R
	@$(MAKE) --no-print-directory bench-models

CUSTOMERS ?= 1000000
bench-models:
	@tools/setup.sh demo
	@Rscript bench/models.R $(CUSTOMERS)

# Instructions of the passes on a small case, beside those of the last time (needs valgrind).
instructions:
	@tools/setup.sh demo
	@Rscript bench/instructions.R

# What Nubrek promises, over many drawn worlds: only what depends on changed code, or `ONLY=NAME`.
promises:
	@tools/setup.sh demo
	@Rscript bench/promises.R $(if $(filter command line,$(origin WORLDS)),--worlds $(WORLDS)) $(ONLY)

# What is asked of a ledger in its database: rows and bytes over the wire, and time.
engines:
	@tools/setup.sh test
	@Rscript bench/engines.R

# The ledger in a real PostgreSQL against the one in memory.
test-engines:
	@tools/setup.sh test
	@tools/test-engines.sh

# A ledger in parts on daemons over TLS.
test-daemons:
	@tools/setup.sh test
	@tools/test-daemons.sh

# How it stays safe: damaged inputs, kernels under sanitizers, kills and full disks (SECURITY.md).
CASES ?= 10000
fuzz:
	@tools/setup.sh test
	@Rscript tools/fuzz.R $(CASES)

sanitize:
	@tools/setup.sh test
	@tools/sanitize.sh

KILLS ?= 50
faults:
	@tools/setup.sh test
	@Rscript tools/faults.R $(KILLS)
	@Rscript tools/faults-between.R $(EDITS)

screenshots: demo
	@tools/screenshots.sh

clean:
	rm -rf .library demo-study src/*.o src/*.d src/*.so
