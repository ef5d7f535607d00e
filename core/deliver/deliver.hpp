// Handover files: what other programs read.
#pragma once

#include <functional>
#include <memory>

#include "fit/fit.hpp"

namespace refero::deliver {

enum class Format { cube, icc, dcp, matrix };
/// Throws Error(usage) listing the formats of this version.
Format format_named(const std::string& name);

struct Options {
    std::string input_encoding; ///< of the camera RGB that goes in; empty: srgb for cube, linear for icc
    std::string space = "srgb"; ///< cube: what comes out, with its encoding
    int size = 33;              ///< cube: nodes along each side, 2 to 129
    std::string name;           ///< title in the file; empty: camera and light
    std::shared_ptr<const fit::Correction>
        second; ///< dcp: the same camera under another light; programs interpolate between both by its temperature
};

/// What was written: a format that cannot hold the correction's model holds the best it can, refitted.
struct Written {
    fit::Model model = fit::Model::matrix;
    fit::Statistics delta_e_2000; ///< of the written model on the patches it was fitted to
    std::string message;          ///< in words
};

/// Any way from camera RGB to XYZ (D50) as a cube; `what` says in the file what it is.
void write_cube(const std::function<colour::Vec3(const colour::Vec3&)>& rendering, const std::string& what,
                const std::filesystem::path& file, const Options& options);

/// Writes one file, whole or not at all. Throws Error(usage) for options that do not fit.
Written write(const fit::Correction& correction, Format format, const std::filesystem::path& file,
              const Options& options = {});

/// "Stills A, window" ...: short, so that it can be found again.
std::string title_of(const fit::Correction& correction);

} // namespace refero::deliver
