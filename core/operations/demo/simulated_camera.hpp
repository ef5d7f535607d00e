// A simulated camera for each setup of a job: stands in for a tethered one.
#pragma once

#include "shoot/records.hpp"
#include "simulate/simulate.hpp"

namespace refero::operations {

enum class Mistake {
    none,
    out_of_focus,
    overexposed,
    underexposed,
    tilted,
    small,
    upside_down,
    mirrored,
    uneven,
    cut_off,
    finger,
    no_lens_data
};
inline constexpr auto names(Mistake) {
    return std::array{"none",           "out of focus", "overexposed", "underexposed", "tilted",
                      "too small",      "upside down",  "mirrored",    "uneven light", "cut off by the frame",
                      "a finger on it", "no lens data"};
}

struct Exposure {
    bool chart = true; ///< else a sheet of the collection
    double stops = 0;  ///< more light than metered
    double tilt_deg = 3;
    double share = 0.1; ///< of the frame that the chart covers
    Mistake mistake = Mistake::none;
    std::uint64_t seed = 1;
    std::string taken; ///< by the job's clock; the file says the camera's own
};

/// The scene that the setup's camera sees. Cameras that are not among the simulator's get the sensitivities of one
/// that is, and keep their own name and serial number. Throws Error(usage) for a setup that is not there.
simulate::Scene simulated_scene(const shoot::Shoot& shoot, shoot::Id setup, const Exposure& exposure);
/// "CA_0042.dng": initials of the camera and a number that is free in `folder`.
std::filesystem::path next_file(const shoot::Shoot& shoot, shoot::Id setup, const std::filesystem::path& folder);

} // namespace refero::operations
