// Cameras matched under one light, tested on surfaces that neither chart nor prior hold; docs/benchmarks.md.
//   refero-match-bench [SEED] [--others N]
#include <atomic>
#include <iostream>
#include <mutex>

#include <CLI/CLI.hpp>
#include <Eigen/QR>

#include "colour/rgb.hpp"
#include "match/match.hpp"

#include "fit_set.hpp"
#include "gate_set.hpp"

using namespace refero;
using namespace refero::bench;
using colour::Mat3;
using colour::Vec3;

namespace {

using Sensitivities = std::array<colour::Spectrum, 3>;

constexpr int each = 3000, tested = 150; ///< surfaces of a family

/// Linear camera RGB of surfaces under a light; white's largest channel is `white`.
std::vector<Vec3> seen(const Sensitivities& camera, const colour::Spectrum& light,
                       const std::vector<colour::Spectrum>& surfaces, double white) {
    Vec3 full;
    for (int c = 0; c < 3; ++c) full[c] = camera[static_cast<std::size_t>(c)].vector().dot(light.vector());
    std::vector<Vec3> all;
    for (const colour::Spectrum& s : surfaces) {
        Vec3 rgb;
        for (int c = 0; c < 3; ++c)
            rgb[c] = camera[static_cast<std::size_t>(c)].vector().cwiseProduct(light.vector()).dot(s.vector());
        all.push_back(white / full.maxCoeff() * rgb);
    }
    return all;
}

read::Reading reading_of(const chart::Definition& d, const std::vector<Vec3>& rgb, std::mt19937_64& random) {
    constexpr double noise = 0.002, pixels = 400;
    std::normal_distribution<double> normal;
    read::Reading r;
    r.chart = d.id;
    for (std::size_t i = 0; i < rgb.size(); ++i) {
        read::PatchReading p{d.patches[i].id};
        p.pixels = static_cast<int>(pixels);
        for (int c = 0; c < 3; ++c) {
            const auto k = static_cast<std::size_t>(c);
            p.sd[k] = noise * std::sqrt(0.1 + rgb[i][c]);
            p.error[k] = p.sd[k] / std::sqrt(pixels);
            p.mean[k] = rgb[i][c] + p.error[k] * normal(random);
        }
        r.patches.push_back(p);
    }
    return r;
}

double apart(const Vec3& a, const Vec3& b) {
    return colour::delta_e_2000(colour::lab_from_xyz(a), colour::lab_from_xyz(b));
}

/// The plain way: 3 x 3 by least squares from the other's balanced RGB to the lead's rendering.
Mat3 least_squares(const read::Reading& other, const chart::Reference& target) {
    Eigen::MatrixX3d a(other.patches.size(), 3), b(other.patches.size(), 3);
    for (Eigen::Index i = 0; i < a.rows(); ++i) {
        const auto& p = other.patches[static_cast<std::size_t>(i)];
        a.row(i) << p.mean[0], p.mean[1], p.mean[2];
        b.row(i) = target.xyz.at(p.id).transpose();
    }
    return a.colPivHouseholderQr().solve(b).transpose();
}

/// A recipe carried out with nothing but its numbers: levels, skin, then six hues (docs/methods.md, Matching).
struct Hand {
    match::Recipe r;
    static double turned(double deg) { return std::remainder(deg, 360.0); }
    static Vec3 hues(const Vec3& code, const std::vector<match::HueMove>& moves, double reach) {
        double y = 0.2126 * code[0] + 0.7152 * code[1] + 0.0722 * code[2];
        double cb = (code[2] - y) / 1.8556, cr = (code[0] - y) / 1.5748;
        const auto share = [&](double angle, double centre) {
            const double off = std::abs(turned(angle - centre));
            return off < reach ? 0.5 * (1 + std::cos(M_PI * off / reach)) : 0.0;
        };
        for (const bool saturation : {true, false}) {
            const double angle = std::atan2(cr, cb) * 180 / M_PI;
            double factor = 1, turn = 0;
            for (const match::HueMove& m : moves) {
                if (saturation) factor += share(angle, m.centre_deg) * m.saturation_percent / 100;
                else turn += share(angle, m.centre_deg) * m.hue_deg;
            }
            const double strength = std::hypot(cb, cr) * factor, to = (angle + turn) * M_PI / 180;
            cb = strength * std::cos(to);
            cr = strength * std::sin(to);
        }
        const double red = y + 1.5748 * cr, blue = y + 1.8556 * cb;
        return {red, (y - 0.2126 * red - 0.0722 * blue) / 0.7152, blue};
    }
    Vec3 operator()(const Vec3& balanced) const {
        Vec3 code;
        for (int c = 0; c < 3; ++c) {
            const double v = colour::encode(colour::Transfer::srgb, balanced[c]);
            code[c] = r.offset[c] + r.gain[c] * std::pow(std::max(v, 0.0), r.gamma[c]);
        }
        if (r.skin) code = hues(code, {*r.skin}, 30);
        code = hues(code, r.six, 60);
        return code.unaryExpr([](double v) { return colour::decode(colour::Transfer::srgb, v); });
    }
};

/// What any smooth function of the other's RGB can reach of the lead's rendering on the surfaces that are tested.
double floor_between(const fit::Correction& leading, const std::vector<Vec3>& lead, const std::vector<Vec3>& other) {
    const auto n = static_cast<Eigen::Index>(other.size());
    Eigen::Matrix3Xd rgb(3, n), wanted(3, n);
    for (Eigen::Index i = 0; i < n; ++i) {
        rgb.col(i) = other[static_cast<std::size_t>(i)];
        wanted.col(i) = leading(lead[static_cast<std::size_t>(i)]);
    }
    rgb = rgb.array().colwise() / rgb.rowwise().maxCoeff().array();
    return (floor_of(rgb, wanted, 0, tested).mean + floor_of(rgb, wanted, each, tested).mean) / 2;
}

struct Pair {
    double matched = 0, plain = 0, reference = 0, direct = 0, left_out = 0, expected = 0, before = 0, by_hand = 0;
    double floor = 0;
    match::Way way = match::Way::direct;
};

} // namespace

int main(int argc, char** argv) {
    CLI::App app("Cameras matched under one light");
    std::uint64_t seed = 1;
    int others = 3;
    bool list = false, with_spectra = false;
    app.add_flag("--list", list, "Each pair");
    app.add_flag("--spectra", with_spectra, "The chart's spectra are known");
    app.add_option("SEED", seed);
    app.add_option("--others", others, "Others for each lead");
    CLI11_PARSE(app, argc, argv);

    std::vector<Sensitivities> bodies; // one of each family
    std::map<std::string, std::vector<Sensitivities>> families;
    for (const auto& c : cameras()) families[c.family].push_back(c.value);
    for (const auto& [family, all] : families) bodies.push_back(all[seed % all.size()]);
    std::vector<colour::Spectrum> lamps;
    for (std::size_t i = 0; i < 5; ++i)
        lamps.push_back(lights()[(seed + i * lights().size() / 5) % lights().size()].value);
    const chart::Definition chart = chart::find_definition("grid24");
    chart::Reference reference = chart::reference_of(chart);
    const auto patches = chart_spectra(chart, reference, seed);
    for (std::size_t i = 0; with_spectra && i < patches.size(); ++i)
        reference.spectrum[chart.patches[i].id] = patches[i];
    // Of each family the first are tested; all of them teach the floor.
    const auto pigments = pigment_mixtures(each, seed + 1), dyes = dyed_papers(each, seed + 2);
    std::vector<colour::Spectrum> surfaces(pigments.begin(), pigments.begin() + tested), all = pigments;
    surfaces.insert(surfaces.end(), dyes.begin(), dyes.begin() + tested);
    all.insert(all.end(), dyes.begin(), dyes.end());
    const Mat3 to_rgb = colour::rgb_space("linear-bt709").to_xyz_d50().inverse(),
               from_rgb = colour::rgb_space("linear-bt709").to_xyz_d50();

    struct Work {
        std::size_t lead, other, lamp;
    };
    std::vector<Work> work;
    for (std::size_t lamp = 0; lamp < lamps.size(); ++lamp)
        for (std::size_t lead = 0; lead < bodies.size(); ++lead)
            for (int k = 1; k <= others; ++k)
                work.push_back({lead, (lead + static_cast<std::size_t>(1 + 2 * (k - 1))) % bodies.size(), lamp});
    std::vector<Pair> pairs(work.size());
    tbb::parallel_for(std::size_t{0}, work.size(), [&](std::size_t n) {
        const auto& [lead, other, lamp] = work[n];
        std::mt19937_64 random(seed * 1000 + n);
        const read::Reading of_lead = reading_of(chart, seen(bodies[lead], lamps[lamp], patches, 0.8), random),
                            of_other = reading_of(chart, seen(bodies[other], lamps[lamp], patches, 0.7), random);
        const fit::Correction leading = fit::build(of_lead, reference, &chart, {}, {});
        const chart::Reference target = match::rendering_of(leading, of_lead);
        simulate::Camera body;
        body.sensitivity = bodies[other];
        const auto own = [matrix = body.camera_from_xyz_d65()](const balance::Balance& b) { // as its raw files tell
            return fit::own_colours(b, matrix);
        };
        const auto lead_correction = std::make_shared<const fit::Correction>(leading);
        const match::Match m = match::match(of_other, target, reference, &chart, own, {.lead = lead_correction});
        const match::Match through = m.way == match::Way::reference ? m
                                                                    : match::match(of_other, target, reference, &chart,
                                                                                   own, {.way = match::Way::reference});
        const match::Match direct = m.way == match::Way::direct
                                        ? m
                                        : match::match(of_other, target, reference, &chart, own,
                                                       {.way = match::Way::direct, .lead = lead_correction});
        const Mat3 plain = least_squares(of_other, target);
        const auto lead_rgb = seen(bodies[lead], lamps[lamp], surfaces, 0.8),
                   other_rgb = seen(bodies[other], lamps[lamp], surfaces, 0.7);
        Pair p;
        p.left_out = m.cross_validated.mean;
        p.expected = m.correction.unseen.mean;
        p.floor = floor_between(leading, seen(bodies[lead], lamps[lamp], all, 0.8),
                                seen(bodies[other], lamps[lamp], all, 0.7));
        p.way = m.way;
        const balance::Balance& balance = m.correction.balance;
        const Mat3 to_xyz = own(balance);
        const Hand hand{m.recipe};
        constexpr double exposures[] = {0.5, 1, 1.25};
        for (std::size_t i = 0; i < surfaces.size(); ++i)
            for (const double e : exposures) {
                const Vec3 wanted = leading(e * lead_rgb[i]), rgb = e * other_rgb[i];
                p.matched += apart(wanted, m.correction(rgb));
                p.reference += apart(wanted, through.correction(rgb));
                p.direct += apart(wanted, direct.correction(rgb));
                p.plain += apart(wanted, plain * rgb);
                const Vec3 alone = to_xyz * balance(rgb);
                p.before += apart(wanted, alone);
                p.by_hand += apart(wanted, from_rgb * hand(to_rgb * alone));
            }
        const double count = static_cast<double>(surfaces.size()) * std::size(exposures);
        for (double* v : {&p.matched, &p.plain, &p.reference, &p.direct, &p.before, &p.by_hand}) *v /= count;
        pairs[n] = p;
    });

    double matched = 0, plain = 0, through = 0, before = 0, hand = 0, least = 0;
    int within = 0, foretold = 0, over = 0, direct = 0, reachable = 0;
    for (const Pair& p : pairs) {
        matched += p.matched;
        plain += p.plain;
        through += p.reference;
        before += p.before;
        hand += p.by_hand;
        least += p.floor;
        reachable += p.floor <= 0.9 * p.plain;
        within += std::abs(p.left_out / p.matched - 1) <= 0.35;
        foretold += std::abs(p.expected / p.matched - 1) <= 0.35;
        const double better = std::min(p.direct, p.reference);
        over += p.matched > 1.08 * better && p.matched > better + 0.05;
        direct += p.way == match::Way::direct;
    }
    const double n = static_cast<double>(pairs.size());
    for (std::size_t n = 0; list && n < pairs.size(); ++n)
        std::cout << formatted("  {} {} {}: {:.2f} direct, {:.2f} reference, {:.2f} plain, floor {:.2f}, left out "
                               "{:.2f}, expected {:.2f}, "
                               "hand {:.2f} of {:.2f}\n",
                               work[n].lead, work[n].other, work[n].lamp, pairs[n].direct, pairs[n].reference,
                               pairs[n].plain, pairs[n].floor, pairs[n].left_out, pairs[n].expected, pairs[n].by_hand,
                               pairs[n].before);
    std::cout << formatted("{} pairs, seed {}: CIEDE2000 between lead and other on {} unseen surfaces x 3 exposures\n",
                           pairs.size(), seed, surfaces.size());
    std::cout << formatted(
        "  matched {:.3f}; least squares 3 x 3 {:.3f} (ratio {:.2f}); through the reference {:.3f}\n", matched / n,
        plain / n, matched / plain, through / n);
    std::cout << formatted(
        "  the floor of any smooth function of the other's RGB: {:.3f} ({:.2f} of the 3 x 3); at most 0.9 of the 3 x 3 "
        "on {} pairs\n",
        least / n, least / plain, reachable);
    std::cout << formatted(
        "  straight on {} pairs; {} pairs over 1.08 of the better way; left-out figure within 35 % on {:.0f} %, the "
        "expected one on {:.0f} %\n",
        direct, over, 100 * within / n, 100 * foretold / n);
    std::cout << formatted("  recipe: {:.3f} by balance, {:.3f} by hand, {:.3f} matched: {:.2f} of the way\n",
                           before / n, hand / n, matched / n, (before - hand) / (before - matched));
}
