// The simulator's picture against what optics and colorimetry say it must be.
#include <numbers>

#include "support.hpp"

namespace refero::simulate {
namespace {

using chart::Point;
using test::Scratch;

const float* pixel(const Rendering& r, double x, double y) {
    return &r.rgb[(static_cast<std::size_t>(y) * r.scene.width + static_cast<std::size_t>(x)) * 3];
}

Scene plain(double width = 0.5) {
    auto scene = parse_scene(R"({"refero_scene":1,"size":[900,600],"camera":"stills-a","light":"window","white":0.6,
"background":{"surface":{"grey":0.18}},"lens":{"vignetting_stops":0,"blur_px":0},"charts":[{"id":"grid24"}]})",
                             "plain scene");
    scene.charts[0].width = width;
    return scene;
}

TEST(Render, a_surface_reads_as_camera_and_light_make_it) {
    const Scene s = plain();
    const auto r = render(s);
    const Vec3 grey = s.camera.response(Spectrum::constant(0.18), s.light);
    // The perfect diffuser's largest channel is 0.6 of saturation: 18 % reads 0.108 there.
    EXPECT_NEAR(0.6 * grey.maxCoeff(), 0.108, 1e-9);
    for (int c = 0; c < 3; ++c) EXPECT_NEAR(pixel(r, 20, 20)[c], 0.6 * grey[c], 2e-4);
    const auto map = chart::pixels_from_mm(test::grid24(), r.charts[0].corners);
    for (std::size_t i = 0; i < 24; ++i) {
        const auto& p = test::grid24().patches[i];
        const Point at = map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2});
        const Vec3 expected = 0.6 * s.camera.response(s.charts[0].reflectance[i], s.light);
        for (int c = 0; c < 3; ++c) {
            EXPECT_NEAR(pixel(r, at.x(), at.y())[c], expected[c], 0.004) << p.id;
            EXPECT_NEAR(r.charts[0].patches[i].mean[static_cast<std::size_t>(c)], expected[c], 0.004) << p.id;
        }
    }
}

TEST(Render, a_chart_facing_the_camera_has_its_size_and_place) {
    Scene s = plain(0.5);
    const auto q = render(s).charts[0].corners;
    EXPECT_NEAR(q[1].x() - q[0].x(), 450, 0.01); // half of 900
    EXPECT_NEAR(q[3].y() - q[0].y(), 450 * 178.0 / 270, 0.01);
    EXPECT_NEAR((q[0].x() + q[2].x()) / 2, 450, 0.01);
    // Beside the middle it faces the camera, not the sensor's plane, and so is a little askew.
    s.charts[0].x = 0.6;
    const auto beside = render(s);
    EXPECT_NEAR((beside.charts[0].corners[0].x() + beside.charts[0].corners[2].x()) / 2, 540, 5);
    EXPECT_NEAR(chart::tilt_deg(test::grid24(), beside.charts[0].corners, 900, 600, s.focal_35mm_mm), 0, 0.1);
    s.charts[0].rotation_deg = 90; // clockwise on screen: the top-left corner goes to the right
    const auto turned = render(s).charts[0].corners;
    EXPECT_GT(turned[0].x(), turned[3].x() + 100);
    EXPECT_GT(chart::signed_area(turned), 0);
    s.charts[0].mirrored = true;
    EXPECT_LT(chart::signed_area(render(s).charts[0].corners), 0);
}

// Perspective: a tilted chart is foreshortened by the cosine, and its near side is longer.
TEST(Render, a_tilted_chart_is_foreshortened_by_the_cosine) {
    Scene s = plain(0.3);
    s.focal_35mm_mm = 200; // far away: nearly parallel sight
    const auto flat = render(s);
    s.charts[0].tilt_deg = 40;
    s.charts[0].tilt_axis_deg = 90;
    const auto tilted = render(s);
    const auto width = [](const Rendering& r) {
        return ((r.charts[0].corners[1] - r.charts[0].corners[0]).norm() +
                (r.charts[0].corners[2] - r.charts[0].corners[3]).norm()) /
               2;
    };
    EXPECT_NEAR(width(tilted) / width(flat), std::cos(40 * std::numbers::pi / 180), 0.02);
    EXPECT_NEAR(tilted.charts[0].tilt_deg, 40, 0.01);
    const auto& q = tilted.charts[0].corners;
    EXPECT_GT(std::abs((q[3] - q[0]).norm() - (q[2] - q[1]).norm()), 2);
    // The same by the geometry room, from the corners alone.
    EXPECT_NEAR(chart::tilt_deg(test::grid24(), q, 900, 600, 200), 40, 0.5);
}

TEST(Render, vignetting_darkens_corners_and_not_the_middle) {
    Scene s = plain();
    s.charts.clear();
    const auto even = render(s);
    s.vignetting_stops = 1;
    const auto dark = render(s);
    EXPECT_NEAR(pixel(dark, 450, 300)[1] / pixel(even, 450, 300)[1], 1, 0.005);
    EXPECT_NEAR(std::log2(pixel(dark, 1, 1)[1] / pixel(even, 1, 1)[1]), -1, 0.03);
}

TEST(Render, blur_softens_an_edge_and_keeps_the_light) {
    Scene s = plain();
    s.charts.clear();
    Object o;
    o.x = 0.75;
    o.width = 0.5;
    o.height = 2;
    o.reflectance = Spectrum::constant(0.9);
    s.objects.push_back(o);
    const auto sharp = render(s);
    s.blur_px = 3;
    const auto soft = render(s);
    double sum_sharp = 0, sum_soft = 0, steepest_sharp = 0, steepest_soft = 0;
    for (int x = 400; x < 500; ++x) {
        sum_sharp += pixel(sharp, x, 300)[1];
        sum_soft += pixel(soft, x, 300)[1];
        steepest_sharp =
            std::max<double>(steepest_sharp, std::abs(pixel(sharp, x + 1, 300)[1] - pixel(sharp, x, 300)[1]));
        steepest_soft = std::max<double>(steepest_soft, std::abs(pixel(soft, x + 1, 300)[1] - pixel(soft, x, 300)[1]));
    }
    EXPECT_NEAR(sum_soft / sum_sharp, 1, 0.01);
    // A Gaussian's steepest step is 1 / (sigma sqrt(2 pi)) of the whole.
    EXPECT_NEAR(steepest_soft / (0.6 * (0.9 - 0.18)), 1 / (3 * std::sqrt(2 * std::numbers::pi)), 0.02);
    EXPECT_GT(steepest_sharp, 3 * steepest_soft);
}

TEST(Render, formats_hold_the_same_picture) {
    Scratch scratch;
    const auto r = render(plain());
    for (const char* name : {"a.dng", "a.tif", "a.exr"}) write(r, scratch / name);
    const auto dng = frame::read(scratch / "a.dng"), tif = frame::read(scratch / "a.tif"),
               exr = frame::read(scratch / "a.exr");
    EXPECT_EQ(tif.metadata.model, dng.metadata.model);
    EXPECT_EQ(tif.full_width, dng.full_width);
    const auto mean = [](const frame::Frame& f, int c) {
        double sum = 0;
        int n = 0;
        for (int y = 5 * 2 / f.cell; y < 40 * 2 / f.cell; ++y)
            for (int x = 5 * 2 / f.cell; x < 80 * 2 / f.cell; ++x, ++n) sum += f.at(x, y)[c];
        return sum / n;
    };
    for (int c = 0; c < 3; ++c) {
        EXPECT_NEAR(mean(tif, c) / mean(dng, c), 1, 0.005) << c;
        EXPECT_NEAR(mean(exr, c) / mean(tif, c), 1, 0.005) << c;
    }
}

TEST(Render, the_truth_beside_a_frame_says_what_find_and_read_would) {
    Scratch scratch;
    const auto r = render(plain());
    write(r, scratch / "a.tif");
    const std::string truth = read_file(scratch / "a.truth.json");
    for (const char* member : {"\"charts\"", "\"corners\"", "\"tilt_deg\"", "\"frame_fraction\"", "\"mirrored\"",
                               "\"patches\"", "\"clipped\""})
        EXPECT_NE(truth.find(member), std::string::npos) << member;
}

// A quarter turn by the EXIF tag: the upright picture is what everything is told in.
TEST(Render, turned_frames_come_in_upright) {
    Scratch scratch;
    const auto r = render(plain());
    for (const char* name : {"a.dng", "a.tif"}) {
        write(r, scratch / name);
        const auto level = frame::read(scratch / name);
        ASSERT_EQ(
            std::system(
                ("exiftool -q -overwrite_original -n -Orientation=6 '" + (scratch / name).string() + "'").c_str()),
            0);
        const auto turned = frame::read(scratch / name);
        EXPECT_EQ(turned.full_width, 600);
        EXPECT_EQ(turned.full_height, 900);
        // EXIF 2.3: orientation 6 is shown a quarter turn clockwise; a pixel at (x, y) goes to (height - 1 - y, x).
        for (const auto& [x, y] : {std::pair{30, 40}, {200, 100}, {120, 60}}) {
            const int tx = level.height - 1 - y, ty = x;
            for (int c = 0; c < 3; ++c) EXPECT_FLOAT_EQ(turned.at(tx, ty)[c], level.at(x, y)[c]) << name;
        }
    }
}

} // namespace
} // namespace refero::simulate
