#!/bin/sh
# Runs every bench; each writes its table to standard output and a JSON file beside it.
set -eu
mkdir -p build
${CXX:-g++} -std=c++17 -O2 bench/loop.cpp -o build/bench-loop
Rscript bench/big-fit.R build/bench-loop
Rscript bench/simulated-families.R
Rscript bench/solvers.R
