// Footage the whole way: an interview with two cameras, recorded in log and in BT.709, matched by the charts that the
// clips show, and put through the cubes by another program.
extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavutil/frame.h>
}

#include "chart/geometry.hpp"
#include "cli/cli.hpp"
#include "colour/rgb.hpp"
#include "simulate/clip.hpp"

namespace refero {
namespace {

using colour::Vec3;
using nlohmann::json;
using test::Cli;
using test::Outcome;

struct Graded {
    int width = 0, height = 0;
    std::vector<std::uint16_t> codes;
    Vec3 at(double x, double y, int half) const {
        Vec3 sum = Vec3::Zero();
        int n = 0;
        for (int v = int(y) - half; v <= int(y) + half; ++v)
            for (int u = int(x) - half; u <= int(x) + half; ++u, ++n)
                for (int c = 0; c < 3; ++c)
                    sum[c] += codes[3 * (static_cast<std::size_t>(v) * width + u) + static_cast<std::size_t>(c)];
        return sum / (65535.0 * n);
    }
};

/// A clip's picture through a cube by FFmpeg's own filters. Its scaler has to be told the clip's matrix: the default is
/// BT.601 whatever the clip says.
Graded through_cube(const fs::path& clip, double at_s, const fs::path& cube) {
    const std::unique_ptr<AVFilterGraph, void (*)(AVFilterGraph*)> graph(
        avfilter_graph_alloc(), [](AVFilterGraph* g) { avfilter_graph_free(&g); });
    AVFilterContext* sink = nullptr;
    EXPECT_GE(
        avfilter_graph_create_filter(&sink, avfilter_get_by_name("buffersink"), "out", nullptr, nullptr, graph.get()),
        0);
    AVFilterInOut* end = avfilter_inout_alloc();
    *end = {av_strdup("last"), sink, 0, nullptr};
    const std::string chain =
        formatted("movie={},scale=in_color_matrix=bt709:in_range=tv:flags=accurate_rnd+full_chroma_int,"
                  "format=rgb48le,lut3d=file={}:interp=tetrahedral,format=rgb48le[last]",
                  clip, cube);
    AVFilterInOut *inputs = end, *outputs = nullptr;
    EXPECT_GE(avfilter_graph_parse_ptr(graph.get(), chain.c_str(), &inputs, &outputs, nullptr), 0) << chain;
    avfilter_inout_free(&inputs);
    EXPECT_GE(avfilter_graph_config(graph.get(), nullptr), 0) << chain;
    const std::unique_ptr<AVFrame, void (*)(AVFrame*)> frame(av_frame_alloc(), [](AVFrame* f) { av_frame_free(&f); });
    Graded g;
    do { // up to the picture that is shown then
        av_frame_unref(frame.get());
        if (av_buffersink_get_frame(sink, frame.get()) < 0) {
            ADD_FAILURE() << "no picture: " << chain;
            return g;
        }
    } while (static_cast<double>(frame->pts) * av_q2d(av_buffersink_get_time_base(sink)) < at_s - 1e-3);
    g.width = frame->width;
    g.height = frame->height;
    for (int y = 0; y < g.height; ++y) {
        const auto* row = reinterpret_cast<const std::uint16_t*>(frame->data[0] + y * frame->linesize[0]);
        g.codes.insert(g.codes.end(), row, row + 3 * g.width);
    }
    return g;
}

Vec3 lab_of(const Vec3& bt709_code) {
    static const colour::Mat3 to_xyz = colour::rgb_space("bt709").to_xyz_d50();
    return colour::lab_from_xyz(
        to_xyz * bt709_code.unaryExpr([](double v) { return colour::decode(colour::Transfer::bt709, v); }));
}

struct Interview : Cli {
    struct Camera {
        const char *id, *clip, *encoding;
        colour::Transfer transfer;
        double white;
    };
    static constexpr Camera a{"cine-a", "a.mov", "acescct", colour::Transfer::acescct, 0.82};
    static constexpr Camera b{"cine-b", "b.mov", "bt709", colour::Transfer::bt709, 0.7};
    static constexpr double plain_s = 2.5;
    chart::Corners corners;

    void record(const Camera& c) {
        const fs::path scene = fs::path(REFERO_SOURCE_DIR) / "demo" / "table.json";
        const std::string all =
            formatted(R"("camera": "{}", "light": "led", "size": [960, 540], "white": {})", c.id, c.white);
        const auto with = simulate::render(simulate::load_scene(
            scene, "{" + all + R"(, "charts": [{"id": "grid24", "at": [0.52, 0.52], "width": 0.42, "tilt_deg": 4}]})"));
        const auto plain = simulate::render(simulate::load_scene(scene, "{" + all + "}"));
        corners = with.charts.at(0).corners;
        simulate::write_clip({{&plain, 1}, {&with, 1}, {&plain, 2}}, c.transfer, 5, scratch / c.clip);
    }
};

} // namespace

TEST_F(Interview, two_cameras_in_log_and_in_bt709_meet_through_another_programs_cubes) {
    record(a);
    record(b);
    // Dropped without a word about its curve, a log clip shows its chart, and the gate says what it is.
    EXPECT_EQ(run("find a.mov --json").object()["charts"].size(), 1u);
    const auto recording = [&](const std::string& arguments) {
        const json all = run("inspect --at 1.4 --chart grid24 --json " + arguments).object();
        for (const json& f : all["findings"])
            if (f["check"] == "recording") return f["status"].get<std::string>() + " " + f["advice"].get<std::string>();
        return std::string("nothing");
    };
    EXPECT_NE(recording("a.mov").find("recorded with a log curve"), std::string::npos) << recording("a.mov");
    EXPECT_EQ(recording("a.mov --encoding acescct"), "pass ");
    EXPECT_EQ(recording("b.mov"), "pass ");
    // Nobody says where the charts are.
    const Outcome lead = run("fit a.mov --encoding acescct --chart grid24 -o a.json --json");
    ASSERT_EQ(lead.status, 0) << lead.err;
    const Outcome match = run("match --lead a.mov --lead-encoding acescct --lead-correction a.json --other b.mov "
                              "--other-encoding bt709 --chart grid24 -o b.json --json");
    ASSERT_EQ(match.status, 0) << match.err;
    ASSERT_EQ(run("export a.json --format cube --size 33 -o a.cube").status, 0);
    ASSERT_EQ(run("export b.json --format cube --size 33 -o b.cube").status, 0);
    const Graded one = through_cube(scratch / "a.mov", 1.4, scratch / "a.cube"),
                 two = through_cube(scratch / "b.mov", 1.4, scratch / "b.cube");
    ASSERT_EQ(one.codes.size(), two.codes.size());
    ASSERT_FALSE(one.codes.empty());
    const auto map = chart::pixels_from_mm(test::grid24(), corners);
    double greys = 0, skin = 0, patches = 0, off_neutral = 0;
    for (const chart::Patch& p : test::grid24().patches) {
        const chart::Point at = map({p.x_mm + p.w_mm / 2, p.y_mm + p.h_mm / 2});
        const Vec3 x = one.at(at.x(), at.y(), 8), y = two.at(at.x(), at.y(), 8);
        const double off = colour::delta_e_2000(lab_of(x), lab_of(y));
        patches += off / 24;
        if (p.role == "skin") skin = std::max(skin, off);
        if (p.role != "neutral") continue;
        greys = std::max(greys, 100 * (x - y).cwiseAbs().maxCoeff());
        for (const Vec3& v : {x, y})
            off_neutral = std::max(off_neutral, 100 * std::max(std::abs(v[0] - v[1]), std::abs(v[2] - v[1])));
    }
    // The arrangement without the chart, in squares of 12 pixels.
    const Graded scene_a = through_cube(scratch / "a.mov", plain_s, scratch / "a.cube"),
                 scene_b = through_cube(scratch / "b.mov", plain_s, scratch / "b.cube");
    double mean = 0;
    int squares = 0;
    for (int y = 6; y + 6 < scene_a.height; y += 12)
        for (int x = 6; x + 6 < scene_a.width; x += 12, ++squares)
            mean += colour::delta_e_2000(lab_of(scene_a.at(x, y, 5)), lab_of(scene_b.at(x, y, 5)));
    mean /= squares;
    test::measured("interview in log and BT.709 through FFmpeg: greys apart by %.2f points at most, %.2f off "
                   "neutral; skin %.2f, patches %.2f, the arrangement %.2f CIEDE2000 in the mean",
                   greys, off_neutral, skin, patches, mean);
    EXPECT_LT(greys, 1);
    EXPECT_LT(off_neutral, 1);
    EXPECT_LT(skin, 2);
    EXPECT_LT(mean, 2);
    // Before the match they part.
    const double before = match.object()["before"]["mean"];
    EXPECT_LT(patches, 0.5 * before);
    // The same through a job: each recording is a mode of its own, and its cube expects its codes.
    ASSERT_EQ(run("job j.refero new").status, 0);
    expect_error("job j.refero take a.mov --encoding poster", 2, "poster");
    EXPECT_EQ(run("job j.refero take a.mov --encoding acescct").status, 0);
    EXPECT_EQ(run("job j.refero take b.mov --encoding bt709").status, 0);
    EXPECT_EQ(run("job j.refero fit").status, 0);
    const json status = run("job j.refero status --json").object();
    ASSERT_EQ(status["setups"].size(), 2u);
    EXPECT_EQ(status["setups"][0]["mode"], "video acescct");
    EXPECT_EQ(status["setups"][0]["state"], "proved");
    ASSERT_EQ(run("job j.refero handover -o out --formats cube").status, 0);
    EXPECT_NE(read_file(scratch / "out/cine-a-light-1.cube").find("encoding acescct"), std::string::npos);
    EXPECT_NE(read_file(scratch / "out/cine-b-light-1.cube").find("encoding bt709"), std::string::npos);
}

} // namespace refero
