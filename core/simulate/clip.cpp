// Clips of the simulated set: codes of their pictures; they are encoded by the module of clips.
#include "simulate/clip.hpp"

#include <cmath>

#include "frame/module.hpp"
#include "simulate/internal/parts.hpp"

namespace refero::simulate {

namespace fs = std::filesystem;

namespace {

/// White as FFmpeg's scaler counts it, which makes codes of ten bits of these.
constexpr int white_code = 255 * 256;

// Codes of 16 bits: balanced in the camera, then its curve.
std::vector<std::uint16_t> codes_of(const Rendering& r, colour::Transfer transfer) {
    const Scene& s = r.scene;
    const Vec3 white = s.camera.response(Spectrum::constant(1), s.light);
    std::vector<std::uint16_t> table(4097);
    for (std::size_t i = 0; i < table.size(); ++i)
        table[i] = static_cast<std::uint16_t>(
            std::lround(white_code * std::clamp(colour::encode(transfer, static_cast<double>(i) / 4096), 0.0, 1.0)));
    std::vector<std::uint16_t> codes(r.rgb.size());
    for (std::size_t i = 0; i < codes.size(); ++i) {
        const double v = std::clamp(r.rgb[i] / white[static_cast<Eigen::Index>(i % 3)], 0.0, 1.0) * 4096;
        const auto k = std::min<std::size_t>(4095, static_cast<std::size_t>(v));
        codes[i] = static_cast<std::uint16_t>(table[k] + (v - static_cast<double>(k)) * (table[k + 1] - table[k]));
    }
    return codes;
}

} // namespace

void write_clip(const std::vector<Shown>& parts, colour::Transfer transfer, double frames_per_second,
                const fs::path& target) {
    std::vector<std::vector<std::uint16_t>> codes;
    for (const Shown& part : parts) codes.push_back(codes_of(*part.rendering, transfer));
    static auto* const encode = frame::from_module<decltype(refero_encode_clip)>("clips", "refero_encode_clip");
    encode(parts, codes, transfer, frames_per_second, target);
}

} // namespace refero::simulate
