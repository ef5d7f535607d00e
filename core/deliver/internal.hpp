// Shared by the sources of this room only: each takes a correction that the format can hold.
#pragma once

#include "deliver/deliver.hpp"

namespace refero::deliver {

std::string cube_text(const fit::Correction& correction, const Options& options);
std::vector<unsigned char> dcp_bytes(const fit::Correction& correction, const Options& options);
std::string matrix_json(const fit::Correction& correction, const Options& options);

/// Camera RGB (linear, unbalanced) to XYZ relative to D50, for corrections that are one matrix.
colour::Mat3 xyz_from_camera(const fit::Correction& correction);
/// Profile's white under the light: XYZ (D50) to the camera's neutral.
struct DngMatrices {
    colour::Mat3 color_matrix;   ///< XYZ under the light to camera RGB, neutral's largest channel 1
    colour::Mat3 forward_matrix; ///< balanced camera RGB to XYZ D50
    int illuminant = 0;          ///< EXIF LightSource code nearest by CCT
};
DngMatrices dng_matrices(const fit::Correction& correction);

} // namespace refero::deliver
