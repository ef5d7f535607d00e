// What a correction is expected to leave on colours that it has not seen, through the camera's estimated sensitivities.
#pragma once

#include <memory>

#include "fit/fit.hpp"

namespace refero::fit {

class Lesson;

/// Of one correction: the sensitivities that its reading tells, and how plausible surfaces fare through it. Colours are
/// XYZ relative to D50, 2 degrees, Y = 1 for the perfect diffuser; radii are CIEDE2000. docs/methods.md, Foretelling.
class Foretelling {
public:
    /// Takes some tenths of a second.
    explicit Foretelling(const Correction& correction);
    ~Foretelling();
    Foretelling(Foretelling&&) noexcept;

    /// False where sensitivities cannot be estimated: finished pictures, too few patches, corrections made elsewhere.
    bool known() const { return known_; }

    /// A colour measured through the correction.
    struct Measured {
        Vec3 xyz = Vec3::Zero();
        double radius = 0; ///< about `xyz`, holds the true colour with 95 %
    };
    /// `camera_rgb` as read, and its standard uncertainty. Needs known().
    Measured measured(const Vec3& camera_rgb, const Vec3& error) const;

    /// What becomes of a colour.
    struct Expected {
        Vec3 delivered = Vec3::Zero(); ///< predicted
        double delta_e_2000 = 0;       ///< expected between aim and delivered colour
        double radius = 0;             ///< about `delivered`, holds the delivered colour with 95 %
        Vec3 balanced = Vec3::Zero();  ///< predicted camera RGB, balanced
    };
    /// Over the plausible reflectances of an aim, or through its own spectrum where that is known. Needs known().
    Expected expected(const Vec3& aim, const colour::Spectrum* spectrum = nullptr) const;

    /// Standard deviation of the noise of a patch of this colour, balanced camera RGB, by the correction's own reading.
    Vec3 noise_at(const Vec3& balanced) const;

private:
    struct Surfaces;
    Correction correction_;
    bool known_ = false;
    std::unique_ptr<Surfaces> surfaces_;
};

/// Measurements of one surface through several pictures, cameras and lights put together by their radii. What cameras
/// cannot tell apart is partly the same for all of them, so that the radius falls by less than the root of their
/// number.
Foretelling::Measured put_together(const std::vector<Foretelling::Measured>& all);

} // namespace refero::fit
