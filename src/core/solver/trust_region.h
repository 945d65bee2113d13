#pragma once

namespace tundrel {

// Share of the promised change that a step must bring, and those that change the radius.
inline constexpr double kAccepted = 1e-4, kPoor = 0.25, kGood = 0.75;

}  // namespace tundrel
