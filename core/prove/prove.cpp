#include "prove/prove.hpp"

#include <algorithm>
#include <cmath>

#include <Eigen/LU>

namespace refero::prove {

using colour::Vec3;

Proof against(const fit::Correction& correction, const read::Reading& reading, const chart::Reference& reference,
              bool scale_exposure) {
    return against([&](const Vec3& camera_rgb) { return correction(camera_rgb); }, reading, reference,
                   scale_exposure ? correction.balance.white_patch : std::string());
}

Proof against(const Rendering& rendering, const read::Reading& reading, const chart::Reference& reference,
              const std::string& white) {
    Proof proof;
    const auto rgb_of = [](const read::PatchReading& p) { return Vec3(p.mean[0], p.mean[1], p.mean[2]); };
    double scale = 1;
    if (!white.empty()) {
        const read::PatchReading* p = reading.find(white);
        const auto xyz = reference.xyz.find(white);
        if (!p || !p->pixels || xyz == reference.xyz.end())
            throw Error(ErrorKind::input, "the correction's white patch " + white + " cannot be read here", {},
                        "Compare without scaling the exposure");
        // A correction scales with exposure and is there in one step; others are drawn near.
        for (int step = 0; step < 12; ++step) {
            const double Y = rendering(scale * rgb_of(*p)).y();
            if (!(Y > 1e-6))
                throw Error(ErrorKind::input, "the correction's white patch " + white + " is black here", {},
                            "Use a frame with more light");
            const double factor = std::clamp(xyz->second.y() / Y, 1 / 64.0, 64.0);
            scale *= factor;
            if (std::abs(factor - 1) < 1e-9 || scale < 1e-3 || scale > 1e3) break;
        }
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
        q.corrected_lab = colour::lab_from_xyz(rendering(scale * rgb_of(p)));
        q.delta_e_2000 = colour::delta_e_2000(q.reference_lab, q.corrected_lab);
        const Vec3 a = colour::lch_from(q.reference_lab), b = colour::lch_from(q.corrected_lab);
        q.lightness = b[0] - a[0];
        q.chroma = b[1] - a[1];
        q.hue_deg = std::remainder(b[2] - a[2], 360.0);
        q.terms = colour::delta_e_2000_components(q.reference_lab, q.corrected_lab);
        if (q.fitted) all.push_back(q.delta_e_2000);
        proof.patches.push_back(q);
    }
    if (all.empty())
        throw Error(ErrorKind::input, "no patch of the reading can be compared with the reference", reference.file,
                    "Check that both belong to the same chart");
    proof.delta_e_2000 = fit::statistics(all);
    return proof;
}

std::vector<Neighbours> merged_or_torn(const Proof& proof) {
    std::vector<Neighbours> all;
    const auto& p = proof.patches;
    for (std::size_t i = 0; i < p.size(); ++i) {
        // Its three nearest in the reference.
        std::vector<std::pair<double, std::size_t>> near;
        for (std::size_t k = 0; k < p.size(); ++k)
            if (k != i && p[k].fitted && p[i].fitted)
                near.emplace_back(colour::delta_e_2000(p[i].reference_lab, p[k].reference_lab), k);
        std::sort(near.begin(), near.end());
        if (near.size() > 3) near.resize(3);
        for (const auto& [distance, k] : near) {
            // Differences of about the fit's own error say nothing.
            if (distance < 2) continue;
            const Neighbours n{p[std::min(i, k)].id, p[std::max(i, k)].id, distance,
                               colour::delta_e_2000(p[i].corrected_lab, p[k].corrected_lab)};
            const double ratio = n.corrected / n.reference;
            if ((ratio < 0.65 || ratio > 1.5) &&
                std::none_of(all.begin(), all.end(), [&](const Neighbours& o) { return o.a == n.a && o.b == n.b; }))
                all.push_back(n);
        }
    }
    const auto change = [](const Neighbours& n) {
        return std::abs(std::log(std::max(1e-6, n.corrected / n.reference)));
    };
    std::stable_sort(all.begin(), all.end(),
                     [&](const Neighbours& a, const Neighbours& b) { return change(a) > change(b); });
    return all;
}

std::vector<std::string> outside(const Proof& proof, const std::string& space) {
    const colour::Mat3 from_xyz = colour::rgb_space(space).to_xyz_d50().inverse();
    std::vector<std::string> ids;
    for (const PatchProof& p : proof.patches) {
        const Vec3 rgb = from_xyz * colour::xyz_from_lab(p.corrected_lab);
        if (rgb.minCoeff() < -0.002 || rgb.maxCoeff() > 1.002) ids.push_back(p.id);
    }
    return ids;
}

Uncertainty uncertainty(const fit::Correction& c, const std::vector<fit::Coefficients>& draws) {
    Uncertainty u;
    std::vector<double> means(draws.size());
    double all = 0;
    int patches = 0;
    for (const read::PatchReading& p : c.reading.patches) {
        const auto xyz = c.reference.xyz.find(p.id);
        if (xyz == c.reference.xyz.end() || !p.usable()) continue;
        const fit::Features f = fit::features(c.model, c.balance(Vec3(p.mean.data())));
        const Vec3 reference = colour::lab_from_xyz(xyz->second), now = colour::lab_from_xyz(c.coefficients * f);
        double squares = 0;
        for (std::size_t d = 0; d < draws.size(); ++d) {
            const Vec3 drawn = colour::lab_from_xyz(draws[d] * f);
            squares += std::pow(colour::delta_e_2000(now, drawn), 2);
            means[d] += colour::delta_e_2000(reference, drawn);
        }
        ++patches;
        all += squares;
        u.patch[p.id] = std::sqrt(squares / std::max<double>(1, static_cast<double>(draws.size())));
    }
    if (draws.empty() || !patches) return u;
    std::sort(means.begin(), means.end());
    const auto at = [&](double q) {
        return means[static_cast<std::size_t>(std::lround(q * static_cast<double>(means.size() - 1)))] / patches;
    };
    u.mean_low = at(0.025);
    u.mean_high = at(0.975);
    u.typical = std::sqrt(all / (static_cast<double>(draws.size()) * patches));
    return u;
}

std::string in_words(const Proof& proof, const fit::Correction& c) {
    const double mean = c.cross_validated.mean, worst = proof.delta_e_2000.max;
    std::string words =
        mean < seen_by_half
            ? formatted("Most patches are nearer than half of observers can see side by side ({:.1f})", seen_by_half)
        : mean < accepted_by_half
            ? formatted("Differences can be seen side by side, and are within what half of observers accept ({:.1f})",
                        accepted_by_half)
            : formatted("Differences are beyond what half of observers accept side by side ({:.1f})", accepted_by_half);
    if (worst > accepted_by_half) {
        const auto most =
            std::max_element(proof.patches.begin(), proof.patches.end(), [](const auto& a, const auto& b) {
                return (a.fitted ? a.delta_e_2000 : 0) < (b.fitted ? b.delta_e_2000 : 0);
            });
        Eigen::Index term = 0;
        most->terms.cwiseAbs().maxCoeff(&term);
        words += formatted("; {} is furthest off, mostly in {}", most->id,
                           term == 0   ? "lightness"
                           : term == 1 ? "chroma"
                                       : "hue");
    }
    words += ".";
    if (!c.odd.empty())
        words += " Left out as odd: a dirty or covered patch, or a surface that fluoresces; such a colour changes with "
                 "the light's ultraviolet, and no correction settles it.";
    // What no model removes is the light's and the camera's: the freest that may be used still leaves it.
    double least = INFINITY;
    for (const fit::Candidate& k : c.candidates)
        if (k.withdrawn.empty()) least = std::min(least, k.cross_validated.mean);
    if (std::isfinite(least) && least > accepted_by_half)
        words += formatted(" No model leaves less than {:.1f} on patches held out: camera and light see these colours "
                           "otherwise than the eye does. More fitting will not help; a light of fuller spectrum will.",
                           least);
    return words;
}

} // namespace refero::prove
