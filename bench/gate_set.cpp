#include "gate_set.hpp"

#include <Eigen/LU>
#include <OpenImageIO/imageio.h>
#include <opencv2/imgproc.hpp>

#include "frame/frame.hpp"

namespace refero::bench {

using colour::Mat3;
using colour::Spectrum;
using colour::Vec3;

namespace {

Spectrum bell(double centre, double sd, double height = 1) {
    Spectrum s;
    for (int i = 0; i < Spectrum::size; ++i)
        s[i] = height * std::exp(-0.5 * std::pow((Spectrum::nm(i) - centre) / sd, 2));
    return s;
}

Spectrum flank(double from, double width, double height) {
    Spectrum s;
    for (int i = 0; i < Spectrum::size; ++i) s[i] = height / (1 + std::exp(-(Spectrum::nm(i) - from) / width));
    return s;
}

using Sensitivities = std::array<Spectrum, 3>;

Sensitivities bells(Random& r, double moved, double narrowest, double broadest) {
    return {bell(602 + r.uniform(-moved, moved), r.uniform(narrowest, broadest)),
            bell(538 + r.uniform(-moved, moved), r.uniform(narrowest, broadest)),
            bell(460 + r.uniform(-moved, moved), r.uniform(narrowest, broadest))};
}

Sensitivities camera_of(const std::string& family, Random& r) {
    if (family == "Luther") {
        // A positive mixture of the observer's functions.
        Sensitivities s;
        const double a = r.uniform(0, 0.3), b = r.uniform(0, 0.25), c = r.uniform(0, 0.1);
        const auto& o = colour::observer_1931();
        s[0] = 1.0 * o[0] + a * o[1];
        s[1] = 1.0 * o[1] + b * o[0] + c * o[2];
        s[2] = 0.56 * o[2] + c * o[1];
        return s;
    }
    if (family == "single") return bells(r, 10, 26, 42);
    if (family == "double") {
        Sensitivities s = bells(r, 10, 24, 38);
        s[0] = s[0] + bell(r.uniform(430, 460), 16, r.uniform(0.05, 0.25));
        s[1] = s[1] + bell(r.uniform(580, 620), 18, r.uniform(0.05, 0.3));
        s[2] = s[2] + bell(r.uniform(500, 530), 14, r.uniform(0.05, 0.3));
        return s;
    }
    if (family == "shifted") {
        const double all = r.uniform(-1, 1) < 0 ? -1 : 1;
        return {bell(602 + all * r.uniform(12, 28), r.uniform(26, 40)),
                bell(538 + all * r.uniform(8, 20), r.uniform(26, 40)),
                bell(460 + all * r.uniform(5, 18), r.uniform(20, 34))};
    }
    if (family == "narrow") return bells(r, 14, 9, 18);
    if (family == "broad") return bells(r, 12, 45, 65);
    if (family == "leaking") {
        Sensitivities s = bells(r, 10, 24, 36);
        for (Spectrum& each : s) each = each + Spectrum::constant(r.uniform(0.02, 0.12));
        return s;
    }
    Sensitivities s = bells(r, 10, 26, 40); // infrared
    for (std::size_t c = 0; c < 3; ++c)
        s[c] = s[c] + flank(r.uniform(700, 730), 8, (c == 0 ? 1.0 : 0.5) * r.uniform(0.1, 0.5));
    return s;
}

} // namespace

const std::vector<Member<Sensitivities>>& cameras() {
    static const auto all = [] {
        std::vector<Member<Sensitivities>> v;
        std::uint64_t seed = 100;
        for (const char* family : {"Luther", "single", "double", "shifted", "narrow", "broad", "leaking", "infrared"})
            for (int i = 1; i <= 6; ++i) {
                Random r(++seed);
                v.push_back({family, std::string(family) + " " + std::to_string(i), camera_of(family, r)});
            }
        return v;
    }();
    return all;
}

const std::vector<Member<Spectrum>>& lights() {
    static const auto all = [] {
        const auto phosphor = [](double blue, double blue_sd, double centre, double sd, double share, double red) {
            return bell(blue, blue_sd, share) + bell(centre, sd, 1) + bell(630, 12, red);
        };
        const auto lines = [](std::initializer_list<std::array<double, 3>> of, double ground) {
            Spectrum s = bell(580, 90, ground);
            for (const auto& [nm, sd, height] : of) s = s + bell(nm, sd, height);
            return s;
        };
        const Spectrum glass = bell(530, 70, 0.9);
        return std::vector<Member<Spectrum>>{
            {"lamp", "2856 K", colour::planck(2856)},
            {"lamp", "3200 K", colour::planck(3200)},
            {"lamp", "4300 K", colour::planck(4300)},
            {"daylight", "5000 K", colour::daylight(5000)},
            {"daylight", "5600 K", colour::daylight(5600)},
            {"daylight", "7500 K", colour::daylight(7500)},
            {"LED", "yellow phosphor", phosphor(450, 9, 560, 55, 0.9, 0)},
            {"LED", "warm phosphor", phosphor(455, 11, 600, 60, 0.35, 0.1)},
            {"LED", "gap in cyan", phosphor(447, 7, 575, 42, 1.1, 0.5)},
            {"mixed LED", "red, green and blue", bell(460, 10, 0.9) + bell(525, 15, 0.8) + bell(630, 9, 1)},
            {"fluorescent", "three bands",
             lines({{436, 4, 0.5}, {545, 5, 1.2}, {587, 6, 0.3}, {611, 4, 1.3}, {490, 8, 0.25}}, 0.06)},
            {"fluorescent", "halophosphate", lines({{436, 4, 0.35}, {546, 4, 0.4}, {405, 4, 0.15}}, 0.6)},
            {"discharge", "metal halide",
             lines({{420, 6, 0.4}, {455, 12, 0.6}, {505, 15, 0.6}, {536, 5, 0.9}, {590, 10, 0.9}, {670, 8, 0.4}}, 0.5)},
            {"glass", "window through green glass", colour::daylight(6500) * glass},
        };
    }();
    return all;
}

std::vector<Spectrum> printed(const std::vector<Spectrum>& painted, std::uint64_t batch) {
    const auto xyz = [](const Spectrum& s) { return colour::xyz_of(s, colour::illuminant_d(50)); };
    std::vector<Spectrum> all;
    for (std::size_t k = 0; k < painted.size(); ++k) {
        Random r(batch * 1009 + k);
        Spectrum logit, bend;
        const Vec3 lab = colour::lab_from_xyz(xyz(painted[k]));
        const double chroma = std::hypot(lab[1], lab[2]), size = 0.02 + 0.28 * std::min(1.0, chroma / 50);
        for (int wave = 0; wave < 10; ++wave)
            bend = bend + bell(r.uniform(380, 780), r.uniform(22, 50), size * r.normal());
        for (int i = 0; i < Spectrum::size; ++i) {
            const double v = std::clamp(painted[k][i], 0.004, 0.996);
            logit[i] = std::log(v / (1 - v)) + bend[i];
        }
        // The values come back to what they were, but for what printers stray.
        Vec3 target = xyz(painted[k]);
        target *= std::exp(0.007 * r.normal());
        target[0] *= std::exp(0.004 * r.normal());
        target[2] *= std::exp(0.006 * r.normal());
        const std::array<Spectrum, 3> basis{bell(600, 45), bell(545, 45), bell(450, 35)};
        const auto surface = [&] {
            Spectrum s;
            for (int i = 0; i < Spectrum::size; ++i) s[i] = 1 / (1 + std::exp(-logit[i]));
            return s;
        };
        for (int step = 0; step < 12; ++step) {
            const Vec3 now = xyz(surface());
            Mat3 jacobian;
            for (int b = 0; b < 3; ++b) {
                const Spectrum kept = logit;
                logit = logit + 1e-4 * basis[static_cast<std::size_t>(b)];
                jacobian.col(b) = (xyz(surface()) - now) / 1e-4;
                logit = kept;
            }
            const Vec3 change = jacobian.inverse() * (target - now);
            for (int b = 0; b < 3; ++b)
                logit = logit + std::clamp(change[b], -0.5, 0.5) * basis[static_cast<std::size_t>(b)];
        }
        all.push_back(surface());
    }
    return all;
}

const std::vector<std::string>& style_families() {
    static const std::vector<std::string> all{"soft", "film", "vivid", "video"};
    return all;
}

Style random_style(Random& r, const std::string& family) {
    Style s;
    s.family = family;
    const bool vivid = family == "vivid", film = family == "film", video = family == "video";
    s.curve = film || vivid ? r.uniform(0.5, 1) : r.uniform(0, 0.5);
    s.pivot = r.uniform(0.3, 0.5);
    s.saturation = vivid ? r.uniform(1.2, 1.4) : r.uniform(0.95, 1.2);
    s.exposure = r.uniform(0.75, 1.1);
    s.quality = video ? 70 : static_cast<int>(r.uniform(82, 96));
    s.half_colour = video || r.uniform(0, 1) < 0.5;
    s.lines = video ? (r.uniform(0, 1) < 0.5 ? 720 : 1080) : 0;
    const double size = vivid ? 0.08 : 0.04;
    for (int i = 0; i < 3; ++i) {
        for (int j = 0; j < 3; ++j)
            if (i != j) s.twist(i, j) = size * r.normal();
        s.twist(i, i) = 1 + 1 - s.twist.row(i).sum();
    }
    return s;
}

cv::Mat finished_codes(const simulate::Rendering& rendering, const Style& style) {
    const simulate::Scene& scene = rendering.scene;
    const int w = scene.width, h = scene.height;
    // What the camera's own matrix makes of its balanced values.
    const Vec3 white = scene.camera.response(Spectrum::constant(1), scene.light);
    const Mat3 camera = scene.camera.camera_from_xyz_d65();
    const Vec3 neutral = camera * colour::white_of(colour::illuminant_d(65));
    const Mat3 to_bt709 = colour::rgb_space("linear-bt709").to_xyz_d50().inverse();
    const Mat3 balanced = neutral.cwiseInverse().asDiagonal() * camera;
    Mat3 matrix = to_bt709 * colour::white_d50.asDiagonal() *
                  colour::white_of(colour::illuminant_d(65)).cwiseInverse().asDiagonal() * balanced.inverse();
    // Neutrals stay neutral, and colours as saturated as the style has them.
    for (int i = 0; i < 3; ++i) matrix.row(i) /= matrix.row(i).sum();
    const Mat3 grey = Vec3(1, 1, 1) * Vec3(0.2126, 0.7152, 0.0722).transpose();
    matrix = style.twist * (style.saturation * Mat3::Identity() + (1 - style.saturation) * grey) * matrix;
    std::mt19937_64 noise(scene.seed + 77);
    std::normal_distribution<double> normal;
    cv::Mat picture(h, w, CV_32FC3);
    const double gain = scene.iso / scene.camera.base_iso, wells = scene.camera.full_well_e / gain;
    for (int i = 0; i < w * h; ++i) {
        Vec3 v;
        for (int c = 0; c < 3; ++c) {
            const double signal = static_cast<double>(rendering.rgb[static_cast<std::size_t>(i) * 3 + c]);
            const double sd = 0.8 * std::sqrt(std::max(0.0, signal) / wells +
                                              std::pow(scene.camera.read_noise_e / scene.camera.full_well_e, 2));
            v[c] = std::min(1.0, signal + sd * normal(noise)) / white[c];
        }
        // Exposed as a camera meters it: dark and clipped shots stay that.
        v = matrix * v * (scene.white > 1 ? 1.3 : style.exposure * 0.9 / std::clamp(scene.white, 0.45, 0.95)) *
            white.maxCoeff();
        for (int c = 0; c < 3; ++c) {
            const double x = std::max(0.0, v[c]);
            const double film = std::pow(x, 1.35) / (std::pow(x, 1.35) + std::pow(style.pivot, 1.35)) *
                                (1 + std::pow(style.pivot, 1.35));
            const double y = std::clamp((1 - style.curve) * x + style.curve * film, 0.0, 1.0);
            picture.at<cv::Vec3f>(i / w, i % w)[c] =
                static_cast<float>(255 * colour::encode(colour::Transfer::srgb, y));
        }
    }
    if (style.lines > 0 && style.lines != h) {
        const double scale = static_cast<double>(style.lines) / h;
        cv::resize(picture, picture, {}, scale, scale, scale < 1 ? cv::INTER_AREA : cv::INTER_CUBIC);
    }
    if (style.family == "video") {
        cv::Mat soft;
        cv::GaussianBlur(picture, soft, {}, 1.0);
        cv::addWeighted(picture, 1.5, soft, -0.5, 0, picture);
    }
    cv::Mat codes;
    picture.convertTo(codes, CV_8UC3);
    return codes;
}

void write_finished(const simulate::Rendering& rendering, const Style& style, const std::filesystem::path& file) {
    const cv::Mat codes = finished_codes(rendering, style);
    OIIO::ImageSpec spec(codes.cols, codes.rows, 3, OIIO::TypeDesc::UINT8);
    spec["Compression"] = "jpeg:" + std::to_string(style.quality);
    spec["jpeg:subsampling"] = style.half_colour ? "4:2:0" : "4:4:4";
    const auto out = OIIO::ImageOutput::create(file.string());
    if (!out || !out->open(file.string(), spec) || !out->write_image(OIIO::TypeDesc::UINT8, codes.data) ||
        !out->close())
        throw Error(ErrorKind::internal, "the picture could not be written", file);
}

} // namespace refero::bench
