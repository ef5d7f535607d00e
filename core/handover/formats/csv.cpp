// The same matrices as a table.
#include <Eigen/LU>

#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

std::string table_of(const fit::Correction& c, const Options& options) {
    const colour::RgbSpace& space = space_of(options, c);
    std::string text = "quantity,row,1,2,3\n";
    text += formatted("gains,1,{:.9g},{:.9g},{:.9g}\n", c.balance.gains[0], c.balance.gains[1], c.balance.gains[2]);
    text += formatted("exposure,1,{:.9g},,\n", c.balance.exposure);
    const auto add = [&](const std::string& name, const colour::Mat3& m) {
        for (int r = 0; r < 3; ++r)
            text += formatted("{},{},{:.9g},{:.9g},{:.9g}\n", name, r + 1, m(r, 0), m(r, 1), m(r, 2));
    };
    add("xyz_d50_from_balanced_rgb", c.coefficients.leftCols<3>());
    add("xyz_d50_from_camera_rgb", xyz_from_camera(c));
    add(space.name + "_linear_from_camera_rgb", space.to_xyz_d50().inverse() * xyz_from_camera(c));
    return text;
}

} // namespace

Format csv_format() {
    return {.id = "csv",
            .title = "Matrix as a table",
            .extension = ".csv",
            .what = "Gains, exposure and matrices for spreadsheets.",
            .next = "Open it as a table, commas between columns.",
            .holds = Format::Holds::matrix,
            .order = 8,
            .options = {Option::space},
            .write = [](const fit::Correction& held, const fit::Correction&, const std::filesystem::path& file,
                        const Options& options, Written&) { write_whole(file, table_of(held, options)); }};
}

} // namespace refero::handover
