// The finder on charts of every kind, and on what only looks like one.
#include <opencv2/imgcodecs.hpp>
#include <opencv2/imgproc.hpp>

#include "support.hpp"

namespace refero {
namespace {

using test::frame_of;
using test::Scratch;

simulate::Rendering scene(const std::string& members) {
    return simulate::render(simulate::parse_scene(
        R"({"refero_scene":1,"size":[1500,1000],"camera":"stills-a","light":"window","background":{"surface":[50,5,10],"texture":0.15,"texture_px":8},)" +
            members + "}",
        "scene"));
}

/// Mean distance of corners over the patches' pitch.
double off(const find::Placement& p, const simulate::TrueChart& t) {
    double sum = 0;
    for (std::size_t i = 0; i < 4; ++i) sum += (p.corners[i] - t.corners[i]).norm() / 4;
    return sum / std::sqrt(std::abs(chart::signed_area(t.corners)) / static_cast<double>(t.patches.size()));
}

/// Colours at random in touching fields, as somebody might print.
chart::Definition user_grid(const Scratch& folder, int columns, int rows, double width_mm, double height_mm) {
    std::string patches, table;
    for (int i = 0; i < columns * rows; ++i) {
        const std::string id = std::string(1, static_cast<char>('A' + i / columns)) + std::to_string(i % columns + 1);
        patches += formatted(R"({}{{"id":"{}","rect_mm":[{:g},{:g},{:g},{:g}]}})", i ? "," : "", id,
                             i % columns * width_mm, i / columns * height_mm, width_mm, height_mm);
        table += formatted("{} {} {} {}\n", id, 25 + i * 37 % 66, i * 29 % 71 - 35, i * 43 % 79 - 39);
    }
    test::written(folder / "own.cgats", formatted("CGATS.17\nNUMBER_OF_FIELDS 4\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L "
                                                  "LAB_A LAB_B\nEND_DATA_FORMAT\nNUMBER_OF_SETS {}\nBEGIN_DATA\n",
                                                  columns * rows) +
                                            table + "END_DATA\n");
    return chart::load_definition(test::written(
        folder / "own.json",
        formatted(R"({{"refero_chart":1,"id":"own","size_mm":[{:g},{:g}],"reference":"own.cgats","patches":[)",
                  columns * width_mm, rows * height_mm) +
            patches + "]}"));
}

TEST(Finder, every_shipped_chart_is_found_upside_down_and_tilted) {
    for (const char* id : {"grid24", "grid24-reversed", "field77", "tint-steps", "scope-axes"}) {
        const auto r = scene(R"("charts":[{"id":")" + std::string(id) +
                             R"(","at":[0.5,0.5],"width":0.5,"rotation_deg":190,"tilt_deg":30,"tilt_axis_deg":40}])");
        const auto found = find::locate(frame_of(r), chart::installed());
        ASSERT_EQ(found.size(), 1u) << id;
        EXPECT_EQ(found[0].chart, id);
        EXPECT_FALSE(found[0].mirrored) << id;
        EXPECT_LT(off(found[0], r.charts[0]), 0.03) << id;
        EXPECT_GT(found[0].confidence, 0.9) << id;
        EXPECT_NEAR(found[0].tilt_deg, 30, 3) << id;
    }
}

TEST(Finder, a_mirrored_frame_is_the_reversed_chart_unless_told_otherwise) {
    const auto r = scene(R"("charts":[{"id":"grid24","at":[0.5,0.5],"width":0.4,"rotation_deg":5,"mirrored":true}])");
    const auto any = find::locate(frame_of(r), chart::installed());
    ASSERT_EQ(any.size(), 1u);
    EXPECT_EQ(any[0].chart, "grid24-reversed");
    EXPECT_FALSE(any[0].mirrored);
    const auto told = find::locate(frame_of(r), {test::grid24()});
    ASSERT_EQ(told.size(), 1u);
    EXPECT_TRUE(told[0].mirrored);
}

TEST(Finder, a_users_own_grid_of_touching_fields_is_found) {
    const Scratch folder;
    auto charts = chart::installed();
    charts.push_back(user_grid(folder, 7, 5, 16, 12));
    const auto r = scene(R"("charts":[{"id":")" + charts.back().file.string() +
                         R"(","at":[0.45,0.5],"width":0.3,"rotation_deg":250,"tilt_deg":20}])");
    const auto found = find::locate(frame_of(r), charts);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].chart, "own");
    EXPECT_LT(off(found[0], r.charts[0]), 0.03);
}

// Where few of the fields show as flat ground their steps may come out sheared, and edges of the wrong fields may hold
// the corners.
TEST(Finder, small_noisy_grids_of_touching_fields_lie_right) {
    const Scratch folder;
    const auto own = user_grid(folder, 7, 5, 16, 12);
    int right = 0, wrong = 0;
    for (int turn = 0; turn < 12; ++turn) {
        const auto r = scene(formatted(
            R"("iso":6000,"lens":{{"name":"L","blur_px":1}},"charts":[{{"id":"{}","at":[{:g},0.5],"width":0.045,"rotation_deg":{},"tilt_deg":20,"tilt_axis_deg":{}}}])",
            (folder / "own.json"), 0.3 + 0.03 * turn, 30 * turn + 4, 50 * turn));
        simulate::write(r, folder / "noisy.tif");
        for (const auto& p : find::locate(frame::read(folder / "noisy.tif"), {own, test::grid24()}))
            ++(p.chart == "own" && off(p, r.charts[0]) < 0.3 ? right : wrong);
    }
    EXPECT_GE(right, 11);
    EXPECT_EQ(wrong, 0);
}

TEST(Finder, several_charts_in_one_frame_are_told_apart) {
    const auto r = scene(
        R"("charts":[{"id":"grid24","at":[0.25,0.3],"width":0.25,"rotation_deg":20},{"id":"scope-axes","at":[0.75,0.4],"width":0.22,"rotation_deg":-70},{"id":"tint-steps","at":[0.45,0.78],"width":0.25}])");
    const auto found = find::locate(frame_of(r), chart::installed());
    ASSERT_EQ(found.size(), 3u);
    for (const auto& truth : r.charts) {
        const auto it = std::find_if(found.begin(), found.end(), [&](const auto& p) { return p.chart == truth.chart; });
        ASSERT_NE(it, found.end()) << truth.chart;
        EXPECT_LT(off(*it, truth), 0.03) << truth.chart;
    }
    for (std::size_t i = 1; i < found.size(); ++i) EXPECT_GE(found[i - 1].confidence, found[i].confidence);
}

TEST(Finder, a_small_chart_of_seven_pixels_a_patch_is_found) {
    const auto r = scene(
        R"("lens":{"blur_px":0.6},"charts":[{"id":"grid24","at":[0.7,0.3],"width":0.0315,"rotation_deg":33}])"); // 7 px
    const auto found = find::locate(frame_of(r), chart::installed());
    ASSERT_EQ(found.size(), 1u);
    EXPECT_LT(off(found[0], r.charts[0]), 0.1);
}

TEST(Finder, fingers_a_shadow_and_an_orange_light_do_not_hide_a_chart) {
    const auto r = scene(R"("shadows":[{"at":[0.52,0.5],"angle_deg":20,"stops":1.6,"soft_px":8}],"white":0.3,
"objects":[{"shape":"ellipse","in_front":true,"at":[0.3,0.38],"size":[0.12,0.1],"surface":[55,17,18]},{"shape":"ellipse","in_front":true,"at":[0.68,0.62],"size":[0.1,0.12],"surface":[55,17,18]}],
"light":{"planck":2000},"charts":[{"id":"grid24","at":[0.5,0.5],"width":0.4,"rotation_deg":8}])");
    const auto found = find::locate(frame_of(r), chart::installed());
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].chart, "grid24");
    EXPECT_LT(off(found[0], r.charts[0]), 0.05);
}

// The outline of a large cover is no edge of the chart.
TEST(Finder, a_large_cover_does_not_draw_the_corners_aside) {
    const Scratch folder;
    for (const char* cover : {R"("at":[0.36,0.30],"size":[0.17,0.19])", R"("at":[0.62,0.42],"size":[0.13,0.14])",
                              R"("at":[0.60,0.62],"size":[0.14,0.16])"})
        for (const double turn : {8, 24}) {
            const auto r = scene(formatted(
                R"("objects":[{{"shape":"ellipse","in_front":true,{},"surface":[38,17,18]}}],"charts":[{{"id":"grid24","at":[0.5,0.5],"width":0.4,"rotation_deg":{:g},"tilt_deg":4}}])",
                cover, turn));
            simulate::write(r, folder / "covered.tif");
            const auto found = find::locate(frame::read(folder / "covered.tif"), {test::grid24()});
            ASSERT_EQ(found.size(), 1u) << cover << turn;
            EXPECT_LT(off(found[0], r.charts[0]), 0.02) << cover << turn;
        }
}

// Between two fields that touch there is one edge and no gap: it is felt where it lies.
TEST(Finder, corners_of_touching_fields_lie_to_a_hundredth) {
    const Scratch folder;
    const auto own = user_grid(folder, 7, 5, 16, 12);
    for (const double turn : {3, 100, 214}) {
        const auto r =
            scene(formatted(R"("charts":[{{"id":"{}","at":[0.5,0.5],"width":0.3,"rotation_deg":{:g},"tilt_deg":5}}])",
                            own.file.string(), turn));
        const auto found = find::locate(frame_of(r), {own});
        ASSERT_EQ(found.size(), 1u) << turn;
        EXPECT_LT(off(found[0], r.charts[0]), 0.01) << turn;
        EXPECT_NEAR(found[0].tilt_deg, 5, 3) << turn;
    }
}

TEST(Finder, a_blurred_chart_is_found) {
    const auto r = scene(
        R"("lens":{"blur_px":12},"charts":[{"id":"grid24","at":[0.5,0.5],"width":0.3,"rotation_deg":-25}])"); // 0.18 of
                                                                                                              // a patch
    const auto found = find::locate(frame_of(r), chart::installed());
    ASSERT_EQ(found.size(), 1u);
    EXPECT_LT(off(found[0], r.charts[0]), 0.05);
}

// Not from the simulator's pipeline any more: a finished picture, with a tone curve, sharpened, small, in 8 bits.
TEST(Finder, a_chart_is_found_in_a_finished_and_compressed_picture) {
    const auto r = scene(
        R"("light":"led","charts":[{"id":"grid24","at":[0.4,0.55],"width":0.3,"rotation_deg":15,"tilt_deg":20}])");
    cv::Mat picture(r.scene.height, r.scene.width, CV_32FC3, const_cast<float*>(r.rgb.data()));
    const simulate::Vec3 white =
        r.scene.white * r.scene.camera.response(simulate::Spectrum::constant(1), r.scene.light);
    cv::Mat finished = picture.mul(cv::Scalar(0.9 / white[0], 0.9 / white[1], 0.9 / white[2]));
    finished.forEach<cv::Vec3f>([](cv::Vec3f& v, const int*) {
        for (int c = 0; c < 3; ++c) { // sRGB's curve, then a contrast curve
            const float x = std::clamp(v[c], 0.0f, 1.0f),
                        e = x < 0.0031308f ? 12.92f * x : 1.055f * std::pow(x, 1 / 2.4f) - 0.055f;
            v[c] = e * e * (3 - 2 * e) * 0.5f + e * 0.5f;
        }
    });
    cv::Mat small, soft;
    cv::resize(finished, small, {1080, 720}, 0, 0, cv::INTER_AREA);
    cv::GaussianBlur(small, soft, {}, 1.2);
    small = small * 1.8 - soft * 0.8;
    cv::Mat bytes;
    small.convertTo(bytes, CV_8UC3, 255);
    cv::cvtColor(bytes, bytes, cv::COLOR_RGB2BGR);
    const Scratch folder;
    cv::imwrite((folder / "a.jpg").string(), bytes, {cv::IMWRITE_JPEG_QUALITY, 60});
    const auto found = find::locate(frame::read(folder / "a.jpg"), chart::installed());
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].chart, "grid24");
    auto truth = r.charts[0];
    for (auto& corner : truth.corners) corner *= 0.72;
    EXPECT_LT(off(found[0], truth), 0.05);
}

TEST(Finder, corners_given_roughly_snap_to_the_patches) {
    const auto r = scene(R"("charts":[{"id":"grid24","at":[0.5,0.5],"width":0.4,"rotation_deg":8,"tilt_deg":15}])");
    auto rough = r.charts[0].corners;
    for (std::size_t i = 0; i < 4; ++i)
        rough[i] += chart::Point(i % 2 ? 14 : -12, i < 2 ? 13 : -10); // of a pitch of 102
    const auto corners = find::snapped(test::grid24(), rough, frame_of(r));
    for (std::size_t i = 0; i < 4; ++i) EXPECT_LT((corners[i] - r.charts[0].corners[i]).norm(), 1.0) << i;
}

TEST(Finder, two_clicks_give_a_chart_that_faces_the_camera) {
    const auto r = scene(R"("charts":[{"id":"field77","at":[0.5,0.5],"width":0.4,"rotation_deg":100}])");
    const chart::Definition d = chart::find_definition("field77");
    const auto map = chart::pixels_from_mm(d, r.charts[0].corners);
    const auto middle = [&](const chart::Patch& p) { return map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2}); };
    const auto corners = chart::corners_from_first_and_last(d, middle(d.patches.front()), middle(d.patches.back()));
    for (std::size_t i = 0; i < 4; ++i) EXPECT_LT((corners[i] - r.charts[0].corners[i]).norm(), 0.5) << i;
    EXPECT_THROW(chart::corners_from_first_and_last(d, {5, 5}, {5, 5}), Error);
    EXPECT_THROW(chart::corners_from_first_and_last(chart::find_definition("grey-card"), {5, 5}, {50, 50}), Error);
}

TEST(Finder, shelves_windows_and_pages_of_other_colours_are_no_charts) {
    for (int kind = 0; kind < 6; ++kind) {
        std::string tiles;
        for (int i = 0; i < 48; ++i) {
            const int value = (i * 7919 + kind * 104729) % 997;
            const std::string colour = kind < 2    ? R"({"random":)" + std::to_string(500 + 48 * kind + i) + "}"
                                       : kind == 2 ? formatted("[{},0,0]", 15 + value % 80)
                                       : kind == 3
                                           ? "[60,10,-20]"
                                           : formatted("[{},{},{}]", 30 + value % 60, value % 81 - 40, value % 67 - 33);
            tiles += formatted(R"({}{{"shape":"rectangle","at":[{:.4f},{:.4f}],"size":[{:.4f},{:.4f}],"surface":{}}})",
                               i ? "," : "", 0.15 + 0.09 * (i % 8), 0.15 + 0.125 * (i / 8), kind % 2 ? 0.088 : 0.075,
                               kind % 2 ? 0.082 : 0.07, colour);
        }
        const auto r = scene(R"("objects":[)" + tiles + "]");
        EXPECT_TRUE(find::locate(frame_of(r), chart::installed()).empty()) << kind;
    }
}

TEST(Finder, the_smallest_and_the_oddest_frames_are_searched_without_harm) {
    for (const auto& [width, height] : {std::pair{1, 1}, {60000, 1}, {16, 16}, {17, 900}}) {
        frame::Frame f;
        f.width = f.full_width = width;
        f.height = f.full_height = height;
        for (const float value : {0.0f, 1.0f, NAN, INFINITY, -1.0f}) {
            f.rgb.assign(static_cast<std::size_t>(width) * height * 3, value);
            EXPECT_TRUE(find::locate(f, chart::installed()).empty()) << width << " x " << height << " of " << value;
        }
    }
}

} // namespace
} // namespace refero
