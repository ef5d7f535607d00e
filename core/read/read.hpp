// Readings: the measured camera RGB of each patch.
#pragma once

#include <array>
#include <cmath>
#include <optional>
#include <string>
#include <vector>

#include "find/find.hpp"

namespace refero::read {

struct PatchReading {
    std::string id;
    std::array<double, 3> mean{};  ///< scene-linear camera RGB, 1 = saturation, robust over the sampled part
    std::array<double, 3> sd{};    ///< standard deviation of the measuring pixels
    double clipped = 0;            ///< share of measuring pixels with a clipped channel, 0 to 1
    int pixels = 0;                ///< measuring pixels (2 x 2 cells for raw)
    std::array<double, 3> noise{}; ///< sd without the slope of the light across the patch; 0 = unknown
    std::array<double, 3>
        error{}; ///< standard uncertainty of the mean from the noise, neighbours' likeness allowed for; 0 = unknown
    /// True if the patch says anything of its colour: it is in the frame and hardly a pixel is clipped.
    bool usable() const;
};

/// Share of clipped pixels from which on a patch's mean is no longer its colour.
inline constexpr double most_clipped = 0.02;

struct Reading {
    std::string chart; ///< id; empty when read from a file that does not say
    std::vector<PatchReading> patches;
    const PatchReading* find(std::string_view id) const;
};

/// Share of a patch's width and height that is sampled, about its centre.
inline constexpr double sampled_share = 0.5;

/// Measures all patches. Values more than three robust standard deviations off are left out (dust, scratches).
/// Patches that lie outside the frame have 0 pixels and NaN means.
Reading measure(const frame::Frame& frame, const find::Placement& placement, const chart::Definition& definition,
                std::stop_token stop = {});

/// Mean of readings of the same chart, weighted by pixels, each brought to the exposure of the first; a patch that is
/// good in some of them is taken from those. Throws Error(usage) when they hold different patches.
Reading average(const std::vector<Reading>& readings);

/// Signal to noise of a patch in decibels, 20 log10 of mean over noise; NaN where the noise is unknown.
double snr_db(const PatchReading& patch, std::size_t channel);

/// Noise of one channel: variance = photon * signal + read^2, signal 1 = saturation. Photon transfer: Janesick, "Photon
/// Transfer", SPIE Press 2007, chapter 5.
struct ChannelNoise {
    double photon = 0; ///< its inverse is the number of electrons at saturation, a measuring pixel
    double read = 0;   ///< root mean square, share of saturation
    double sd(double signal) const;
    double electrons_at_saturation() const { return photon > 0 ? 1 / photon : INFINITY; }
};
/// From the noise of the patches, robust against odd ones; nothing when fewer than five patches tell.
std::optional<std::array<ChannelNoise, 3>> noise_model(const Reading& reading);

Reading load_cgats(const std::filesystem::path& file);
void save_cgats(const Reading& reading, const std::filesystem::path& file);

} // namespace refero::read
