// What a display does, judged on displays whose ways are known; its profile read by an independent library.
#include <cmath>
#include <random>

#include <Eigen/LU>
#include <lcms2.h>

#include "colour/rgb.hpp"
#include "display/check.hpp"
#include "display/simulated_colorimeter.hpp"
#include "support.hpp"

namespace refero::display {
namespace {

using colour::Vec3;

std::vector<Patch> measured(const std::function<Vec3(const Vec3&)>& light) {
    std::vector<Patch> all;
    for (const Shown& s : sequence()) all.push_back({s.rgb, light(s.rgb)});
    return all;
}

DisplayModel like_srgb() { return displays().at(1); }

bool names(const Display& d, const std::string& what) {
    return std::any_of(d.faults.begin(), d.faults.end(), [&](const Fault& f) { return f.what == what; });
}

// A display that is sRGB draws no complaint; its figures are those of the standard (IEC 61966-2-1: D65, coverage 1).
TEST(Screen, a_display_that_is_srgb_passes) {
    DisplayModel d = like_srgb();
    d.luminance = 120;
    d.black = 0.1;
    const Display seen = look(measured([&](const Vec3& rgb) { return light_of(d, rgb); }), "srgb");
    EXPECT_NEAR(seen.white.x, 0.3127, 1e-4);
    EXPECT_NEAR(seen.white.y, 0.3290, 1e-4);
    EXPECT_NEAR(seen.light.kelvin, 6503, 15);
    EXPECT_NEAR(seen.white_off_d65, 0, 1e-4);
    EXPECT_NEAR(seen.coverage.at("srgb"), 1, 1e-3);
    EXPECT_NEAR(seen.area.at("srgb"), 1, 2e-3);
    EXPECT_NEAR(seen.contrast, 1200, 1);
    EXPECT_EQ(seen.curve, "srgb");
    EXPECT_EQ(seen.verdict, display::Verdict::pass) << seen.advice;
    EXPECT_TRUE(seen.faults.empty()) << seen.faults.front().words;
    EXPECT_LT(seen.after_profile.mean, 0.2);
    EXPECT_LE(seen.after_profile.mean, seen.delta_e_2000.mean + 0.05);
}

TEST(Screen, black_that_was_not_measured_is_said_and_not_judged) {
    DisplayModel d = like_srgb();
    d.luminance = 120;
    d.black = 0.1;
    std::vector<Patch> patches = measured([&](const Vec3& rgb) { return light_of(d, rgb); });
    std::erase_if(patches, [](const Patch& p) { return p.rgb.norm() < 1e-6; });
    const Display seen = look(patches, "srgb");
    EXPECT_FALSE(seen.black_measured);
    EXPECT_TRUE(std::isnan(seen.contrast));
    EXPECT_EQ(seen.verdict, display::Verdict::pass) << seen.advice;
    EXPECT_NE(seen.advice.find("measure black, too"), std::string::npos);
    EXPECT_EQ(black_in_words(seen), "black was not measured");
    EXPECT_TRUE(seen.faults.empty());
    patches.push_back({Vec3::Zero(), Vec3::Zero()}); // measured, and dark beyond the instrument
    const Display dark = look(patches, "srgb");
    EXPECT_TRUE(dark.black_measured);
    EXPECT_TRUE(std::isinf(dark.contrast));
    EXPECT_EQ(dark.advice.find("measure black"), std::string::npos);
    EXPECT_NE(black_in_words(dark).find("less light than"), std::string::npos);
}

/// Area of a polygon by its corners' cross products, and of two triangles' common part by counting points of a grid: an
/// independent way to the same.
double share_by_grid(const std::array<std::pair<double, double>, 3>& a,
                     const std::array<std::pair<double, double>, 3>& b) {
    const auto inside = [](const auto& t, double u, double v) {
        bool positive = false, negative = false;
        for (std::size_t i = 0; i < 3; ++i) {
            const auto& [u1, v1] = t[i];
            const auto& [u2, v2] = t[(i + 1) % 3];
            const double side = (u2 - u1) * (v - v1) - (v2 - v1) * (u - u1);
            positive = positive || side > 0;
            negative = negative || side < 0;
        }
        return !(positive && negative);
    };
    int in_b = 0, in_both = 0;
    constexpr int n = 1200;
    for (int i = 0; i < n; ++i)
        for (int k = 0; k < n; ++k) {
            const double u = 0.65 * (i + 0.5) / n, v = 0.65 * (k + 0.5) / n;
            if (!inside(b, u, v)) continue;
            ++in_b;
            in_both += inside(a, u, v);
        }
    return static_cast<double>(in_both) / in_b;
}

TEST(Screen, coverage_is_the_area_that_two_triangles_share) {
    const auto uv = [](const colour::Chromaticity& c) {
        const double d = -2 * c.x + 12 * c.y + 3;
        return std::pair(4 * c.x / d, 9 * c.y / d);
    };
    DisplayModel d = displays().at(0); // wide
    d.black = 0;
    const Display seen = look(measured([&](const Vec3& rgb) { return light_of(d, rgb); }), "oprgb");
    for (const char* name : {"srgb", "display-p3", "oprgb", "bt2020"}) {
        const colour::RgbSpace& s = colour::rgb_space(name);
        const double wanted = share_by_grid({uv(d.primaries[0]), uv(d.primaries[1]), uv(d.primaries[2])},
                                            {uv(s.red), uv(s.green), uv(s.blue)});
        EXPECT_NEAR(seen.coverage.at(name), wanted, 0.004) << name;
    }
}

/// Another kind of display than the stand-in's: an S-shaped native response with a table before it, leakage between
/// channels by a matrix, primaries of its own.
struct OtherDisplay {
    colour::Mat3 primaries; ///< columns: full light of each channel, cd/m2
    Vec3 gamma{2.2, 2.2, 2.2}, drift{0, 0, 0};
    double black = 0.1, leak = 0;
    Vec3 operator()(const Vec3& rgb) const {
        Vec3 light;
        for (int c = 0; c < 3; ++c) {
            const double v = rgb[c] + drift[c] * std::sin(M_PI * rgb[c]) * rgb[c] * (1 - rgb[c]);
            light[c] = std::pow(std::clamp(v, 0.0, 1.0), gamma[c]);
        }
        const double mean = light.mean();
        return primaries * ((1 - leak) * light + Vec3::Constant(leak * mean)) + black * Vec3(0.95, 1, 1.09);
    }
};

OtherDisplay other_display(std::mt19937& random, const colour::Chromaticity& white, double luminance) {
    std::uniform_real_distribution<double> off(-0.012, 0.012);
    const colour::RgbSpace& s =
        colour::rgb_space(std::uniform_int_distribution<int>(0, 1)(random) ? "srgb" : "display-p3");
    colour::Mat3 p;
    int c = 0;
    for (colour::Chromaticity k : {s.red, s.green, s.blue}) {
        k.x += off(random);
        k.y += off(random);
        p.col(c++) = Vec3(k.x / k.y, 1, (1 - k.x - k.y) / k.y);
    }
    const Vec3 full = p.inverse() * Vec3(white.x / white.y, 1, (1 - white.x - white.y) / white.y);
    OtherDisplay d;
    d.primaries = luminance * (p * full.asDiagonal());
    d.leak = std::uniform_real_distribution<double>(0, 0.02)(random);
    d.black = std::uniform_real_distribution<double>(0.04, 0.2)(random);
    return d;
}

// White off by 800 K, gamma 1.9, weak blue, greys that drift: each named, with the right control to turn, on 200 random
// displays of which half are made otherwise than the stand-in's. Every third has no fault: it draws none.
TEST(Screen, known_faults_are_named_with_the_control_to_turn) {
    std::mt19937 random(20);
    std::uniform_real_distribution<double> unit(0, 1);
    std::map<std::string, std::pair<int, int>> right; // named, of
    int false_alarms = 0, clean = 0;
    for (int i = 0; i < 200; ++i) {
        const std::string faults[] = {"white", "gamma", "blue", "greys", ""};
        const std::string fault = faults[i % 5];
        const bool own = (i / 5) % 2;
        const double kelvin = fault == "white" ? (unit(random) < 0.5 ? 5700 : 7300) : 6504;
        const colour::Chromaticity white =
            fault == "white" ? colour::daylight_locus(kelvin) : colour::rgb_space("srgb").white;
        const double luminance = 90 + 60 * unit(random), gamma = fault == "gamma" ? 1.9 : 2.15 + 0.1 * unit(random);
        std::function<Vec3(const Vec3&)> light;
        if (own) {
            DisplayModel d = like_srgb();
            d.white = white;
            d.luminance = luminance;
            d.gamma.fill(gamma);
            if (fault == "blue") d.gain[2] = 0.8 + 0.05 * unit(random);
            if (fault == "greys") d.offset = {0.05 + 0.03 * unit(random), 0, -0.05};
            light = [instrument = std::make_shared<SimulatedColorimeter>(d, static_cast<unsigned>(i))](
                        const Vec3& rgb) { return instrument->measure(rgb); };
        } else {
            OtherDisplay d = other_display(random, white, luminance);
            d.gamma.fill(gamma);
            if (fault == "blue") d.primaries.col(2) *= 0.8 + 0.05 * unit(random);
            if (fault == "greys") d.drift = {0.25 + 0.1 * unit(random), 0, -0.25};
            light = [d, noise = std::make_shared<std::mt19937>(static_cast<unsigned>(i))](const Vec3& rgb) -> Vec3 {
                std::normal_distribution<double> n(0, 0.002);
                return d(rgb) * (1 + n(*noise));
            };
        }
        const Display seen = look(measured(light), "srgb");
        if (fault.empty()) {
            ++clean;
            false_alarms += !seen.faults.empty();
            continue;
        }
        auto& [named, of] = right[fault];
        ++of;
        named += names(seen, fault);
        const char* control = fault == "white"   ? "temperature"
                              : fault == "blue"  ? "gain of blue"
                              : fault == "greys" ? "offset"
                                                 : "gamma";
        for (const Fault& f : seen.faults) {
            if (f.what == fault) { EXPECT_NE(f.control.find(control), std::string::npos); }
        }
    }
    int named = 0, all = 0;
    for (const auto& [fault, n] : right) {
        test::measured("%s: named on %d of %d displays", fault.c_str(), n.first, n.second);
        named += n.first;
        all += n.second;
    }
    test::measured("no fault: %d of %d displays drew one", false_alarms, clean);
    EXPECT_GE(named, 0.95 * all);
    EXPECT_LE(false_alarms, 0.05 * clean);
}

// Both versions of the profile, read by lcms2: device to XYZ agrees with what was measured.
TEST(Screen, the_profile_says_what_was_measured) {
    test::Scratch scratch;
    DisplayModel d = displays().at(0);
    d.black = 0.02;
    const auto patches = measured([&](const Vec3& rgb) { return light_of(d, rgb); });
    const Display seen = look(patches, "oprgb");
    for (const int version : {2, 4}) {
        const fs::path file = scratch / formatted("d{}.icc", version);
        write_profile(seen, "wide", file, Existing::refuse, {.icc_version = version});
        cmsHPROFILE profile = cmsOpenProfileFromFile(file.c_str(), "r"), xyz = cmsCreateXYZProfile();
        ASSERT_TRUE(profile);
        EXPECT_NEAR(cmsGetProfileVersion(profile), version == 2 ? 2.4 : 4.3, 0.11);
        // ICC.1:2010, 9.2.15: how the white that was measured became D50.
        EXPECT_EQ(cmsIsTag(profile, cmsSigChromaticAdaptationTag), version == 4);
        cmsHTRANSFORM t = cmsCreateTransform(profile, TYPE_RGB_DBL, xyz, TYPE_XYZ_DBL, INTENT_RELATIVE_COLORIMETRIC,
                                             cmsFLAGS_NOOPTIMIZE);
        const Vec3 white = light_of(d, Vec3::Ones());
        const colour::Mat3 adapt = colour::adaptation(white / white[1], colour::white_d50);
        for (const Vec3& rgb : {Vec3(1, 1, 1), Vec3(0.6, 0.6, 0.6), Vec3(0.8, 0.3, 0.2), Vec3(0.2, 0.5, 0.9)}) {
            cmsCIEXYZ got;
            cmsDoTransform(t, rgb.data(), &got, 1);
            const Vec3 wanted = adapt * light_of(d, rgb) / white[1];
            EXPECT_LT(
                colour::delta_e_2000(colour::lab_from_xyz(Vec3(got.X, got.Y, got.Z)), colour::lab_from_xyz(wanted)),
                0.7)
                << version << " " << rgb.transpose();
        }
        cmsDeleteTransform(t);
        cmsCloseProfile(xyz);
        cmsCloseProfile(profile);
    }
    EXPECT_THROW(write_profile(seen, "x", scratch / "d3.icc", Existing::refuse, {.icc_version = 3}), Error);
}

// A display with a fourth, white channel does not add up: its profile has a table, which lcms2 reads both ways.
TEST(Screen, a_display_that_does_not_add_up_gets_a_table) {
    test::Scratch scratch;
    for (std::size_t i = 0; i < displays().size(); ++i) {
        const Display seen =
            look(measured([&](const Vec3& rgb) { return light_of(displays()[i], rgb); }), "display-p3");
        EXPECT_EQ(seen.table_pays, displays()[i].white_channel > 0)
            << displays()[i].name << ": " << seen.after_profile.mean << ", " << seen.after_table.mean;
    }
    DisplayModel d = displays().back();
    d.black = 0;
    const Display seen = look(measured([&](const Vec3& rgb) { return light_of(d, rgb); }), "display-p3");
    const Vec3 white = light_of(d, Vec3::Ones());
    const colour::Mat3 adapt = colour::adaptation(white / white[1], colour::white_d50);
    std::mt19937 random(5);
    std::uniform_real_distribution<double> code(0.1, 1);
    std::map<bool, double> worst, mean;
    for (const int version : {2, 4})
        for (const bool table : {false, true}) {
            const fs::path file = scratch / formatted("d{}{}.icc", version, table);
            write_profile(seen, "fourth", file, Existing::refuse, {version, table});
            cmsHPROFILE profile = cmsOpenProfileFromFile(file.c_str(), "r"), xyz = cmsCreateXYZProfile();
            ASSERT_TRUE(profile);
            EXPECT_EQ(cmsIsTag(profile, cmsSigAToB0Tag), table);
            cmsHTRANSFORM there = cmsCreateTransform(profile, TYPE_RGB_DBL, xyz, TYPE_XYZ_DBL,
                                                     INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOOPTIMIZE),
                          back = cmsCreateTransform(xyz, TYPE_XYZ_DBL, profile, TYPE_RGB_DBL,
                                                    INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOOPTIMIZE);
            constexpr int count = 200;
            for (int i = 0; i < count; ++i) {
                const Vec3 rgb(code(random), code(random), code(random)), wanted = adapt * light_of(d, rgb) / white[1];
                cmsCIEXYZ got;
                cmsDoTransform(there, rgb.data(), &got, 1);
                const double off =
                    colour::delta_e_2000(colour::lab_from_xyz(Vec3(got.X, got.Y, got.Z)), colour::lab_from_xyz(wanted));
                worst[table] = std::max(worst[table], off);
                mean[table] += off / count / 2;
                if (!table) continue;
                const cmsCIEXYZ asked{wanted[0], wanted[1], wanted[2]};
                Vec3 codes;
                cmsDoTransform(back, &asked, codes.data(), 1);
                const double shown_off = colour::delta_e_2000(
                    colour::lab_from_xyz(Vec3(adapt * light_of(d, codes) / white[1])), colour::lab_from_xyz(wanted));
                EXPECT_LT(shown_off, 1.2) << version << ": " << rgb.transpose() << " -> " << codes.transpose();
            }
            cmsDeleteTransform(there);
            cmsDeleteTransform(back);
            cmsCloseProfile(xyz);
            cmsCloseProfile(profile);
        }
    test::measured("display with a white channel, CIEDE2000 of its profile: matrix %.2f, table %.2f (most %.2f, %.2f)",
                   mean[false], mean[true], worst[false], worst[true]);
    EXPECT_LT(mean[true], 0.3);
    EXPECT_GT(mean[false], 4 * mean[true]);
}

// Displays that do not add up in ways that no stand-in has: channels that dim one another, and a white channel whose
// light grows faster than the codes'. Patches left out tell what the table leaves on colours that were not shown.
TEST(Screen, a_table_holds_for_displays_of_other_kinds) {
    const colour::Mat3 primaries = colour::rgb_space("display-p3").to_xyz_d50();
    const auto gamma = [](const Vec3& rgb) { return Vec3(rgb.array().pow(2.2)); };
    const std::pair<const char*, std::function<Vec3(const Vec3&)>> kinds[] = {
        {"channels dim one another",
         [=](const Vec3& rgb) -> Vec3 {
             const Vec3 l = gamma(rgb);
             const double load = l.sum() / 3;
             return 120 * primaries * (l * (1 - 0.2 * load) / 0.8);
         }},
        {"a white channel by a root of its own", [=](const Vec3& rgb) -> Vec3 {
             const Vec3 l = gamma(rgb);
             return 120 * primaries * (0.75 * l + Vec3::Constant(0.25 * std::pow(l.minCoeff(), 1.3)));
         }}};
    for (const auto& [name, light] : kinds) {
        const Display seen = look(measured(light), "display-p3");
        const colour::Mat3 adapt = colour::adaptation(light(Vec3::Ones()) / light(Vec3::Ones())[1], colour::white_d50);
        test::Scratch scratch;
        std::array<double, 2> real{0, 0};
        for (const bool table : {false, true}) {
            const fs::path file = scratch / (table ? "table.icc" : "matrix.icc");
            write_profile(seen, "x", file, Existing::refuse, {.table = table});
            cmsHPROFILE profile = cmsOpenProfileFromFile(file.c_str(), "r"), xyz = cmsCreateXYZProfile();
            cmsHTRANSFORM there = cmsCreateTransform(profile, TYPE_RGB_DBL, xyz, TYPE_XYZ_DBL,
                                                     INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOOPTIMIZE);
            std::mt19937 random(9);
            std::uniform_real_distribution<double> code(0.05, 1);
            constexpr int count = 300;
            for (int i = 0; i < count; ++i) {
                const Vec3 rgb(code(random), code(random), code(random));
                cmsCIEXYZ got;
                cmsDoTransform(there, rgb.data(), &got, 1);
                real[table] += colour::delta_e_2000(colour::lab_from_xyz(Vec3(got.X, got.Y, got.Z)),
                                                    colour::lab_from_xyz(adapt * light(rgb) / light(Vec3::Ones())[1])) /
                               count;
            }
            cmsDeleteTransform(there);
            cmsCloseProfile(xyz);
            cmsCloseProfile(profile);
        }
        test::measured("%s: table %s; on unseen codes matrix %.2f, table %.2f", name,
                       seen.table_pays ? "pays" : "does not pay", real[0], real[1]);
        EXPECT_LT(real[seen.table_pays], 1.05 * std::min(real[0], real[1]) + 0.3) << name;
    }
}

// The course of a check: what moves, or light that falls on the screen, is noticed and read again.
TEST(Screen, a_reading_that_is_wrong_is_asked_for_again) {
    SimulatedColorimeter instrument(like_srgb(), 5);
    Check check;
    int doubted = 0;
    const auto run = [&](std::size_t until) {
        while (!check.done() && check.read.size() < until) {
            if (const std::string why = check.take(instrument.measure(check.next().rgb)); !why.empty()) {
                ++doubted;
                instrument.disturb(0, 1); // put right
            }
        }
    };
    run(20);
    EXPECT_EQ(doubted, 0);
    instrument.disturb(0, 0.6); // moved
    run(40);
    EXPECT_GE(doubted, 1);
    const int before = doubted;
    instrument.disturb(3, 1); // a lamp
    run(1000);
    EXPECT_GT(doubted, before);
    ASSERT_TRUE(check.done());
    const Display seen = look(check.read, "srgb");
    EXPECT_TRUE(seen.faults.empty()) << seen.faults.front().words;
    EXPECT_LT(seen.after_profile.mean, 1);
    // No light at all.
    Check dark;
    EXPECT_NE(dark.take(Vec3(0.1, 0.1, 0.1)).find("wake"), std::string::npos);
    EXPECT_NE(dark.take(Vec3(NAN, 0, 0)), "");
    EXPECT_TRUE(dark.read.empty());
}

TEST(Screen, a_clean_check_of_every_stand_in_ends_without_doubt) {
    for (const DisplayModel& d : displays()) {
        SimulatedColorimeter instrument(d, 9);
        Check check;
        while (!check.done())
            ASSERT_EQ(check.take(instrument.measure(check.next().rgb)), "") << d.name << " " << check.next().name;
        EXPECT_NO_THROW(look(parse(to_csv(check.read), "x"), "srgb"));
    }
}

TEST(Screen, the_guide_names_the_next_control) {
    DisplayModel d = like_srgb();
    d.gain = {0.9, 1, 1};
    const auto read = [&](const DisplayModel& m) {
        return guide(light_of(m, Vec3::Ones()), light_of(m, Vec3::Zero()), light_of(m, Vec3::Constant(0.5)),
                     {light_of(m, Vec3::Unit(0)), light_of(m, Vec3::Unit(1)), light_of(m, Vec3::Unit(2))}, "srgb");
    };
    Guide g = read(d);
    EXPECT_NEAR(g.turn[0], 1, 1e-6); // the weakest stays
    EXPECT_NEAR(g.turn[1], 0.9, 5e-3);
    EXPECT_NE(g.next.find("green down by 10 %"), std::string::npos) << g.next;
    d.gain = {1, 1, 1};
    d.luminance = 250;
    EXPECT_NE(read(d).next.find("brightness down"), std::string::npos);
    d.luminance = 120;
    d.gamma.fill(1.8);
    EXPECT_NE(read(d).next.find("gamma higher"), std::string::npos);
    d.gamma.fill(0);
    EXPECT_NE(read(d).next.find("have done what they can"), std::string::npos);
}

// ISO 3664:2009 (from memory): 64 lx at most, 32 recommended, a neutral surround.
TEST(Screen, the_rooms_rules) {
    Display d;
    d.luminance = 120;
    EXPECT_TRUE(room_words({32, true, true}, d).empty());
    EXPECT_EQ(room_words({50, true, true}, d).size(), 1u);
    EXPECT_EQ(room_words({500, false, false}, d).size(), 4u);
}

} // namespace
} // namespace refero::display
