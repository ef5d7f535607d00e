// Finished pictures with what spoils a find in footage: folding cases, hands, motion, drawing, combing, resizing.
#include <cmath>
#include <functional>

#include <opencv2/imgproc.hpp>

#include "chart/chart.hpp"
#include "find_set.hpp"

namespace refero::bench {

namespace {

constexpr int picture_lines = 720;
constexpr double margin_mm = 7; // of the card about the patches

cv::Scalar rgb(double r, double g, double b) { return {r, g, b}; }
cv::Scalar any_colour(Draw& d) { return rgb(d.uniform(10, 245), d.uniform(10, 245), d.uniform(10, 245)); }
cv::Scalar grey(double v) { return rgb(v, v, v); }

/// What the other half of a folding case may show: one tone, greys, large or small squares of any colour.
void draw_panel(cv::Mat& canvas, const cv::Rect& area, Draw& d) {
    cv::rectangle(canvas, area, grey(d.uniform(10, 60)), cv::FILLED);
    const int edge = std::max(4, area.height / 30);
    const cv::Rect in(area.x + edge, area.y + edge, area.width - 2 * edge, area.height - 2 * edge);
    const auto grid = [&](int columns, int rows, double gap, const std::function<cv::Scalar(int, int)>& tone) {
        for (int r = 0; r < rows; ++r)
            for (int c = 0; c < columns; ++c) {
                const double w = static_cast<double>(in.width) / columns, h = static_cast<double>(in.height) / rows;
                cv::rectangle(canvas,
                              cv::Rect(cvRound(in.x + (c + gap / 2) * w), cvRound(in.y + (r + gap / 2) * h),
                                       cvRound(w * (1 - gap)), cvRound(h * (1 - gap))),
                              tone(c, r), cv::FILLED);
            }
    };
    switch (d.whole(0, 4)) {
    case 0: cv::rectangle(canvas, in, grey(d.pick({30.0, 118.0, 235.0})), cv::FILLED); break;
    case 1: {
        const int steps = d.whole(3, 8);
        grid(steps, 1, 0.06, [&](int c, int) { return grey(20 + 220.0 * c / (steps - 1)); });
        break;
    }
    case 2: grid(d.whole(3, 5), d.whole(2, 3), d.uniform(0.04, 0.2), [&](int, int) { return any_colour(d); }); break;
    case 3: grid(d.whole(6, 9), d.whole(3, 6), d.uniform(0.06, 0.25), [&](int, int) { return any_colour(d); }); break;
    default: {
        const int rows = d.whole(2, 4);
        grid(d.whole(4, 8), rows, d.uniform(0.06, 0.2), [&](int, int r) {
            return r == 0 ? grey(d.uniform(20, 240)) : rgb(d.uniform(90, 230), d.uniform(60, 180), d.uniform(40, 150));
        });
    }
    }
}

/// The chart's card with a second panel joined along its upper or lower side; where the chart stands on it.
struct Folding {
    FlatCard card;
    cv::Rect2d whole_mm; ///< card and panel
};
Folding folding(const std::string& id, const chart::Definition& definition, bool panel, Draw& d) {
    const FlatCard alone = flat_card(id, definition, d);
    const double k = alone.pixels_per_mm, h = definition.height_mm, w = definition.width_mm,
                 panel_mm = panel ? d.uniform(0.5, 1.1) * h + 2 * margin_mm : 0;
    const bool above = d.whole(0, 1);
    const double hinge_mm = d.uniform(0, 6);
    const int room = cvCeil((panel_mm + hinge_mm) * k) + 40;
    Folding out;
    cv::copyMakeBorder(alone.rgb, out.card.rgb, room, room, 0, 0, cv::BORDER_CONSTANT, grey(25));
    chart::Corners corners{alone.pixels_from_mm({0, 0}), alone.pixels_from_mm({w, 0}), alone.pixels_from_mm({w, h}),
                           alone.pixels_from_mm({0, h})};
    for (auto& c : corners) c.y() += room;
    out.card.pixels_from_mm = chart::pixels_from_mm(definition, corners);
    out.card.pixels_per_mm = k;
    out.whole_mm = {-margin_mm, -margin_mm, w + 2 * margin_mm, h + 2 * margin_mm};
    if (!panel) return out;
    const double top_mm = above ? -margin_mm - hinge_mm - panel_mm : h + margin_mm;
    const auto a = out.card.pixels_from_mm({-margin_mm, top_mm}),
               b = out.card.pixels_from_mm({w + margin_mm, top_mm + hinge_mm + panel_mm});
    const cv::Rect area(cvRound(a.x()), cvRound(a.y()), cvRound(b.x() - a.x()), cvRound(b.y() - a.y()));
    cv::rectangle(out.card.rgb, area, grey(d.uniform(15, 70)), cv::FILLED);
    const int hinge = cvRound(hinge_mm * k);
    draw_panel(out.card.rgb, {area.x, area.y + (above ? 0 : hinge), area.width, area.height - hinge}, d);
    if (above) out.whole_mm.y = top_mm;
    out.whole_mm.height += hinge_mm + panel_mm;
    return out;
}

cv::Point whole(const chart::Point& p) { return {cvRound(p.x()), cvRound(p.y())}; }

/// Fingers over an edge of the card, shaded along one side, the hand they belong to outside.
void draw_hand(cv::Mat& picture, const Pose& pose, double pitch_mm, Draw& d) {
    const cv::Scalar skin = d.pick({rgb(226, 172, 143), rgb(190, 132, 100), rgb(120, 80, 60)}), shade = skin * 0.75;
    const int side = d.whole(0, 3), fingers = d.whole(1, 4);
    const double w = pose.w_mm, h = pose.h_mm, thick_mm = d.uniform(0.5, 0.8) * pitch_mm, from = d.uniform(0, 0.6),
                 reach = d.uniform(0.1, 0.9) * pitch_mm;
    const auto at = [&](double along, double in) -> chart::Point {
        switch (side) {
        case 0: return pose(along * w, in);
        case 1: return pose(along * w, h - in);
        case 2: return pose(in, along * h);
        default: return pose(w - in, along * h);
        }
    };
    const double length = side < 2 ? w : h;
    const int thick = std::max(2, cvRound(thick_mm * pose.mm));
    for (int i = 0; i < fingers; ++i) {
        const double along = from + 1.1 * i * thick_mm / length, in = reach * d.uniform(0.6, 1.1);
        cv::line(picture, whole(at(along, -4 * pitch_mm)), whole(at(along, in)), shade, thick, cv::LINE_AA);
        cv::line(picture, whole(at(along, -4 * pitch_mm)), whole(at(along - 0.08 * thick_mm / length, in)), skin,
                 std::max(1, thick * 3 / 4), cv::LINE_AA);
    }
}

/// Frame lines, a cross, letters, a translucent bar: a fifth of the chart at most.
void draw_over(cv::Mat& picture, const Pose& pose, double share, Draw& d) {
    const cv::Scalar colour = d.pick({rgb(255, 255, 255), rgb(255, 230, 40), rgb(220, 30, 40), rgb(10, 10, 10)});
    const double w = pose.w_mm, h = pose.h_mm;
    const chart::Point a = pose(d.uniform(0, 0.7) * w, d.uniform(0, 0.7) * h);
    const double area = share * std::abs(chart::signed_area(pose.corners()));
    switch (d.whole(0, 2)) {
    case 0: { // a bar across, level in the picture
        const double across = std::sqrt(std::abs(chart::signed_area(pose.corners())));
        const int tall = std::max(2, cvRound(area / across));
        const cv::Rect bar(0, std::clamp(cvRound(a.y()), 0, picture.rows - tall - 1), picture.cols, tall);
        cv::Mat part = picture(bar);
        const double cover = d.uniform(0.5, 1);
        cv::addWeighted(part, 1 - cover, cv::Mat(part.size(), part.type(), colour), cover, 0, part);
        break;
    }
    case 1: { // letters about as large as a patch
        const double size = 0.02 * std::sqrt(area);
        cv::putText(picture, "TAKE 7  ROLL A 12", whole(a), cv::FONT_HERSHEY_SIMPLEX, std::max(0.4, size), colour,
                    std::max(1, cvRound(4 * size)), cv::LINE_AA);
        break;
    }
    default: { // lines from edge to edge
        const int n = d.whole(1, 3), thick = d.whole(1, 3);
        for (int i = 0; i < n; ++i) {
            const auto p = pose(d.uniform(0, 1) * w, d.uniform(0, 1) * h);
            if (i % 2) cv::line(picture, {0, whole(p).y}, {picture.cols, whole(p).y}, colour, thick);
            else cv::line(picture, {whole(p).x, 0}, {whole(p).x, picture.rows}, colour, thick);
        }
    }
    }
}

void blur_along(cv::Mat& picture, double length, double angle) {
    const int side = 2 * cvCeil(length / 2) + 3;
    cv::Mat kernel(side, side, CV_32F, cv::Scalar(0));
    constexpr int steps = 200;
    for (int i = 0; i < steps; ++i) {
        const double t = (static_cast<double>(i) / (steps - 1) - 0.5) * length;
        kernel.at<float>(cvRound(side / 2 + t * std::sin(angle)), cvRound(side / 2 + t * std::cos(angle))) += 1;
    }
    cv::filter2D(picture, picture, -1, kernel / steps);
}

/// Every other line from a moment later.
void comb(cv::Mat& picture, int shift) {
    cv::Mat later;
    const cv::Mat by = (cv::Mat_<double>(2, 3) << 1, 0, shift, 0, 1, 0);
    cv::warpAffine(picture, later, by, picture.size(), cv::INTER_NEAREST, cv::BORDER_REPLICATE);
    for (int y = 1; y < picture.rows; y += 2) later.row(y).copyTo(picture.row(y));
}

/// A camera's own contrast and saturation, on codes.
void render(cv::Mat& picture, double contrast, double saturation) {
    cv::Mat f;
    picture.convertTo(f, CV_32FC3, 1 / 255.0);
    f.forEach<cv::Vec3f>([&](cv::Vec3f& v, const int*) {
        const float luma = 0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2];
        for (int c = 0; c < 3; ++c) {
            const float x = std::clamp(luma + static_cast<float>(saturation) * (v[c] - luma), 0.f, 1.f);
            v[c] = x + static_cast<float>(contrast) * (x * x * (3 - 2 * x) - x);
        }
    });
    f.convertTo(picture, CV_8UC3, 255);
}

} // namespace

Case harder(const fs::path& background, const Charts& charts, const fs::path& folder, std::uint64_t seed,
            bool with_chart) {
    Draw d{std::mt19937_64(seed * 7907 + 13)};
    const auto& [id, definition] = charts[d.random() % charts.size()];
    Case out{folder / formatted("harder-{}.jpg", seed), {}, {}};
    cv::Mat picture = codes_in(background);
    const double scale = static_cast<double>(picture_lines) / picture.rows;
    cv::resize(picture, picture, {cvRound(picture.cols * scale), picture_lines}, 0, 0, cv::INTER_AREA);

    const bool panel = !with_chart || d.whole(0, 1), hand = d.whole(0, 1), moves = d.whole(0, 1),
               drawn = d.whole(0, 2) == 0, combed = d.whole(0, 3) == 0, resized = d.whole(0, 1);
    const double smaller_mm = smaller_side_mm(definition),
                 pitch_mm = std::sqrt(definition.width_mm * definition.height_mm /
                                      static_cast<double>(definition.patches.size()));
    const double most_px =
        0.45 * picture_lines / std::hypot(definition.width_mm, definition.height_mm) * smaller_mm * 1.6;
    const double px = std::exp(d.uniform(std::log(8.0), std::log(std::max(10.0, most_px))));
    Pose pose(definition, px / smaller_mm, 55, 1.8 * picture_lines, d);
    const double reach = 0.5 * pose.mm * std::hypot(pose.w_mm, pose.h_mm);
    const auto somewhere = [&](double side) { return 2 * reach < side ? d.uniform(reach, side - reach) : side / 2; };
    const double x = somewhere(picture.cols), y = somewhere(picture.rows);
    pose.at = {x, y};
    Folding card = folding(id, definition, panel, d);
    const double dim = d.uniform(0.4, 1), length = moves ? d.uniform(0.05, 0.45) * px : 0,
                 cover = drawn ? d.uniform(0.03, 0.2) : 0, shrink = resized ? d.uniform(0.55, 0.9) : 1;
    const int shift = combed ? std::max(1, cvRound(d.uniform(0.04, 0.2) * px)) : 0;
    if (with_chart) {
        out.truth.push_back({definition.id, pose.corners(), false});
        out.factor = {{"pixels a patch", px},
                      {"tilt", pose.tilt * 180 / M_PI},
                      {"second panel", panel},
                      {"hand", hand},
                      {"motion over patch", length / px},
                      {"drawn over", cover},
                      {"combing over patch", shift / px},
                      {"resized by", shrink}};
    }
    if (fs::exists(out.file)) return out;

    cv::Rect2d shown = card.whole_mm;
    if (!with_chart) { // the panel alone
        const bool above = shown.y < -margin_mm;
        if (above) shown.height = -margin_mm - shown.y;
        else {
            shown.height -= definition.height_mm + 2 * margin_mm;
            shown.y = definition.height_mm + margin_mm;
        }
    }
    set_into(picture, card.card, pose, shown, dim);
    if (hand) draw_hand(picture, pose, pitch_mm, d);
    if (moves) blur_along(picture, length, d.uniform(0, M_PI));
    if (combed) comb(picture, shift);
    render(picture, d.uniform(0, 0.8), d.uniform(0.9, 1.4));
    cv::Mat noise(picture.size(), CV_16SC3), noisy;
    cv::setRNGSeed(static_cast<int>(seed));
    cv::randn(noise, 0, d.uniform(0, 5));
    picture.convertTo(noisy, CV_16SC3);
    cv::Mat(noisy + noise).convertTo(picture, CV_8UC3);
    if (resized) {
        cv::Mat small;
        cv::resize(picture, small, {}, shrink, shrink, cv::INTER_AREA);
        cv::resize(small, picture, picture.size(), 0, 0, cv::INTER_CUBIC);
    }
    if (drawn) draw_over(picture, pose, cover, d);
    write_jpeg(picture, out.file, 60);
    return out;
}

} // namespace refero::bench
