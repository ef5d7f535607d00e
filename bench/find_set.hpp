// What the finder is measured on: simulated scenes, finished pictures made of them, and photographs.
#pragma once

#include <filesystem>
#include <map>
#include <random>
#include <string>
#include <vector>

#include <nlohmann/json.hpp>
#include <opencv2/core.hpp>

#include "chart/geometry.hpp"
#include "frame/frame.hpp"

namespace refero::bench {

using Json = nlohmann::json;
namespace fs = std::filesystem;

struct Draw {
    std::mt19937_64 random;
    double uniform(double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); }
    int whole(int a, int b) { return std::uniform_int_distribution<int>(a, b)(random); }
    template<class T>
    T pick(std::initializer_list<T> all) {
        return *(all.begin() + static_cast<std::ptrdiff_t>(random() % all.size()));
    }
    Json colour() { return {uniform(15, 92), uniform(-55, 55), uniform(-55, 55)}; }
};

/// Where a chart really is.
struct Truth {
    std::string chart;
    chart::Corners corners;
    bool mirrored = false;
};

struct Case {
    fs::path file;
    std::vector<Truth> truth;
    std::map<std::string, double> factor; ///< of the first chart; empty where there is none
};

struct Drawn {
    Json scene;
    std::map<std::string, double> factor; ///< of the first chart
};

using Charts = std::vector<std::pair<std::string, chart::Definition>>; ///< what a scene calls it, and what it is

/// A chart such as a user might make: any grid, colours at random, a few neutrals.
fs::path user_grid(const fs::path& folder, const std::string& id, int columns, int rows, double w, double h, double gap,
                   std::uint64_t seed);
/// A scene with one to three charts, or with none but plenty of bait.
Drawn draw(Draw& d, const Charts& charts, bool with_chart, bool raw);

/// The truth beside a simulated frame; of a mirrored chart and its reversed twin, the unmirrored one.
std::vector<Truth> truths(const fs::path& file);

/// The frame as others would hand it on: balanced or not, a film-like tone curve, 720 lines, sharpened, titles over
/// it, JPEG of quality 60, each but the last two by chance.
Case finished(const Case& simulated, const fs::path& folder, std::uint64_t seed);
/// A photograph with the charts of a simulated frame set into it, cards and all, JPEG of quality 85.
Case composed(const fs::path& photograph, const Charts& charts, const fs::path& folder, std::uint64_t seed);
/// A finished picture with what spoils a find in footage, each by chance: a second panel joined to the chart, fingers,
/// motion blur along one direction, drawing over it, combing, resizing to and fro; 720 lines, JPEG of quality 60.
/// Without a chart the panel stands alone.
Case harder(const fs::path& background, const Charts& charts, const fs::path& folder, std::uint64_t seed,
            bool with_chart);

/// A chart seen straight on, its card about it.
struct FlatCard {
    cv::Mat rgb;
    chart::Homography pixels_from_mm;
    double pixels_per_mm = 1;
};
FlatCard flat_card(const std::string& id, const chart::Definition& definition, Draw& d);
/// A turned and tilted plane as a pinhole camera sees it: millimetres of the chart to pixels.
struct Pose {
    Pose(const chart::Definition& definition, double pixels_per_mm, double most_tilt_deg, double far, Draw& d);
    chart::Point operator()(double x_mm, double y_mm) const;
    chart::Corners corners() const;
    double mm, turn, tilt, axis, far, w_mm, h_mm;
    chart::Point at{0, 0}; ///< of the chart's middle
};
/// Sets a part of a card, in the chart's millimetres, into a picture, dimmed.
void set_into(cv::Mat& rgb, const FlatCard& card, const Pose& pose, const cv::Rect2d& part_mm, double dim);
double smaller_side_mm(const chart::Definition& d);
/// 8-bit RGB codes of a finished picture.
cv::Mat codes_in(const fs::path& picture);
void write_jpeg(const cv::Mat& rgb, const fs::path& file, int quality);

/// 8-bit RGB codes of a frame as it would be shown.
cv::Mat shown(const frame::Frame& frame);

} // namespace refero::bench
