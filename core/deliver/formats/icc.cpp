// ICC input profile: a matrix and curves.
#include "colour/icc.hpp"
#include "deliver/internal.hpp"

namespace refero::deliver {

Format icc_format() {
    return {
        .id = "icc",
        .title = "ICC input profile",
        .extension = ".icc",
        .what = "For raw developers and scanners that take ICC profiles: linear camera RGB to CIE XYZ. Holds a matrix.",
        .holds = Format::Holds::matrix,
        .order = 2,
        .options = {Option::input_encoding, Option::icc_version},
        .input_encoding = "linear",
        .write = [](const fit::Correction& held, const fit::Correction&, const std::filesystem::path& file,
                    const Options& options, Written&) {
            const auto input =
                colour::transfer_named(options.input_encoding.empty() ? "linear" : options.input_encoding);
            const auto bytes = colour::icc_profile(colour::IccClass::input, xyz_from_camera(held), input, options.name,
                                                   "Made with Refero; free to use", options.icc_version);
            write_whole(file, std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
        }};
}

} // namespace refero::deliver
