# Everything a developer or a user of the sources needs; `make setup` first, or let the others call it.
LIBRARY := build/library
INSTALLED := $(LIBRARY)/tundrel/Meta/package.rds
SOURCES := $(shell find R src inst exec man DESCRIPTION NAMESPACE -type f ! -name '*.o' ! -name '*.so' 2>/dev/null)
QUIET := R_MAKEVARS_USER=$(CURDIR)/tools/Makevars.quiet MAKEFLAGS=-j2
WITH_LIBRARY := R_LIBS="$(CURDIR)/$(LIBRARY)"

.PHONY: setup install demo test fuzz core-test sanitize check coverage lint bench site document screenshots install-cli clean

setup:
	@sh tools/setup.sh

install: setup $(INSTALLED)

$(INSTALLED): $(SOURCES)
	@mkdir -p $(LIBRARY)
	@echo "Installing tundrel into $(LIBRARY) ..."
	@$(QUIET) R CMD INSTALL --no-test-load --library=$(LIBRARY) . > build/install.log 2>&1 \
	  || { tail -n 40 build/install.log; echo "The whole log is in build/install.log"; exit 1; }
	@touch $@

demo: install
	@$(LIBRARY)/tundrel/exec/tundrel demo --out results

# The core's tests are compiled beside what of the package's installation keeps one processor waiting.
test: setup
	@$(MAKE) --no-print-directory -j2 build/core-tests
	@sh tools/instructions.sh
	@$(WITH_LIBRARY) Rscript tools/test.R

# Files changed at random, of every kind that is read: some 40 minutes.
fuzz: install
	@$(WITH_LIBRARY) Rscript tests/fuzz/run.R 20000

CORE_SOURCES := $(shell find src/core -name '*.cpp')
CORE_HEADERS := $(shell find src/core tests/core -name '*.h')
CORE_TESTS := $(sort $(wildcard tests/core/*.cpp))
EIGEN := $(shell Rscript -e 'cat(system.file("include", package = "RcppEigen"))' 2>/dev/null)

build/%.o: %.cpp $(CORE_HEADERS)
	@mkdir -p $(dir $@)
	@$(CXX) -std=c++17 -O2 -Wall -Wextra -DEIGEN_NO_DEBUG -isystem $(EIGEN) -Isrc/core -c $< -o $@

# The core's tests are compiled in two parts by their names, one for each processor, so that a new one is in one of them; what only tests is not worth more than a first optimisation.
CORE_TEST_FLAGS := -std=c++17 -O1 -Wall -Wextra -Wno-maybe-uninitialized -DEIGEN_NO_DEBUG -isystem $(EIGEN) -Isrc/core -I.
FIRST_TESTS := $(wildcard tests/core/main.cpp tests/core/test_[a-j]*.cpp)
build/core-tests-1.o: $(FIRST_TESTS)
build/core-tests-2.o: $(filter-out $(FIRST_TESTS),$(CORE_TESTS))
build/core-tests-%.o: $(CORE_HEADERS)
	@mkdir -p build
	@printf '#include "%s"\n' $(filter %.cpp,$^) > $(@:.o=.unit)
	@nice $(CXX) $(CORE_TEST_FLAGS) -x c++ -c $(@:.o=.unit) -o $@

# The core itself is compiled once, for the package.
CORE_OBJECTS := src/core.o $(patsubst %/,%.o,$(wildcard src/core/*/))
build/core-tests: build/core-tests-1.o build/core-tests-2.o $(INSTALLED)
	@$(CXX) $(filter %.o,$^) $(CORE_OBJECTS) -pthread -o $@

build/instructions: build/bench/instructions.o $(INSTALLED)
	@$(CXX) build/bench/instructions.o $(CORE_OBJECTS) -pthread -o $@

core-test: install
	@$(MAKE) --no-print-directory -j2 build/core-tests
	@build/core-tests

# The core's tests, and random expressions and fits, under the address and undefined-behaviour sanitizers.
SANITIZED := $(patsubst %.cpp,build/sanitized/%.o,$(CORE_SOURCES) $(CORE_TESTS))
SANITIZE := -fsanitize=address,undefined -fno-sanitize-recover=undefined

build/sanitized/%.o: %.cpp $(CORE_HEADERS)
	@mkdir -p $(dir $@)
	@$(CXX) -std=c++17 -O1 -g $(SANITIZE) -isystem $(EIGEN) -Isrc/core -c $< -o $@

sanitize: setup
	@$(MAKE) --no-print-directory -j2 $(SANITIZED) build/sanitized/bench/fuzz.o
	@$(CXX) $(SANITIZE) $(SANITIZED) -pthread -o build/sanitized/core-tests
	@$(CXX) $(SANITIZE) $(filter build/sanitized/src/%,$(SANITIZED)) build/sanitized/bench/fuzz.o -pthread -o build/sanitized/fuzz
	@build/sanitized/core-tests
	@build/sanitized/fuzz 100000 1

check: setup
	@mkdir -p build && cd build && $(QUIET) R CMD build .. > build.log 2>&1 && \
	  $(QUIET) _R_CHECK_FORCE_SUGGESTS_=false R CMD check --no-manual --no-vignettes tundrel_*.tar.gz

# Reference, articles and pictures, into site/; no network is needed once r-cran-pkgdown is there.
site: install
	@$(WITH_LIBRARY) Rscript tools/site.R

# In a copy: what is compiled for counting lines is of no use for anything else.
coverage: setup
	@rm -rf build/coverage && mkdir -p build/coverage
	@cp -r DESCRIPTION NAMESPACE LICENSE R src inst exec man tests build/coverage && find build/coverage -name '*.o' -delete -o -name '*.so' -delete
	@cd build/coverage && MAKEFLAGS=-j2 Rscript ../../tools/coverage.R > ../coverage.log 2>&1 || { tail -n 40 ../coverage.log; exit 1; }
	@sed -n '/^Lines reached/,$$p' build/coverage.log

lint: setup
	@Rscript -e 'lints <- lintr::lint_package(); print(lints); quit(status = length(lints) > 0)'

bench: install
	@$(WITH_LIBRARY) sh bench/run.sh

document: setup
	@Rscript -e 'roxygen2::roxygenise(load_code = roxygen2::load_source)' > build/document.log 2>&1 || { cat build/document.log; exit 1; }

screenshots: demo
	@sh tools/screenshots.sh

# Links the command into the first directory that can be written: /usr/local/bin or ~/.local/bin.
install-cli: install
	@for d in /usr/local/bin $$HOME/.local/bin; do \
	  mkdir -p $$d 2>/dev/null; \
	  if [ -w $$d ]; then ln -sf "$(CURDIR)/$(LIBRARY)/tundrel/exec/tundrel" $$d/tundrel && echo "Linked $$d/tundrel" && exit 0; fi; \
	done; echo "No directory to link into: /usr/local/bin and ~/.local/bin cannot be written" >&2; exit 1

clean:
	rm -rf build results src/*.o src/*.so src/*.unit src/core/*.o src/core/*.unit
