// A look on rows of pixels, in single precision by tables.
#pragma once

#include "colour/rgb.hpp"
#include "look/look.hpp"

namespace refero::apply {

class LookRows {
public:
    /// `space`: of the pixels, linear.
    LookRows(const look::Look& look, const colour::RgbSpace& space);
    /// n pixels, interleaved, in their place. Off look::looked by less than 2e-5 of codes from 0 to 1.
    void operator()(float* rgb, std::size_t n) const;

private:
    void through_brought(Eigen::Vector3f& code) const;
    void through_ring(Eigen::Vector3f& code) const;

    look::Look look_, brought_; ///< the latter: what was made elsewhere alone
    Eigen::Matrix3f to_look_, from_look_;
    std::vector<float> encode_, decode_, curve_; ///< over the root of light; over codes from 0 to 1; the same
    std::vector<Eigen::Vector4f> ring_;          ///< over the angle: cosine and sine of the shift, factor, lightness
};

} // namespace refero::apply
