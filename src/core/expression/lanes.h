// Code for the widest vectors that a processor has.
#pragma once
#include <cstddef>  // says which C library there is

// A function compiled once more for processors with wider vectors; which one is called is settled when the program starts. No operation is merged with
// another: results are the same bits. Elsewhere nothing.
#if defined(__x86_64__) && defined(__GLIBC__) && defined(__GNUC__) && !defined(__clang__) && __GNUC__ >= 8 && !defined(__SANITIZE_ADDRESS__)
#define TUNDREL_LANES __attribute__((target_clones("avx2", "default")))
#else
#define TUNDREL_LANES
#endif
