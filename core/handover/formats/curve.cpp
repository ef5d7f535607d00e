// The input and the output curve alone, as 1D LUTs: for programs in which the viewing part is switched off.
#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

std::string lut_text(const std::string& title, const std::string& what, const std::function<double(int, double)>& f) {
    constexpr int size = 4096;
    std::string name = title;
    std::replace(name.begin(), name.end(), '"', '\'');
    std::string text = "# Refero " + std::string(program_version()) + "\n# " + what + "\nTITLE \"" + name +
                       "\"\nLUT_1D_SIZE " + std::to_string(size) + "\n";
    for (int i = 0; i < size; ++i) {
        const double v = static_cast<double>(i) / (size - 1);
        text += formatted("{:.9g} {:.9g} {:.9g}\n", f(0, v), f(1, v), f(2, v));
    }
    return text;
}

} // namespace

Format curve_format() {
    return {.id = "curve",
            .title = "Input curve",
            .extension = "-curve.cube",
            .what = "The curve from codes to linear light alone, as a 1D LUT.",
            .next = "Put it before what expects linear light; it takes codes of {encoding}.",
            .holds = Format::Holds::nothing,
            .order = 11,
            .options = {Option::input_encoding},
            .input_encoding = "srgb",
            .write = [](const fit::Correction&, const fit::Correction& c, const std::filesystem::path& file,
                        const Options& options, Written& w) {
                const frame::Encoding input = input_of(options, c);
                write_whole(file, lut_text(options.name + ", input curve",
                                           "In: codes, encoding " + input.name() + ". Out: linear camera RGB",
                                           [&](int channel, double v) { return input.decode(channel, v); }));
                w.message = "the input curve alone, from " + input.name();
            }};
}

Format curve_out_format() {
    return {.id = "curve-out",
            .title = "Output curve",
            .extension = "-curve-out.cube",
            .what = "The curve from linear light to the codes of the output space alone, as a 1D LUT.",
            .next = "Put it last, after everything that works in linear light.",
            .holds = Format::Holds::nothing,
            .order = 12,
            .options = {Option::space},
            .write = [](const fit::Correction&, const fit::Correction& c, const std::filesystem::path& file,
                        const Options& options, Written& w) {
                const colour::RgbSpace& space = space_of(options, c);
                write_whole(file,
                            lut_text(options.name + ", output curve", "In: linear light. Out: codes of " + space.name,
                                     [&](int, double v) { return colour::encode(space.transfer, v); }));
                w.message = "the output curve alone, to " + space.name;
            }};
}

} // namespace refero::handover
