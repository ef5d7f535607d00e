// Series and matches in a job: what holds of them whatever the cameras.
#include <cmath>

#include <Eigen/LU>

#include "match/match.hpp"
#include "operations/match/beside.hpp"
#include "operations/match/matching.hpp"
#include "simulate/simulate.hpp"
#include "support.hpp"

namespace refero {
namespace {

using colour::Vec3;

/// grid24 as a camera with BT.709's primaries sees it, so many stops over, with noise and gains of its own.
read::Reading reading_at(double stops, double noise, const Vec3& gains = {1, 1, 1}) {
    static const chart::Reference reference = chart::reference_of(test::grid24());
    const colour::Mat3 to_rgb = colour::rgb_space("linear-bt709").to_xyz_d50().inverse();
    read::Reading r;
    r.chart = "grid24";
    for (const chart::Patch& p : test::grid24().patches) {
        const Vec3 rgb = 0.25 * std::exp2(stops) * gains.cwiseProduct(to_rgb * reference.xyz.at(p.id));
        read::PatchReading patch{p.id};
        patch.pixels = 400;
        for (int c = 0; c < 3; ++c) {
            const auto i = static_cast<std::size_t>(c);
            patch.mean[i] = std::clamp(rgb[c], 1e-5, 1.0);
            patch.sd[i] = noise;
            patch.error[i] = noise / 20;
        }
        patch.clipped = rgb.maxCoeff() >= 1 ? 1 : 0;
        r.patches.push_back(patch);
    }
    return r;
}

std::vector<match::Exposure> series_of(const std::vector<read::Reading>& frames, std::size_t key) {
    return match::series(
        frames, key, chart::reference_of(test::grid24()), &test::grid24(),
        [](const balance::Balance&) { return colour::rgb_space("linear-bt709").to_xyz_d50(); },
        inspect::limits_for({}));
}

/// A chart painted with surfaces that nobody measured the spectra of, as cameras see it in daylight.
struct Painted {
    std::vector<colour::Spectrum> patches;
    chart::Reference reference;

    Painted() {
        const chart::Reference usual = chart::reference_of(test::grid24());
        std::uint64_t seed = 500;
        for (const chart::Patch& p : test::grid24().patches) {
            patches.push_back(p.role == "neutral" ? colour::Spectrum::constant(usual.xyz.at(p.id)[1])
                                                  : simulate::random_reflectance(++seed));
            reference.xyz[p.id] = colour::xyz_of(patches.back(), colour::illuminant_d(50));
        }
    }
    read::Reading seen_by(const simulate::Camera& camera) const {
        read::Reading r;
        r.chart = "grid24";
        for (std::size_t i = 0; i < patches.size(); ++i) {
            read::PatchReading p{test::grid24().patches[i].id};
            p.pixels = 400;
            const Vec3 rgb = 0.7 * camera.response(patches[i], simulate::light_named("window"));
            for (std::size_t c = 0; c < 3; ++c) {
                p.mean[c] = rgb[static_cast<Eigen::Index>(c)];
                p.error[c] = 1e-4 * p.mean[c];
                p.sd[c] = 20 * p.error[c];
            }
            r.patches.push_back(p);
        }
        return r;
    }
};

// Cameras whose sensitivities differ by a 3 x 3 tell the same of every surface (linear algebra): matched, they show it
// alike, however little is known of the chart's spectra, and though what the lead shows is no matrix of what it sees.
TEST(Match, cameras_that_see_the_same_show_unseen_surfaces_alike) {
    const Painted chart;
    const simulate::Camera lead = simulate::camera_named("stills-b");
    simulate::Camera other = lead;
    const colour::Mat3 mixed{{0.75, 0.25, 0}, {0.1, 0.75, 0.15}, {0.05, 0.2, 0.75}};
    for (Eigen::Index c = 0; c < 3; ++c) {
        colour::Spectrum s;
        for (Eigen::Index k = 0; k < 3; ++k) s = s + mixed(c, k) * lead.sensitivity[static_cast<std::size_t>(k)];
        other.sensitivity[static_cast<std::size_t>(c)] = s;
    }
    const auto leading = std::make_shared<const fit::Correction>(
        fit::build(chart.seen_by(lead), chart.reference, &test::grid24(), {.model = fit::Model::spectral}));
    const auto own = [&](const balance::Balance& b) { return fit::own_colours(b, other.camera_from_xyz_d65()); };
    const match::Match m =
        match::match(chart.seen_by(other), match::rendering_of(*leading, leading->reading), chart.reference,
                     &test::grid24(), own, {.model = fit::Model::spectral, .way = match::Way::direct, .lead = leading});
    double apart = 0;
    constexpr int count = 200;
    const colour::Spectrum light = simulate::light_named("window");
    for (std::uint64_t i = 0; i < count; ++i) {
        const colour::Spectrum surface = simulate::random_reflectance(9000 + i);
        apart += colour::delta_e_2000(colour::lab_from_xyz((*leading)(0.7 * lead.response(surface, light))),
                                      colour::lab_from_xyz(m.correction(0.7 * other.response(surface, light)))) /
                 count;
    }
    EXPECT_LT(apart, 0.1);
    EXPECT_NEAR(m.correction.unseen.mean / m.cross_validated.mean, 1.35, 1e-9); // docs/benchmarks.md, Matching
}

// A lead's correction may come from another shot: what both cameras saw now is what tells them apart.
TEST(Match, the_leads_correction_may_be_of_another_shot) {
    const Painted chart;
    const auto side = [&](const char* camera) {
        operations::Side s;
        s.reading = chart.seen_by(simulate::camera_named(camera));
        s.definition = test::grid24();
        s.camera_from_xyz = simulate::camera_named(camera).camera_from_xyz_d65();
        s.raw = true;
        return s;
    };
    const operations::Side lead = side("stills-a"), other = side("stills-b");
    const auto leading = std::make_shared<fit::Correction>(
        fit::build(lead.reading, chart.reference, &test::grid24(), {.model = fit::Model::matrix}));
    const chart::Reference target = match::rendering_of(*leading, lead.reading);
    const match::Settings settings{.model = fit::Model::spectral, .way = match::Way::direct, .lead = leading};
    const match::Match own = operations::matched(lead, other, target, chart.reference, settings, {});
    for (read::PatchReading& p : leading->reading.patches) // as if shot under a red lamp
        for (std::size_t c = 0; c < 3; ++c) p.mean[c] = 0.5 * p.mean[0];
    const match::Match lent = operations::matched(lead, other, target, chart.reference, settings, {});
    EXPECT_TRUE(own.correction.coefficients == lent.correction.coefficients);
}

// Levels, noise, clipping and the range that is safe follow from their definitions: 20 log10(signal / noise) at the
// grey nearest 20 %, no patch clipped, a*b* drift of at most 2.
TEST(Series, stops_and_the_safe_range_are_those_put_in) {
    std::vector<read::Reading> frames;
    for (int s = -4; s <= 4; ++s) frames.push_back(reading_at(s, 0.001));
    const auto all = series_of(frames, 4);
    for (int s = -4; s <= 2; ++s) EXPECT_NEAR(all[static_cast<std::size_t>(s + 4)].stops, s, 1e-6);
    // The grey nearest 20 % is D4 (19.8 %, CIE Y of the chart's publication): 0.25 * 0.198 * 2^s over 0.001.
    const double grey = chart::reference_of(test::grid24()).xyz.at("D4")[1];
    for (int s = -4; s <= 0; ++s)
        EXPECT_NEAR(all[static_cast<std::size_t>(s + 4)].snr_db, 20 * std::log10(0.25 * grey * std::exp2(s) / 0.001),
                    0.1);
    const auto usable = match::usable_stops(all, 4);
    ASSERT_TRUE(usable);
    const double lowest = std::ceil(std::log2(std::pow(10, 25 / 20.0) * 0.001 / (0.25 * grey)));
    EXPECT_NEAR(usable->first, lowest, 1e-6);
    EXPECT_NEAR(usable->second, 2, 1e-6) << "white, 0.25 * 0.9 * 2^s, clips above +2.1";
    EXPECT_FALSE(all.back().usable);
    EXPECT_EQ(all.back().why, "clipped");
}

TEST(Series, drift_is_found_with_its_direction) {
    const auto all = series_of({reading_at(-1, 1e-4, {1.06, 1, 1.06}), reading_at(0, 1e-4),
                                reading_at(1, 1e-4, {1, 1.06, 1}), reading_at(0.5, 1e-4, {1, 1, 1.1})},
                               1);
    EXPECT_EQ(all[0].direction, "to magenta");
    EXPECT_EQ(all[2].direction, "to green");
    EXPECT_EQ(all[3].direction, "to blue");
    EXPECT_EQ(all[1].direction, "");
    EXPECT_FALSE(all[0].usable);
    EXPECT_EQ(all[0].why, "its greys drift");
    EXPECT_GT(all[0].grey_delta_a, 2);
}

TEST(Series, skin_is_noisier_when_it_is_darker) {
    const auto all = series_of({reading_at(-3, 0.001), reading_at(0, 0.001)}, 1);
    EXPECT_GT(all[0].skin_noise, 4 * all[1].skin_noise);
}

TEST(Series, a_gap_ends_the_safe_range) {
    std::vector<read::Reading> frames{reading_at(-2, 1e-4), reading_at(-1, 0.5), reading_at(0, 1e-4)};
    const auto usable = match::usable_stops(series_of(frames, 2), 2);
    ASSERT_TRUE(usable);
    EXPECT_NEAR(usable->first, 0, 1e-6);
    frames[2] = reading_at(0, 0.5);
    EXPECT_FALSE(match::usable_stops(series_of(frames, 2), 2));
}

// A mode whose recording ends at 0.62 of the signal, below its last code: nothing is marked as clipped by itself.
TEST(Series, an_end_below_the_last_code_is_seen_as_a_plateau) {
    constexpr double end = 0.62;
    std::vector<read::Reading> frames;
    for (int s = -3; s <= 4; ++s) {
        read::Reading r = reading_at(s, 0.001);
        for (std::size_t i = 0; i < r.patches.size(); ++i) {
            read::PatchReading& p = r.patches[i];
            for (double& v : p.mean) v = std::min(v, end * (1 + 0.002 * (static_cast<double>(i % 5) - 2) / 2));
            p.clipped = 0;
        }
        frames.push_back(r);
    }
    const auto found = match::find_plateau(frames, 3);
    ASSERT_TRUE(found);
    EXPECT_NEAR(*found, end, 0.003);
    const auto all = series_of(frames, 3);
    for (int s = -3; s <= 4; ++s) { // as the definition says: 0.25 of the signal is the diffuser at the key
        SCOPED_TRACE(s);
        const double brightest = reading_at(s, 0.001).find("D1")->mean[1];
        EXPECT_EQ(all[static_cast<std::size_t>(s + 3)].clipped.empty(), brightest < 0.98 * end);
        EXPECT_NEAR(all[static_cast<std::size_t>(s + 3)].stops, s, 0.02);
    }
    // The code that a log curve, or BT.709's, has there; raw files need none.
    const auto code = operations::code_of(*found, "bt709");
    ASSERT_TRUE(code);
    EXPECT_NEAR(*code, 1.099 * std::pow(*found, 0.45) - 0.099, 1e-4); // ITU-R BT.709
    EXPECT_FALSE(operations::code_of(*found, ""));
    EXPECT_FALSE(operations::code_of(3, "bt709")) << "no code shows that";
}

TEST(Series, no_plateau_is_seen_where_there_is_none) {
    std::vector<read::Reading> frames;
    for (int s = -3; s <= 1; ++s) frames.push_back(reading_at(s, 0.001)); // nothing reaches an end
    EXPECT_FALSE(match::find_plateau(frames, 3));
    for (int s = 2; s <= 4; ++s) frames.push_back(reading_at(s, 0.001)); // ends at the last code: known
    const std::size_t clipped_before = series_of(frames, 3).back().clipped.size();
    EXPECT_FALSE(match::find_plateau(frames, 3));
    EXPECT_EQ(series_of(frames, 3).back().clipped.size(), clipped_before);
}

/// A picture of squares of two colours, its chart's corners at `at`.
apply::Picture squares(int width, int height, const Vec3& ink, double shift) {
    apply::Picture p{width, height, std::vector<float>(static_cast<std::size_t>(3 * width * height)), "srgb"};
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            for (int c = 0; c < 3; ++c)
                p.rgb[static_cast<std::size_t>(3 * (y * width + x) + c)] =
                    (static_cast<int>(std::floor((x - shift) / 20)) + y / 20) % 2 ? static_cast<float>(ink[c]) : 0.2f;
    return p;
}

// The other picture, moved by ten pixels, lies on the lead's again; where colours differ, the difference is
// CIEDE2000's.
TEST(Beside, pictures_are_laid_over_each_other_by_the_chart) {
    const apply::Picture lead = squares(200, 120, {0.5, 0.4, 0.3}, 0), other = squares(200, 120, {0.5, 0.4, 0.3}, 10);
    const chart::Corners corners{{{40, 20}, {140, 20}, {140, 100}, {40, 100}}};
    chart::Corners moved = corners;
    for (chart::Point& p : moved) p.x() += 10;
    const operations::Beside same = operations::beside(lead, corners, other, moved);
    EXPECT_LT(same.mean, 0.15); // the rim is smoothed with what lies outside
    EXPECT_LT(same.delta_e_2000[195 + 60 * 200], 0) << "the other does not reach so far";
    const operations::Beside redder = operations::beside(lead, corners, squares(200, 120, {0.55, 0.4, 0.3}, 10), moved);
    const colour::Mat3 to_xyz = colour::rgb_space("srgb").to_xyz_d50();
    const double wanted = colour::delta_e_2000(colour::lab_from_xyz(to_xyz * Vec3(0.5, 0.4, 0.3)),
                                               colour::lab_from_xyz(to_xyz * Vec3(0.55, 0.4, 0.3)));
    EXPECT_NEAR(redder.delta_e_2000[30 + 70 * 200], 0.0, 1e-3);
    EXPECT_NEAR(redder.delta_e_2000[30 + 50 * 200], wanted, 0.01);
    const apply::Picture strips = operations::in_strips(redder, 4);
    EXPECT_EQ(strips.rgb[3 * (10 + 20 * 200)], lead.rgb[3 * (10 + 20 * 200)]);
    const apply::Picture map = operations::as_difference(redder, wanted);
    EXPECT_NEAR(map.rgb[3 * (30 + 50 * 200)], 1, 0.01);
    EXPECT_NEAR(map.rgb[3 * (30 + 70 * 200)], 0, 0.01);
}

/// A scene of irregular spots, as a function of where one looks.
Vec3 spots_at(double x, double y) {
    Vec3 v(0.25, 0.25, 0.25);
    for (int k = 0; k < 240; ++k) {
        const double cx = std::fmod(k * 137.508, 640), cy = std::fmod(k * 97.33 + 11, 400), r = 4 + k % 7;
        const double d2 = ((x - cx) * (x - cx) + (y - cy) * (y - cy)) / (r * r);
        if (d2 < 12) v += std::exp(-d2) * Vec3(0.3 * (k % 3 - 1), 0.25 * (k % 5 - 2) / 2.0, 0.3 * ((k / 2) % 3 - 1));
    }
    return v.cwiseMax(0.02).cwiseMin(0.98);
}

// Off the chart's plane the other camera sees the scene shifted, more towards the right, and darker by its exposure.
TEST(Beside, what_lies_off_the_charts_plane_follows_the_scene) {
    constexpr int width = 640, height = 400;
    const auto shift = [](double x, double y) { // none at the chart, left
        const double off = std::clamp((x - 220) / 120, 0.0, 1.0);
        return Vec3(off * (9 + 0.01 * y), off * -4, 0);
    };
    const auto picture = [&](bool moved) {
        apply::Picture p{width, height, std::vector<float>(std::size_t{3} * width * height), "srgb"};
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                const Vec3 by = moved ? shift(x, y) : Vec3::Zero();
                const Vec3 v = spots_at(x - by[0], y - by[1]);
                for (int c = 0; c < 3; ++c)
                    p.rgb[3 * (static_cast<std::size_t>(y) * width + x) + static_cast<std::size_t>(c)] =
                        static_cast<float>(v[c]);
            }
        return p;
    };
    const apply::Picture lead = picture(false), other = picture(true);
    const chart::Corners corners{{{40, 80}, {200, 80}, {200, 260}, {40, 260}}};
    const auto off = [&](const operations::Beside& b, int from, int to) { // mean difference of light in columns
        double sum = 0;
        int n = 0;
        for (int y = 40; y < height - 40; ++y)
            for (int x = from; x < to; ++x, ++n)
                sum += std::abs(b.other.rgb[3 * (static_cast<std::size_t>(y) * width + x) + 1] -
                                lead.rgb[3 * (static_cast<std::size_t>(y) * width + x) + 1]);
        return sum / n;
    };
    const operations::Beside still = operations::beside(lead, corners, lead, corners);
    EXPECT_LT(off(still, 40, 600), 1e-3);
    const operations::Beside b = operations::beside(lead, corners, other, corners);
    EXPECT_GE(b.features, 12);
    operations::Beside plane = b; // as the plane alone lays it
    plane.other = other;
    std::printf("[ measured ] off the chart's plane, by the plane %.4f, by %d features %.4f of light apart\n",
                off(plane, 380, 600), b.features, off(b, 380, 600));
    EXPECT_LT(off(b, 380, 600), 0.2 * off(plane, 380, 600));
    EXPECT_LT(off(b, 60, 190), 0.01); // the chart stays
    apply::Picture darker = other;
    for (float& v : darker.rgb) v *= 0.7F;
    EXPECT_GE(operations::beside(lead, corners, darker, corners).features, 12);
    // What lies in the plane and looks alike everywhere stays there, however its colours differ.
    const apply::Picture checks = squares(640, 400, {0.5, 0.4, 0.3}, 0),
                         others = squares(640, 400, {0.45, 0.42, 0.3}, 0);
    const operations::Beside alike = operations::beside(checks, corners, others, corners);
    EXPECT_EQ(alike.features, 0);
    EXPECT_EQ(alike.other.rgb, operations::beside(others, corners, others, corners).other.rgb);
    // Nothing to hold on to: the plane alone.
    apply::Picture plain = lead;
    std::fill(plain.rgb.begin(), plain.rgb.end(), 0.3F);
    EXPECT_EQ(operations::beside(plain, corners, plain, corners).features, 0);
}

// A region of one square: its means, its tones and its place on the scope are the ink's own.
TEST(Beside, a_region_of_both_is_measured_alone) {
    const Vec3 ink(0.5, 0.4, 0.3), redder(0.55, 0.4, 0.3);
    const chart::Corners corners{{{40, 20}, {140, 20}, {140, 100}, {40, 100}}};
    chart::Corners moved = corners;
    for (chart::Point& p : moved) p.x() += 10;
    const operations::Beside both =
        operations::beside(squares(200, 120, ink, 0), corners, squares(200, 120, redder, 10), moved);
    const operations::PartOfBoth part =
        operations::part_of(both, {38, 58}, {22, 44}); // inside a square of ink, from either corner
    const colour::Mat3 to_xyz = colour::rgb_space("srgb").to_xyz_d50();
    EXPECT_NEAR(part.delta_e_2000,
                colour::delta_e_2000(colour::lab_from_xyz(to_xyz * ink), colour::lab_from_xyz(to_xyz * redder)), 1e-3);
    EXPECT_NEAR(part.lead.mean[0], colour::encode(colour::Transfer::srgb, 0.5), 1e-6);
    EXPECT_NEAR(part.other.mean[0], colour::encode(colour::Transfer::srgb, 0.55), 1e-4);
    EXPECT_NEAR(part.other.tone[0].front(), part.other.tone[0].back(), 1e-3);
    const auto place = scope::on_vectorscope(part.lead.mean, scope::Standard::bt709);
    EXPECT_EQ(part.lead.colours.at(static_cast<int>(place.x()), static_cast<int>(place.y())), 16u * 14u);
    EXPECT_THROW(operations::part_of(both, {193, 0}, {199, 100}), Error) << "the other does not reach so far";
    EXPECT_THROW(operations::part_of(both, {50, 50}, {50, 50}), Error);
}

} // namespace
} // namespace refero
