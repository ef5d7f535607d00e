// Plain numbers for scripts and own programs.
#include <Eigen/LU>
#include <nlohmann/json.hpp>

#include "handover/internal/formats.hpp"

namespace refero::handover {

namespace {

std::string matrix_json(const fit::Correction& c, const Options& options) {
    const auto rows = [](const colour::Mat3& m) {
        auto j = nlohmann::ordered_json::array();
        for (int r = 0; r < 3; ++r) j.push_back({m(r, 0), m(r, 1), m(r, 2)});
        return j;
    };
    const DngMatrices dng = dng_matrices(c);
    nlohmann::ordered_json j;
    j["refero_matrix"] = 1;
    j["title"] = options.name;
    j["for"] = options.sentence;
    j["model"] = fit::name_of(c.model);
    j["gains"] = {c.balance.gains[0], c.balance.gains[1], c.balance.gains[2]};
    j["exposure"] = c.balance.exposure;
    j["xyz_d50_from_balanced_rgb"] = rows(dng.forward_matrix);
    j["xyz_d50_from_camera_rgb"] = rows(xyz_from_camera(c));
    const colour::RgbSpace& space = space_of(options, c);
    j["space"] = space.name;
    j["space_from_camera_rgb"] = rows(space.to_xyz_d50().inverse() * xyz_from_camera(c));
    j["delta_e_2000"] = {{"mean", c.fit.mean}, {"median", c.fit.median}, {"p95", c.fit.p95}, {"max", c.fit.max}};
    return j.dump(1) + "\n";
}

} // namespace

Format matrix_format() {
    return {.id = "matrix",
            .title = "Matrix",
            .extension = ".json",
            .what = "Plain numbers for scripts and own programs: gains, exposure and matrices as JSON.",
            .next = "Gains come first, the matrix after them, both in linear light.",
            .holds = Format::Holds::matrix,
            .order = 4,
            .options = {Option::space},
            .write = [](const fit::Correction& held, const fit::Correction&, const std::filesystem::path& file,
                        const Options& options, Written&) { write_whole(file, matrix_json(held, options)); }};
}

} // namespace refero::handover
