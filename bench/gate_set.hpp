// Cameras, lights, prints of a chart and picture styles that no part of the program was made with; for the gate.
#pragma once

#include <filesystem>
#include <random>
#include <string>
#include <vector>

#include <opencv2/core.hpp>

#include "simulate/simulate.hpp"

namespace refero::bench {

struct Random {
    std::mt19937_64 engine;
    explicit Random(std::uint64_t seed) : engine(seed) {}
    double uniform(double low, double high) {
        return low + (high - low) * (static_cast<double>(engine() >> 11) * 0x1p-53);
    }
    std::size_t below(std::size_t n) { return std::min(n - 1, static_cast<std::size_t>(uniform(0, 1) * n)); }
    double normal() { return std::sqrt(-2 * std::log(uniform(1e-300, 1))) * std::cos(2 * M_PI * uniform(0, 1)); }
    template<class T>
    const T& pick(const std::vector<T>& all) {
        return all[below(all.size())];
    }
};

/// Something by the family that it belongs to; whole families are left out when limits are chosen.
template<class T>
struct Member {
    std::string family, name;
    T value;
};

/// Eight families of six: Luther, single, double, shifted, narrow, broad, leaking, infrared.
const std::vector<Member<std::array<colour::Spectrum, 3>>>& cameras();
/// Lamps, daylight, LEDs of three phosphors, a mixed LED, fluorescents, discharge, glass.
const std::vector<Member<colour::Spectrum>>& lights();
/// Patches as one batch of a printer might print them: other spectra of nearly the same values (D50).
std::vector<colour::Spectrum> printed(const std::vector<colour::Spectrum>& painted, std::uint64_t batch);

/// How a camera finishes its pictures.
struct Style {
    std::string family; ///< soft, film, vivid, video
    double curve = 0, pivot = 0.4, saturation = 1, exposure = 1;
    colour::Mat3 twist = colour::Mat3::Identity(); ///< of hues, keeps neutrals
    int quality = 88;                              ///< of JPEG, 0 to 100
    int lines = 0;                                 ///< of the picture; 0: as shot
    bool half_colour = false;                      ///< chroma subsampled
};
const std::vector<std::string>& style_families();
Style random_style(Random& random, const std::string& family);
/// The frame of a rendering, noise and all, as 8-bit codes of sRGB, RGB; "video" at its lines and sharpened.
cv::Mat finished_codes(const simulate::Rendering& rendering, const Style& style);
/// The frame of a rendering, noise and all, as a camera would hand it out in sRGB: 8-bit JPEG.
void write_finished(const simulate::Rendering& rendering, const Style& style, const std::filesystem::path& file);

} // namespace refero::bench
