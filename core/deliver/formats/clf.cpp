// Common LUT Format 3 (Academy S-2014-006): the input curve, a matrix and the output curve where the model is one, else
// one 3D LUT from codes to codes.
#include <Eigen/LU>

#include "deliver/internal.hpp"

namespace refero::deliver {

namespace {

constexpr int curve_size = 4096;

/// A 1D LUT over codes from 0 to 1.
std::string lut_1d(const std::function<double(int, double)>& f) {
    std::string text = formatted("    <LUT1D inBitDepth=\"32f\" outBitDepth=\"32f\" interpolation=\"linear\">\n"
                                 "        <Array dim=\"{} 3\">\n",
                                 curve_size);
    for (int i = 0; i < curve_size; ++i) {
        const double v = static_cast<double>(i) / (curve_size - 1);
        text += formatted("{:.9g} {:.9g} {:.9g}\n", f(0, v), f(1, v), f(2, v));
    }
    return text + "        </Array>\n    </LUT1D>\n";
}

/// A curve of the monitor kind, forward to light or back to codes.
std::string monitor_curve(const char* style, double gamma, double offset) {
    return formatted("    <Exponent inBitDepth=\"32f\" outBitDepth=\"32f\" style=\"{}\">\n"
                     "        <ExponentParams exponent=\"{:.10g}\" offset=\"{:.10g}\" />\n    </Exponent>\n",
                     style, gamma, offset);
}

std::string input_curve(const frame::Encoding& input) {
    const std::string& name = input.name();
    if (name == "linear") return {};
    if (name == "srgb") return monitor_curve("monCurveFwd", 2.4, 0.055);
    return lut_1d([&](int c, double v) { return input.decode(c, v); });
}

std::string output_curve(colour::Transfer transfer) {
    switch (transfer) {
    case colour::Transfer::linear: return {};
    case colour::Transfer::srgb: return monitor_curve("monCurveRev", 2.4, 0.055);
    default: return lut_1d([=](int, double v) { return colour::encode(transfer, v); });
    }
}

std::string matrix_node(const colour::Mat3& m) {
    std::string text = "    <Matrix inBitDepth=\"32f\" outBitDepth=\"32f\">\n        <Array dim=\"3 3\">\n";
    for (int r = 0; r < 3; ++r) text += formatted("{:.10g} {:.10g} {:.10g}\n", m(r, 0), m(r, 1), m(r, 2));
    return text + "        </Array>\n    </Matrix>\n";
}

// Blue runs fastest.
std::string lut_3d(const std::function<colour::Vec3(const colour::Vec3&)>& path, int n) {
    std::string text = formatted("    <LUT3D inBitDepth=\"32f\" outBitDepth=\"32f\" interpolation=\"tetrahedral\">\n"
                                 "        <Array dim=\"{0} {0} {0} 3\">\n",
                                 n);
    const double step = 1.0 / (n - 1);
    for (int r = 0; r < n; ++r)
        for (int g = 0; g < n; ++g)
            for (int b = 0; b < n; ++b) {
                const colour::Vec3 v = path({r * step, g * step, b * step});
                text += formatted("{:.7f} {:.7f} {:.7f}\n", v[0], v[1], v[2]);
            }
    return text + "        </Array>\n    </LUT3D>\n";
}

std::string clf_text(const fit::Correction& c, const Options& o) {
    if (o.size < 2 || o.size > 129)
        throw Error(ErrorKind::usage, "a 3D LUT has 2 to 129 nodes along each side", {}, "Choose 17, 33 or 65");
    const frame::Encoding input = input_of(o, c);
    const colour::RgbSpace& space = space_of(o, c);
    std::string id;
    for (const char ch : o.name) id += std::isalnum(static_cast<unsigned char>(ch)) ? ch : '_';
    std::string text =
        formatted("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<ProcessList id=\"{}\" name=\"{}\" "
                  "compCLFversion=\"3.0\">\n    <Description>Refero {}</Description>\n"
                  "    <InputDescriptor>Camera RGB, encoding {}</InputDescriptor>\n"
                  "    <OutputDescriptor>{}</OutputDescriptor>\n",
                  id.empty() ? "correction" : id, in_xml(o.name), program_version(), in_xml(input.name()), space.name);
    if (c.is_matrix()) {
        const colour::Mat3 m =
            space.to_xyz_d50().inverse() * balance::matrix_of(c.finish, c.light) * xyz_from_camera(c);
        text += input_curve(input) + matrix_node(m) + output_curve(space.transfer);
    } else text += lut_3d(path_of(c, o), o.size);
    return text + "</ProcessList>\n";
}

} // namespace

Format clf_format() {
    return {.id = "clf",
            .title = "Common LUT Format",
            .extension = ".clf",
            .what = "For grading and effects programs: the same as the 3D LUT in an open format with words about what "
                    "goes in and out. A matrix stays exact.",
            .finish = true,
            .curves = true,
            .order = 2,
            .options = {Option::input_encoding, Option::space, Option::size},
            .input_encoding = "srgb",
            .write = [](const fit::Correction& held, const fit::Correction&, const std::filesystem::path& file,
                        const Options& options, Written&) { write_whole(file, clf_text(held, options)); }};
}

} // namespace refero::deliver
