// What ends an evaluation in the middle.
#pragma once
#include <exception>

namespace tundrel {

enum class Halt { user, evaluations, seconds };

// Thrown where the user asks to stop while an evaluation takes long, or where what a function of the user's may cost is spent.
struct Halted : std::exception {
  explicit Halted(Halt why = Halt::user) : why(why) {}
  const char* what() const noexcept override { return "interrupted"; }
  Halt why;
};

}  // namespace tundrel
