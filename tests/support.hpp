// Shared by the tests: scratch folders, simulated frames, printed measurements.
#pragma once

#include <gtest/gtest.h>

#include <cstdarg>
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "operations/correct/pipeline.hpp"
#include "simulate/simulate.hpp"

namespace refero {
namespace fs = std::filesystem;
}

namespace refero::test {

/// A folder that is removed with the object.
class Scratch {
public:
    Scratch() {
        std::string pattern = (fs::temp_directory_path() / "refero-test-XXXXXX").string();
        folder_ = mkdtemp(pattern.data());
    }
    ~Scratch() {
        std::error_code ignored;
        fs::remove_all(folder_, ignored);
    }
    Scratch(const Scratch&) = delete;
    fs::path operator/(const std::string& name) const { return folder_ / name; }
    const fs::path& folder() const { return folder_; }

private:
    fs::path folder_;
};

inline fs::path written(const fs::path& file, const std::string& content) {
    std::ofstream(file, std::ios::binary) << content;
    return file;
}

/// How a test frame differs from the usual one.
struct Shot {
    std::string camera = "stills-a", light = "window";
    int width = 1500, height = 1000;
    double white = 0.8, chart_width = 0.42, rotation_deg = 12, tilt_deg = 6;
    int seed = 1;
    std::string more; ///< further members of the scene, each beginning with a comma
};

inline std::string scene_text(const Shot& s) {
    char text[800];
    std::snprintf(text, sizeof text,
                  R"({"refero_scene":1,"size":[%d,%d],"seed":%d,"camera":"%s","light":"%s","white":%g,
"background":{"surface":[55,3,8],"texture":0.1,"texture_px":9},
"charts":[{"id":"grid24","at":[0.5,0.5],"width":%g,"rotation_deg":%g,"tilt_deg":%g}])",
                  s.width, s.height, s.seed, s.camera.c_str(), s.light.c_str(), s.white, s.chart_width, s.rotation_deg,
                  s.tilt_deg);
    return text + s.more + "}";
}

inline simulate::Rendering rendered(const Shot& s) {
    return simulate::render(simulate::parse_scene(scene_text(s), "test scene"));
}

/// A rendering as a frame in memory, without noise.
inline frame::Frame frame_of(const simulate::Rendering& r) {
    frame::Frame f;
    f.width = f.full_width = r.scene.width;
    f.height = f.full_height = r.scene.height;
    f.rgb = r.rgb;
    for (float& v : f.rgb) v = std::min(v, 1.0f);
    f.metadata.focal_35mm_mm = r.scene.focal_35mm_mm;
    return f;
}

inline simulate::Rendering shoot(const Shot& s, const fs::path& file) {
    auto rendering = rendered(s);
    simulate::write(rendering, file);
    return rendering;
}

/// The noise-free reading of a rendering's first chart: what a perfect measurement would give.
inline read::Reading true_reading(const simulate::Rendering& r) {
    read::Reading reading;
    reading.chart = r.charts.at(0).chart;
    for (const auto& p : r.charts[0].patches) reading.patches.push_back({p.id, p.mean, p.sd, p.clipped, p.pixels});
    return reading;
}

inline const chart::Definition& grid24() {
    static const chart::Definition definition = chart::find_definition("grid24");
    return definition;
}

/// Prints a measured figure; the test script gathers these lines.
inline void measured(const char* format, ...) __attribute__((format(printf, 1, 2)));
inline void measured(const char* format, ...) {
    va_list arguments;
    va_start(arguments, format);
    std::printf("[ measured ] ");
    std::vprintf(format, arguments);
    std::printf("\n");
    va_end(arguments);
}

} // namespace refero::test
