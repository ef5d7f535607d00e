// Common LUT Format 3 (Academy S-2014-006), written by OpenColorIO: the input curve, a matrix and the output curve
// where the model is a matrix, else one 3D LUT from codes to codes.
#include <OpenColorIO/OpenColorIO.h>

#include <Eigen/LU>
#include <sstream>

#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

namespace ocio = OCIO_NAMESPACE;

constexpr unsigned curve_size = 4096;

void add_curve(const ocio::GroupTransformRcPtr& group, const std::function<double(int, double)>& f) {
    const auto lut = ocio::Lut1DTransform::Create(curve_size, false);
    for (unsigned i = 0; i < curve_size; ++i) {
        const double v = static_cast<double>(i) / (curve_size - 1);
        lut->setValue(i, static_cast<float>(f(0, v)), static_cast<float>(f(1, v)), static_cast<float>(f(2, v)));
    }
    group->appendTransform(lut);
}

/// The curve of sRGB (IEC 61966-2-1), exact, forward to light or back to codes.
void add_srgb(const ocio::GroupTransformRcPtr& group, ocio::TransformDirection direction) {
    const auto curve = ocio::ExponentWithLinearTransform::Create();
    const double gamma[4] = {2.4, 2.4, 2.4, 1}, offset[4] = {0.055, 0.055, 0.055, 0};
    curve->setGamma(gamma);
    curve->setOffset(offset);
    curve->setDirection(direction);
    group->appendTransform(curve);
}

void add_matrix_way(const ocio::GroupTransformRcPtr& group, const fit::Correction& c, const frame::Encoding& input,
                    const colour::RgbSpace& space) {
    if (input.name() == "srgb") add_srgb(group, ocio::TRANSFORM_DIR_FORWARD);
    else if (input.name() != "linear") add_curve(group, [&](int k, double v) { return input.decode(k, v); });
    group->appendTransform(
        ocio_matrix(space.to_xyz_d50().inverse() * look::matrix_of(c.finish, c.light) * xyz_from_camera(c)));
    if (space.transfer == colour::Transfer::srgb) add_srgb(group, ocio::TRANSFORM_DIR_INVERSE);
    else if (space.transfer != colour::Transfer::linear)
        add_curve(group, [&](int, double v) { return colour::encode(space.transfer, v); });
}

void add_grid(const ocio::GroupTransformRcPtr& group, const fit::Correction& c, const Options& o) {
    const std::vector<colour::Vec3> nodes = cube_nodes(c, o); // red runs fastest
    const auto n = static_cast<unsigned long>(o.size);
    const auto lut = ocio::Lut3DTransform::Create(n);
    lut->setInterpolation(ocio::INTERP_TETRAHEDRAL);
    for (unsigned long r = 0; r < n; ++r)
        for (unsigned long g = 0; g < n; ++g)
            for (unsigned long b = 0; b < n; ++b) {
                const colour::Vec3& v = nodes[(b * n + g) * n + r];
                lut->setValue(r, g, b, static_cast<float>(v[0]), static_cast<float>(v[1]), static_cast<float>(v[2]));
            }
    group->appendTransform(lut);
}

std::string clf_text(const fit::Correction& c, const Options& o) {
    if (o.size < 2 || o.size > 129)
        throw Error(ErrorKind::usage, "a 3D LUT has 2 to 129 nodes along each side", {}, "Choose 17, 33 or 65");
    const frame::Encoding input = input_of(o, c);
    const colour::RgbSpace& space = space_of(o, c);
    const auto group = ocio::GroupTransform::Create();
    ocio::FormatMetadata& words = group->getFormatMetadata();
    words.setName(o.name.c_str());
    words.setID(o.name.c_str());
    words.addChildElement(ocio::METADATA_DESCRIPTION, ("Refero " + std::string(program_version())).c_str());
    if (!o.sentence.empty()) words.addChildElement(ocio::METADATA_DESCRIPTION, o.sentence.c_str());
    words.addChildElement(ocio::METADATA_INPUT_DESCRIPTOR, ("Camera RGB, encoding " + input.name()).c_str());
    words.addChildElement(ocio::METADATA_OUTPUT_DESCRIPTOR, space.name.c_str());
    if (c.is_matrix() && c.look.empty()) add_matrix_way(group, c, input, space);
    else add_grid(group, c, o);
    std::ostringstream text;
    try {
        group->write(ocio::Config::CreateRaw(), "Academy/ASC Common LUT Format", text);
    } catch (const ocio::Exception& problem) {
        throw Error(ErrorKind::internal, std::string("the LUT cannot be written: ") + problem.what());
    }
    return text.str();
}

} // namespace

Format clf_format() {
    return {.id = "clf",
            .title = "Common LUT Format",
            .extension = ".clf",
            .what = "For grading and effects programs: the same as the 3D LUT in an open format with words about what "
                    "goes in and out. A matrix stays exact.",
            .next = "Choose it for frames recorded as {encoding}; programs that list the folder are started again.",
            .finish = true,
            .look = true,
            .curves = true,
            .order = 2,
            .options = {Option::input_encoding, Option::space, Option::size},
            .input_encoding = "srgb",
            .write = [](const fit::Correction& held, const fit::Correction&, const std::filesystem::path& file,
                        const Options& options, Written&) { write_whole(file, clf_text(held, options)); }};
}

} // namespace refero::handover
