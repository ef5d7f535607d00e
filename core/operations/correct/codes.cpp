#include "operations/correct/codes.hpp"

#include <Eigen/LU>

#include "colour/rgb.hpp"

namespace refero::operations {

std::vector<PatchCodes> codes_of(const Chain& c, Stage stage) {
    if (!c.shot || !c.balance || (stage != Stage::balanced && !c.correction)) return {};
    const colour::Mat3 from_xyz = colour::rgb_space("srgb").to_xyz_d50().inverse();
    std::vector<PatchCodes> all;
    for (const chart::Patch& p : c.shot->definition.patches) {
        const read::PatchReading* seen = c.shot->reading.find(p.id);
        if (!seen || !seen->usable()) continue;
        const colour::Vec3 rgb(seen->mean[0], seen->mean[1], seen->mean[2]);
        const colour::Vec3 light =
            stage == Stage::balanced
                ? (*c.balance)(rgb)
                : colour::Vec3(from_xyz * (stage == Stage::finished ? c.correction->shown(rgb) : (*c.correction)(rgb)));
        PatchCodes row{p.id, balance::code_points(light)};
        row.neutral = p.role == "neutral";
        if (row.neutral) row.cast = balance::cast_of(light);
        row.clipped = row.points.minCoeff() < 0 || row.points.maxCoeff() > 100;
        all.push_back(std::move(row));
    }
    return all;
}

} // namespace refero::operations
