// Shared by the sources of this room only: each takes a correction that the format can hold.
#pragma once

#include <OpenColorIO/OpenColorIO.h>

#include "handover/handover.hpp"

namespace refero::handover {

/// How codes that go into a LUT become linear camera RGB, and the name of it.
frame::Encoding input_of(const Options& options, const fit::Correction& correction);
/// What comes out of a LUT.
const colour::RgbSpace& space_of(const Options& options, const fit::Correction& correction);
/// Correction::shown, its finish worked out once: for files of many colours. The correction must outlive it.
std::function<colour::Vec3(const colour::Vec3&)> shown_by(const fit::Correction& correction);
/// The whole way of one colour: code in, linear camera RGB, correction with its finish, output space, code out. Not
/// clipped.
std::function<colour::Vec3(const colour::Vec3&)> path_of(const fit::Correction& correction, const Options& options);
/// Nodes of a 3D LUT of this correction, red fastest, moved so that plausible colours come out right between them.
std::vector<colour::Vec3> cube_nodes(const fit::Correction& correction, const Options& options);
/// The code of a light, by search: an encoding that is a file knows one direction only.
double code_of(const frame::Encoding& input, int channel, double light);
OCIO_NAMESPACE::MatrixTransformRcPtr ocio_matrix(const colour::Mat3& m);
/// Text as an XML document takes it.
std::string in_xml(const std::string& text);

/// Camera RGB (linear, unbalanced) to XYZ relative to D50, for corrections that are one matrix.
colour::Mat3 xyz_from_camera(const fit::Correction& correction);
/// What a model does beyond a matrix, as hue shift, saturation and value factors over hue and saturation, in linear RGB
/// of the ROMM primaries (ISO 22028-2; DNG specification 1.4, ProfileHueSatMapData): all our models scale with
/// exposure, so one value row is enough.
struct HueTable {
    static constexpr int hues = 72, saturations = 25;
    std::vector<float> data; ///< hue by hue, in each by saturation: degrees, factor, factor
    colour::Vec3 operator()(const colour::Vec3& romm) const;
};
/// XYZ (D50) from linear ROMM.
colour::Mat3 xyz_from_romm();
/// `matrix` is the correction's best matrix.
HueTable hue_table_of(const fit::Correction& correction, const fit::Correction& matrix);
/// What the two leave on the patches that were fitted.
fit::Statistics proof_of(const fit::Correction& matrix, const HueTable& table);

/// One or two lights, each a matrix and, where there is one, its table.
struct LightPart {
    fit::Correction matrix;
    std::optional<HueTable> table;
};
std::vector<unsigned char> dcp_bytes(const std::vector<LightPart>& lights, const Options& options);

/// Profile's white under the light: XYZ (D50) to the camera's neutral.
struct DngMatrices {
    colour::Mat3 color_matrix;   ///< XYZ under the light to camera RGB, neutral's largest channel 1
    colour::Mat3 forward_matrix; ///< balanced camera RGB to XYZ D50
    int illuminant = 0;          ///< EXIF LightSource code nearest by CCT
};
DngMatrices dng_matrices(const fit::Correction& correction);

} // namespace refero::handover
