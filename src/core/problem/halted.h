// What ends an evaluation in the middle.
#pragma once
#include <exception>

namespace tundrel {

// Thrown where the user asks to stop while an evaluation takes long: what it had so far is of no use.
struct Halted : std::exception {
  const char* what() const noexcept override { return "interrupted"; }
};

}  // namespace tundrel
