// Headers of libraries that every test of the core includes, read once for all of them; each file includes what it needs all the same.
#include <catch2/catch.hpp>

#include "library.h"
