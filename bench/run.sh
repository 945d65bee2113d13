#!/bin/sh
# Runs every bench; each writes its table to standard output and a JSON file beside it.
set -eu
mkdir -p build
expression=src/core/expression
${CXX:-g++} -std=c++17 -O2 -Isrc/core bench/elementary.cpp $expression/kernel.cpp $expression/operation.cpp $expression/special.cpp $expression/probability.cpp -o build/bench-elementary
build/bench-elementary
${CXX:-g++} -std=c++17 -O2 -pthread bench/loop.cpp -o build/bench-loop
Rscript bench/big-fit.R build/bench-loop
${CXX:-g++} -std=c++17 -O2 bench/starts-loop.cpp -o build/bench-starts
Rscript bench/many-starts.R build/bench-starts
${CXX:-g++} -std=c++17 -O2 -shared -fPIC -pthread bench/groups-loop.cpp -o build/bench-groups.so
Rscript bench/start-up.R
Rscript bench/groups.R build/bench-groups.so
Rscript bench/small-fits.R build/bench-groups.so
${CXX:-g++} -std=c++17 -O2 -pthread -I"$(Rscript -e 'cat(system.file("include", package = "RcppEigen"))')" bench/rates-loop.cpp src/core/dynamics/collocation.cpp -o build/bench-rates
Rscript bench/dynamics.R build/bench-rates
Rscript bench/estimation-by-rates.R
Rscript bench/read-table.R
Rscript bench/beyond-memory.R
Rscript bench/simulated-families.R
Rscript bench/solvers.R
Rscript bench/global-search.R
Rscript bench/written-models.R
Rscript bench/coverage.R
Rscript bench/residual-checks.R
Rscript bench/smeared-coverage.R
Rscript bench/small-samples.R
Rscript bench/errors-in-predictors.R
Rscript bench/dependent-noise.R
Rscript bench/varying-curves.R
Rscript bench/varying-situations.R
Rscript bench/costly.R
Rscript bench/costly-squares.R
Rscript bench/frugal-derivatives.R
Rscript bench/workers.R
Rscript bench/own-noise.R
Rscript bench/claims.R
Rscript bench/nothing-stated.R
Rscript bench/levels-and-responses.R
Rscript bench/next-measurements.R
Rscript bench/catalogue-starts.R
Rscript bench/page-latency.R
