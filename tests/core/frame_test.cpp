#include <OpenImageIO/imageio.h>
#include <lcms2.h>

#include "frame/clip.hpp"
#include "frame/internal/readers.hpp"
#include "simulate/clip.hpp"
#include "support.hpp"

namespace refero::frame {
namespace {

using test::Scratch;
using test::Shot;
using test::written;

double median_difference(const Frame& f, const simulate::Rendering& r, bool binned) {
    std::vector<double> off;
    const int cell = binned ? 2 : 1;
    for (int y = 20; y < f.height - 20; y += 7)
        for (int x = 20; x < f.width - 20; x += 5)
            for (int c = 0; c < 3; ++c) {
                double truth = 0;
                for (int v = 0; v < cell; ++v)
                    for (int u = 0; u < cell; ++u)
                        truth +=
                            r.rgb[((static_cast<std::size_t>(y) * cell + v) * r.scene.width + x * cell + u) * 3 + c] /
                            (cell * cell);
                if (truth > 0.02) off.push_back(std::abs(f.at(x, y)[c] / truth - 1));
            }
    std::nth_element(off.begin(), off.begin() + off.size() / 2, off.end());
    return off[off.size() / 2];
}

TEST(Frame, a_raw_frame_is_scene_linear_at_half_and_at_full_size) {
    Scratch scratch;
    const auto truth = test::shoot({.white = 0.7}, scratch / "a.dng");
    const Frame half = read(scratch / "a.dng");
    EXPECT_EQ(half.cell, 2);
    EXPECT_EQ(half.width, 750);
    EXPECT_EQ(half.full_width, 1500);
    EXPECT_TRUE(half.is_raw);
    EXPECT_EQ(half.clipped.size(), half.rgb.size() / 3);
    EXPECT_LT(median_difference(half, truth, true), 0.02); // noise and texture within a cell
    const Frame full = read(scratch / "a.dng", {Size::full, {}});
    EXPECT_EQ(full.width, 1500);
    EXPECT_EQ(full.height, 1000);
    EXPECT_LT(median_difference(full, truth, false), 0.05);
}

// Neighbours are compared in balanced colour when the mosaic is filled in: grey things have grey edges under any light.
TEST(Frame, edges_of_grey_things_stay_grey_under_warm_light) {
    Scratch scratch;
    std::string bars; // at many places across the mosaic
    for (int i = 0; i < 24; ++i)
        bars += formatted(
            R"({}{{"shape":"rectangle","at":[{},0.5],"size":[0.008,0.9],"rotation_deg":7,"surface":{{"grey":0.8}}}})",
            i ? "," : "", 0.06 + 0.037 * i);
    test::written(scratch / "scene.json", R"({"refero_scene":1,"size":[900,600],"camera":"stills-a","light":"tungsten",
"white":0.7,"background":{"surface":{"grey":0.04}},"objects":[)" +
                                              bars + "]}");
    const auto scene = simulate::render(simulate::load_scene(scratch / "scene.json"));
    simulate::write(scene, scratch / "bars.dng");
    const Frame f = read(scratch / "bars.dng", {Size::full, {}});
    ASSERT_TRUE(f.as_shot);
    const colour::Vec3 gain = *f.as_shot;
    double sum = 0;
    for (std::size_t i = 0; i < f.rgb.size(); i += 3)
        for (const std::size_t c : {0u, 2u}) {
            const auto fringe = [&](const float* v) { return v[c] * gain[c] - v[1] * gain[1]; };
            sum += std::pow(fringe(&f.rgb[i]) - fringe(&scene.rgb[i]), 2);
        }
    const double rms = std::sqrt(sum / (2.0 * f.rgb.size() / 3));
    EXPECT_LT(rms, 0.005) << "0.026 when neighbours are compared as recorded";
}

// The level must not depend on the picture's own maximum.
TEST(Frame, levels_do_not_depend_on_the_brightest_pixel) {
    Scratch scratch;
    const Shot shot{.width = 600, .height = 400, .white = 0.5};
    Shot with_highlight = shot;
    with_highlight.more =
        R"(,"objects":[{"shape":"rectangle","at":[0.05,0.05],"size":[0.05,0.05],"surface":{"grey":1}}])";
    test::shoot(shot, scratch / "a.dng");
    test::shoot(with_highlight, scratch / "b.dng");
    const Frame a = read(scratch / "a.dng"), b = read(scratch / "b.dng");
    const auto mean = [](const Frame& f) {
        double sum = 0;
        for (int y = 90; y < 110; ++y)
            for (int x = 140; x < 160; ++x) sum += f.at(x, y)[1];
        return sum / 400;
    };
    EXPECT_NEAR(mean(a) / mean(b), 1, 0.003);
}

TEST(Frame, saturation_is_known_a_channel) {
    Scratch scratch;
    test::shoot({.width = 600, .height = 400, .white = 1.6}, scratch / "hot.dng");
    const Frame f = read(scratch / "hot.dng");
    const auto count = [&](int bit) {
        return std::count_if(f.clipped.begin(), f.clipped.end(), [bit](auto v) { return v >> bit & 1; });
    };
    EXPECT_GT(count(1), 100); // green saturates first in daylight: common practice
    EXPECT_LT(count(0), count(1));
    Scratch dark;
    test::shoot({.width = 600, .height = 400, .white = 0.5}, dark / "dark.dng");
    const Frame g = read(dark / "dark.dng");
    EXPECT_EQ(std::count_if(g.clipped.begin(), g.clipped.end(), [](auto v) { return v != 0; }), 0);
}

TEST(Frame, metadata_says_what_the_file_says) {
    Scratch scratch;
    test::shoot(
        {.width = 300,
         .height = 200,
         .more =
             R"(,"exposure_s":0.008,"f_number":5.6,"iso":200,"taken":"2026-05-04T09:15:30","lens":{"name":"Lens 50 mm","focal_mm":50,"focal_35mm_mm":75})"},
        scratch / "a.dng");
    const Metadata m = read_metadata(scratch / "a.dng");
    EXPECT_EQ(m.model, "Stills A");
    EXPECT_FALSE(m.make.empty());
    EXPECT_FALSE(m.serial_number.empty());
    EXPECT_EQ(m.lens, "Lens 50 mm");
    EXPECT_NEAR(m.exposure_s, 0.008, 1e-6);
    EXPECT_NEAR(m.f_number, 5.6, 1e-6);
    EXPECT_EQ(m.iso, 200);
    EXPECT_EQ(m.focal_35mm_mm, 75);
    EXPECT_EQ(m.taken, "2026-05-04T09:15:30");
    EXPECT_TRUE(read(scratch / "a.dng").camera_from_xyz.has_value());
}

TEST(Frame, raster_files_are_decoded_by_their_encoding) {
    Scratch scratch;
    const auto write = [&](const char* name, OIIO::TypeDesc type, float code, std::vector<unsigned char> icc = {}) {
        OIIO::ImageSpec spec(32, 20, 3, type);
        if (!icc.empty())
            spec.attribute("ICCProfile", OIIO::TypeDesc(OIIO::TypeDesc::UINT8, static_cast<int>(icc.size())),
                           icc.data());
        const std::vector<float> pixels(32 * 20 * 3, code);
        const auto out = OIIO::ImageOutput::create((scratch / name).string());
        EXPECT_TRUE(out && out->open((scratch / name).string(), spec) &&
                    out->write_image(OIIO::TypeDesc::FLOAT, pixels.data()));
        out->close();
        return scratch / name;
    };
    const auto level = [](const Frame& f) { return f.at(16, 10)[1]; };
    const auto srgb = [](double v) { return colour::decode(colour::Transfer::srgb, v); };
    EXPECT_NEAR(level(read(write("a.png", OIIO::TypeDesc::UINT16, 0.5f))), srgb(0.5), 1e-4);
    EXPECT_NEAR(level(read(write("a.tif", OIIO::TypeDesc::UINT8, 0.5f))), srgb(128 / 255.0), 1e-3);
    EXPECT_NEAR(level(read(write("a.jpg", OIIO::TypeDesc::UINT8, 0.5f))), srgb(128 / 255.0), 5e-3);
    EXPECT_NEAR(level(read(write("a.exr", OIIO::TypeDesc::FLOAT, 1.5f))), 1.5, 1e-6);
    // An embedded curve wins over the default, a told encoding over both.
    cmsToneCurve* gamma = cmsBuildGamma(nullptr, 1.8);
    cmsToneCurve* three[] = {gamma, gamma, gamma};
    const cmsCIExyY white{0.3127, 0.3290, 1};
    const cmsCIExyYTRIPLE primaries{{0.64, 0.33, 1}, {0.30, 0.60, 1}, {0.15, 0.06, 1}};
    cmsHPROFILE profile = cmsCreateRGBProfile(&white, &primaries, three);
    cmsUInt32Number size = 0;
    cmsSaveProfileToMem(profile, nullptr, &size);
    std::vector<unsigned char> bytes(size);
    cmsSaveProfileToMem(profile, bytes.data(), &size);
    cmsCloseProfile(profile);
    cmsFreeToneCurve(gamma);
    const auto tagged = write("b.tif", OIIO::TypeDesc::UINT16, 0.5f, bytes);
    EXPECT_NEAR(level(read(tagged)), std::pow(0.5, 1.8), 1e-3);
    EXPECT_NEAR(level(read(tagged, {Size::measuring, Encoding::named("linear")})), 0.5, 1e-4);
    EXPECT_NEAR(level(read(tagged, {Size::measuring, Encoding::named("bt709")})),
                colour::decode(colour::Transfer::bt709, 0.5), 1e-4);
    const auto lut = written(scratch / "curve.cube", "LUT_1D_SIZE 3\n0 0 0\n0.1 0.1 0.1\n1 1 1\n");
    EXPECT_NEAR(level(read(tagged, {Size::measuring, Encoding::named(lut.string())})), 0.1, 1e-3);
    EXPECT_THROW(Encoding::named("gamma9"), Error);
    // Only what is straight is linear; ACEScct decodes 0.5 to 0.51 (Academy S-2016-001).
    for (const char* name : {"srgb", "bt709", "hlg", "pq", "acescct"})
        EXPECT_FALSE(Encoding::named(name).is_linear()) << name;
    EXPECT_TRUE(Encoding::named("linear").is_linear());
}

TEST(Frame, wrong_files_give_an_error_that_names_file_and_remedy) {
    Scratch scratch;
    test::shoot({.width = 600, .height = 400}, scratch / "good.dng");
    test::shoot({.width = 600, .height = 400}, scratch / "good.tif");
    const std::string dng = read_file(scratch / "good.dng"), tif = read_file(scratch / "good.tif");
    const auto out = OIIO::ImageOutput::create((scratch / "good.jpg").string());
    out->open((scratch / "good.jpg").string(), OIIO::ImageSpec(600, 400, 3, OIIO::TypeDesc::UINT8));
    std::vector<float> noise(600 * 400 * 3);
    for (std::size_t i = 0; i < noise.size(); ++i) noise[i] = static_cast<float>((i * 7919) % 251) / 251;
    out->write_image(OIIO::TypeDesc::FLOAT, noise.data());
    out->close();
    const std::string jpg = read_file(scratch / "good.jpg");
    EXPECT_NO_THROW(read(scratch / "good.jpg"));
    const fs::path bad[] = {written(scratch / "text.dng", "this is a text"),
                            written(scratch / "empty.dng", ""),
                            written(scratch / "half.dng", dng.substr(0, dng.size() / 2)),
                            written(scratch / "head.dng", dng.substr(0, 300)),
                            written(scratch / "most.dng", dng.substr(0, dng.size() - 2000)),
                            written(scratch / "half.tif", tif.substr(0, tif.size() / 2)),
                            written(scratch / "text.tif", "this is a text"),
                            written(scratch / "half.jpg", jpg.substr(0, jpg.size() / 2)),
                            written(scratch / "text.jpg", "no picture"),
                            scratch / "absent.dng",
                            scratch / "absent.tif",
                            scratch.folder()};
    for (const fs::path& file : bad) {
        try {
            read(file);
            ADD_FAILURE() << "accepted " << file;
        } catch (const Error& e) {
            EXPECT_EQ(e.kind(), ErrorKind::input) << e.what();
            EXPECT_NE(std::string(e.what()).find(file.filename().string()), std::string::npos) << e.what();
            EXPECT_FALSE(e.remedy().empty()) << e.what();
        }
    }
}

TEST(Memory, a_picture_that_needs_more_than_is_free_is_refused_in_figures) {
    const auto free = static_cast<double>(free_memory());
    EXPECT_NO_THROW(require_memory("small.tif", 1'000'000, 21));
    try {
        require_memory("huge.tif", static_cast<std::int64_t>(free / 20), 21);
        FAIL();
    } catch (const Error& e) {
        EXPECT_EQ(e.kind(), ErrorKind::input);
        for (const char* words : {"huge.tif", "megapixels", "GB", "are free"})
            EXPECT_NE(std::string(e.what()).find(words), std::string::npos) << e.what();
    }
}

// A small file of many pixels: what it takes follows its pixels, and not several times them.
TEST(Memory, a_large_picture_takes_about_what_is_said) {
    const Scratch scratch;
    OIIO::ImageSpec spec(6000, 5000, 3, OIIO::TypeDesc::UINT8);
    spec["Compression"] = "zip";
    const auto out = OIIO::ImageOutput::create("tiff");
    ASSERT_TRUE(out->open((scratch / "large.tif").string(), spec));
    const std::vector<std::uint8_t> black(static_cast<std::size_t>(6000) * 5000 * 3, 40);
    ASSERT_TRUE(out->write_image(OIIO::TypeDesc::UINT8, black.data()) && out->close());
    ASSERT_LT(fs::file_size(scratch / "large.tif"), 3'000'000u);
    const auto peak_kb = [] {
        std::ifstream in("/proc/self/status");
        for (std::string line; std::getline(in, line);)
            if (line.starts_with("VmHWM:")) return std::atof(line.c_str() + 6);
        return 0.0;
    };
    const double before = peak_kb();
    const Frame f = read(scratch / "large.tif");
    EXPECT_EQ(f.width, 6000);
    EXPECT_NEAR(static_cast<double>(f.at(100, 4000)[1]), colour::decode(colour::Transfer::srgb, 40 / 255.0), 1e-5);
    EXPECT_LT((peak_kb() - before) * 1024, 21.0 * 6000 * 5000 + 150e6);
}

TEST(Clips, a_reader_stays_open_and_goes_on_or_back) {
    const Scratch scratch;
    const auto dark = test::rendered({.width = 320, .height = 240, .white = 0.2}),
               light = test::rendered({.width = 320, .height = 240, .white = 0.8});
    simulate::write_clip({{&dark, 1.0}, {&light, 1.0}, {&dark, 1.0}}, colour::Transfer::bt709, 10, scratch / "a.mov");
    ClipReader reader(scratch / "a.mov");
    EXPECT_NEAR(reader.clip().duration_s, 3, 0.11);
    const auto level = [&](double at) { // over the chart, for what the encoder makes of a single pixel
        const Frame f = reader.still(at);
        double sum = 0;
        for (int y = 90; y < 150; ++y)
            for (int x = 110; x < 210; ++x) sum += static_cast<double>(f.at(x, y)[1]);
        return sum / 6000;
    };
    const double first = level(0.5), second = level(1.5);
    EXPECT_GT(second, 2 * first);
    for (const auto& [at, value] :
         {std::pair{0.6, first}, {1.4, second}, {1.6, second}, {2.5, first}, {0.1, first}, {99.0, first}})
        EXPECT_NEAR(level(at), value, 0.1 * value) << at;
    EXPECT_THROW(ClipReader(written(scratch / "words.mov", "words")), Error);
}

} // namespace
} // namespace refero::frame
