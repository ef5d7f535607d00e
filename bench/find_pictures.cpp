// Pictures as they come from elsewhere: finished versions of simulated frames, photographs with charts set into them.
#include <cmath>

#include <OpenImageIO/imageio.h>
#include <opencv2/imgproc.hpp>

#include "apply/apply.hpp"
#include "chart/chart.hpp"
#include "find_set.hpp"
#include "simulate/simulate.hpp"

namespace refero::bench {

void write_jpeg(const cv::Mat& rgb, const fs::path& file, int quality) {
    OIIO::ImageSpec spec(rgb.cols, rgb.rows, 3, OIIO::TypeDesc::UINT8);
    spec["Compression"] = "jpeg:" + std::to_string(quality);
    const auto out = OIIO::ImageOutput::create(file.string());
    if (!out || !out->open(file.string(), spec) || !out->write_image(OIIO::TypeDesc::UINT8, rgb.data) || !out->close())
        throw Error(ErrorKind::internal, "the picture could not be written", file);
}

namespace {

cv::Mat codes_of(const apply::Picture& p) {
    const auto codes = apply::display_codes(p);
    cv::Mat rgb(p.height, p.width, CV_8UC3);
    for (std::size_t i = 0; i < codes.size(); ++i) {
        rgb.data[3 * i] = static_cast<uchar>(codes[i] >> 16);
        rgb.data[3 * i + 1] = static_cast<uchar>(codes[i] >> 8);
        rgb.data[3 * i + 2] = static_cast<uchar>(codes[i]);
    }
    return rgb;
}

chart::Corners scaled(chart::Corners q, double k) {
    for (chart::Point& p : q) p *= k;
    return q;
}

} // namespace

cv::Mat codes_in(const fs::path& picture) {
    const frame::Frame photo = frame::read(picture);
    return codes_of({photo.width, photo.height, photo.rgb, "srgb"});
}

cv::Mat shown(const frame::Frame& frame) {
    return codes_of(apply::uncorrected(frame, apply::viewing_gains(frame), "srgb"));
}

Case finished(const Case& simulated, const fs::path& folder, std::uint64_t seed) {
    Case out = simulated;
    out.file = folder / (simulated.file.stem().string() + "-finished.jpg");
    frame::ReadOptions options;
    options.size = frame::Size::full;
    Draw d{std::mt19937_64(seed)};
    const double lines = 720, exposed = d.uniform(0.6, 1.05), sharpen = d.uniform(0, 1.2), contrast = d.uniform(0, 1),
                 drawn_saturation = d.uniform(0, 1);
    const bool titles = d.whole(0, 1), balanced = d.whole(0, 1);
    const double saturation = balanced ? drawn_saturation : 0; // a rendering expects a balanced picture
    const frame::Frame frame = frame::read(simulated.file, options);
    const double scale = std::min(1.0, lines / frame.height);
    for (Truth& t : out.truth) t.corners = scaled(t.corners, scale);
    if (out.factor.count("pixels a patch")) out.factor["pixels a patch"] *= scale;
    out.factor["sharpened by"] = sharpen;
    out.factor["contrast"] = contrast;
    out.factor["saturation"] = saturation;
    if (fs::exists(out.file)) return out;

    colour::Vec3 gains = apply::viewing_gains(frame);
    if (!balanced) gains = colour::Vec3::Ones();
    // Exposed so that the brightest things are about white.
    std::vector<double> largest;
    for (std::size_t i = 0; i + 2 < frame.rgb.size(); i += 3 * 31)
        largest.push_back(
            std::max({gains[0] * frame.rgb[i], gains[1] * frame.rgb[i + 1], gains[2] * frame.rgb[i + 2]}));
    const auto high = largest.begin() + static_cast<std::ptrdiff_t>(0.997 * static_cast<double>(largest.size() - 1));
    std::nth_element(largest.begin(), high, largest.end());
    gains *= exposed / std::max(1e-4, *high);
    // What a camera's own rendering does to saturation, and a curve as film has.
    colour::Mat3 rendering;
    rendering << 1.6, -0.5, -0.1, -0.2, 1.5, -0.3, 0, -0.5, 1.5;
    rendering = saturation * rendering + (1 - saturation) * colour::Mat3::Identity();
    apply::Picture p = apply::uncorrected(frame, gains, "srgb");
    for (std::size_t i = 0; i < p.rgb.size(); i += 3) {
        const colour::Vec3 v = rendering * colour::Vec3(p.rgb[i], p.rgb[i + 1], p.rgb[i + 2]);
        for (int c = 0; c < 3; ++c) {
            const double x = std::max(0.0, v[c]), curve = std::pow(x, 1.5) / (std::pow(x, 1.5) + std::pow(0.4, 1.5));
            p.rgb[i + static_cast<std::size_t>(c)] = static_cast<float>((1 - contrast) * x + contrast * curve);
        }
    }
    cv::Mat rgb = codes_of(p);
    if (scale < 1) cv::resize(rgb, rgb, {}, scale, scale, cv::INTER_AREA);
    cv::Mat soft;
    cv::GaussianBlur(rgb, soft, {}, 1.2);
    cv::addWeighted(rgb, 1 + sharpen, soft, -sharpen, 0, rgb);
    if (titles) {
        cv::putText(rgb, "THE SEAWEED ROOM", {rgb.cols / 20, rgb.rows / 10}, cv::FONT_HERSHEY_SIMPLEX, rgb.rows / 700.0,
                    {255, 255, 255}, 2, cv::LINE_AA);
        cv::putText(rgb, "00:03:21:07  TAKE 4", {rgb.cols / 3, rgb.rows - rgb.rows / 30}, cv::FONT_HERSHEY_SIMPLEX,
                    rgb.rows / 900.0, {250, 240, 80}, 1, cv::LINE_AA);
        cv::rectangle(rgb, {rgb.cols - rgb.cols / 8, rgb.rows / 30}, {rgb.cols - rgb.cols / 30, rgb.rows / 12},
                      {200, 20, 30}, cv::FILLED);
    }
    write_jpeg(rgb, out.file, 60);
    return out;
}

FlatCard flat_card(const std::string& id, const chart::Definition& definition, Draw& d) {
    Json scene{{"refero_scene", 1},
               {"size", {1500, 1000}},
               {"camera", d.pick({"stills-a", "stills-b"})},
               {"light", d.pick({"window", "led", "flash", "tungsten"})},
               {"white", 0.8}};
    const double fit = std::min(1300 / definition.width_mm, 800 / definition.height_mm);
    scene["charts"] = Json::array({{{"id", id},
                                    {"at", {0.5, 0.5}},
                                    {"width", definition.width_mm * fit / 1500},
                                    {"rotation_deg", 0},
                                    {"tilt_deg", 0}}});
    const auto flat = simulate::render(simulate::parse_scene(scene.dump(), "bench"));
    frame::Frame frame;
    frame.width = frame.full_width = 1500;
    frame.height = frame.full_height = 1000;
    frame.rgb = flat.rgb;
    return {codes_of(apply::uncorrected(frame, apply::viewing_gains(frame), "srgb")),
            chart::pixels_from_mm(definition, flat.charts[0].corners), fit};
}

Pose::Pose(const chart::Definition& definition, double pixels_per_mm, double most_tilt_deg, double far, Draw& d)
    : mm(pixels_per_mm),
      turn(d.uniform(0, 2 * M_PI)),
      tilt(d.uniform(0, most_tilt_deg) * M_PI / 180),
      axis(d.uniform(0, M_PI)),
      far(far),
      w_mm(definition.width_mm),
      h_mm(definition.height_mm) {}

chart::Point Pose::operator()(double x_mm, double y_mm) const {
    const double x = (x_mm - w_mm / 2) * mm, y = (y_mm - h_mm / 2) * mm;
    const double u = x * std::cos(turn) - y * std::sin(turn), v = x * std::sin(turn) + y * std::cos(turn);
    const double along = u * std::cos(axis) + v * std::sin(axis), over = -u * std::sin(axis) + v * std::cos(axis);
    const double flat_over = over * std::cos(tilt), depth = far + over * std::sin(tilt);
    return {at.x() + (along * std::cos(axis) - flat_over * std::sin(axis)) * far / depth,
            at.y() + (along * std::sin(axis) + flat_over * std::cos(axis)) * far / depth};
}

chart::Corners Pose::corners() const {
    return {(*this)(0, 0), (*this)(w_mm, 0), (*this)(w_mm, h_mm), (*this)(0, h_mm)};
}

void set_into(cv::Mat& rgb, const FlatCard& card, const Pose& pose, const cv::Rect2d& part_mm, double dim) {
    std::array<cv::Point2f, 4> from, to;
    const double xs[] = {part_mm.x, part_mm.x + part_mm.width, part_mm.x + part_mm.width, part_mm.x},
                 ys[] = {part_mm.y, part_mm.y, part_mm.y + part_mm.height, part_mm.y + part_mm.height};
    for (std::size_t i = 0; i < 4; ++i) {
        const auto a = card.pixels_from_mm({xs[i], ys[i]}), b = pose(xs[i], ys[i]);
        // cv counts from the middle of the first pixel.
        from[i] = {static_cast<float>(a.x() - 0.5), static_cast<float>(a.y() - 0.5)};
        to[i] = {static_cast<float>(b.x() - 0.5), static_cast<float>(b.y() - 0.5)};
    }
    cv::Mat soft = card.rgb, warped, mask(card.rgb.size(), CV_8UC1, cv::Scalar(0));
    if (const double shrink = pose.mm / card.pixels_per_mm; shrink < 1)
        cv::GaussianBlur(card.rgb, soft, {}, 0.5 / shrink);
    const auto whole = [](const cv::Point2f& p) { return cv::Point(cvRound(p.x), cvRound(p.y)); };
    const std::vector<cv::Point> outline{whole(from[0]), whole(from[1]), whole(from[2]), whole(from[3])};
    cv::fillConvexPoly(mask, outline, cv::Scalar(255));
    const cv::Mat map = cv::getPerspectiveTransform(from.data(), to.data());
    cv::Mat on;
    cv::warpPerspective(soft, warped, map, rgb.size(), cv::INTER_LINEAR);
    cv::warpPerspective(mask, on, map, rgb.size(), cv::INTER_LINEAR);
    cv::Mat(warped * dim).copyTo(rgb, on > 127);
}

Case composed(const fs::path& photograph, const Charts& charts, const fs::path& folder, std::uint64_t seed) {
    Draw d{std::mt19937_64(seed)};
    const auto& [id, definition] = charts[d.random() % charts.size()];
    Case out{folder / (photograph.stem().string() + "-" + std::to_string(seed) + ".jpg"), {}, {}};
    const FlatCard card = flat_card(id, definition, d);

    cv::Mat rgb = codes_in(photograph);
    if (const double most = 2400.0 / std::max(rgb.cols, rgb.rows); most < 1)
        cv::resize(rgb, rgb, {}, most, most, cv::INTER_AREA);

    // A turned and tilted plane, seen by a pinhole camera.
    const double side = std::min(rgb.cols, rgb.rows), share = std::exp(d.uniform(std::log(0.15), std::log(0.8)));
    Pose pose(definition, share * side / std::hypot(definition.width_mm, definition.height_mm), 45, 1.4 * side, d);
    const double reach = share * side / 2;
    const double x = d.uniform(reach, rgb.cols - reach), y = d.uniform(reach, rgb.rows - reach);
    pose.at = {x, y};
    out.truth.push_back({definition.id, pose.corners(), false});
    out.factor = {{"pixels a patch", smaller_side_mm(definition) * pose.mm},
                  {"share of the shorter side", share},
                  {"tilt", pose.tilt * 180 / M_PI},
                  {"light", d.uniform(0.35, 1)}};
    if (fs::exists(out.file)) return out;
    constexpr double margin_mm = 8;
    set_into(rgb, card, pose,
             {-margin_mm, -margin_mm, definition.width_mm + 2 * margin_mm, definition.height_mm + 2 * margin_mm},
             out.factor["light"]);
    write_jpeg(rgb, out.file, 85);
    return out;
}

} // namespace refero::bench
