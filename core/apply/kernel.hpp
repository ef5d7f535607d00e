// The arithmetic of a correction on rows of pixels, in vectors as wide as the machine has them.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "apply/apply.hpp"

namespace refero::apply {

/// A curve of balanced values at equal steps from 0 to `top`, straight beyond; no values: as it is.
struct CurveTable {
    std::vector<float> value;
    float top = 1, below = 1, above = 1; ///< the last step's light; slopes below 0 and above the top
};
CurveTable table_of(const balance::Curve& curve);

/// A correction made ready: camera RGB, 1 = saturation, to linear RGB of a space.
struct Kernel {
    std::array<float, 3> gains{1, 1, 1};
    std::array<CurveTable, 3> curves; ///< in place of the gains where `curved`
    bool curved = false;
    bool calm = false; ///< from the clipping point on, balanced colour fades to the neutral of its largest channel
    fit::Model model = fit::Model::matrix;
    std::vector<float> coefficients; ///< 3 rows, one column a feature of the model
};
Kernel kernel_of(const frame::Frame& frame, const fit::Correction& correction, const colour::RgbSpace& space,
                 const Parts& parts = {});
/// n pixels, interleaved; `in` and `out` may be the same. Single precision: 2e-6 of the largest channel.
void correct_pixels(const Kernel& kernel, const float* in, std::size_t n, float* out);

/// Code values of light by a table over its root, finer than 16 bits need where a transfer function is steepest.
class Encoder {
public:
    Encoder(colour::Transfer transfer, float most);
    /// Clipped to 0 to 1 before; NaN is dark.
    void operator()(const float* light, std::size_t n, std::uint16_t* codes) const;
    void operator()(const float* light, std::size_t n, std::uint8_t* codes) const;

private:
    float most_;
    std::vector<float> table_; ///< empty: linear
};

} // namespace refero::apply
