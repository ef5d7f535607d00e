#include "prove/prove.hpp"

#include <cmath>

namespace refero::prove {

using colour::Vec3;

Proof against(const fit::Correction& correction, const read::Reading& reading, const chart::Reference& reference, bool scale_exposure) {
    Proof proof;
    const auto rgb_of = [](const read::PatchReading& p) { return Vec3(p.mean[0], p.mean[1], p.mean[2]); };
    double scale = 1;
    if (scale_exposure) {
        const std::string& white = correction.balance.white_patch;
        const read::PatchReading* p = reading.find(white);
        const auto xyz = reference.xyz.find(white);
        if (!p || !p->pixels || xyz == reference.xyz.end())
            throw Error(ErrorKind::input, "the correction's white patch " + white + " cannot be read here", {}, "Compare without scaling the exposure (--absolute)");
        const double Y = correction(rgb_of(*p)).y();
        if (!(Y > 1e-6)) throw Error(ErrorKind::input, "the correction's white patch " + white + " is black here", {}, "Use a frame with more light");
        scale = xyz->second.y() / Y;
        proof.exposure_stops = std::log2(scale);
    }
    std::vector<double> all;
    for (const read::PatchReading& p : reading.patches) {
        const auto xyz = reference.xyz.find(p.id);
        if (xyz == reference.xyz.end() || !p.pixels || !std::isfinite(p.mean[0] + p.mean[1] + p.mean[2])) continue;
        PatchProof q;
        q.id = p.id;
        q.fitted = p.usable();
        q.reference_lab = colour::lab_from_xyz(xyz->second);
        q.corrected_lab = colour::lab_from_xyz(correction(scale * rgb_of(p)));
        q.delta_e_2000 = colour::delta_e_2000(q.reference_lab, q.corrected_lab);
        const Vec3 a = colour::lch_from(q.reference_lab), b = colour::lch_from(q.corrected_lab);
        q.lightness = b[0] - a[0];
        q.chroma = b[1] - a[1];
        q.hue_deg = std::remainder(b[2] - a[2], 360.0);
        if (q.fitted) all.push_back(q.delta_e_2000);
        proof.patches.push_back(q);
    }
    if (all.empty()) throw Error(ErrorKind::input, "no patch of the reading can be compared with the reference", reference.file, "Check that both belong to the same chart");
    proof.delta_e_2000 = fit::statistics(all);
    return proof;
}

} // namespace refero::prove
