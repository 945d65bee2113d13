#pragma once

#include <limits>

namespace tundrel {

inline constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();
inline constexpr double kInfinity = std::numeric_limits<double>::infinity();
inline constexpr double kEpsilon = std::numeric_limits<double>::epsilon();
inline constexpr double kPi = 3.14159265358979323846;

}  // namespace tundrel
