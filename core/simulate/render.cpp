// Geometry and light: a noise-free camera RGB picture of a scene.
#include <cmath>
#include <numbers>
#include <random>

#include <Eigen/Geometry>
#include <Eigen/LU>
#include <opencv2/imgproc.hpp>
#include <tbb/parallel_for.h>

#include "simulate/internal/figures.hpp"
#include "simulate/simulate.hpp"

namespace refero::simulate {

using chart::Corners;
using chart::Homography;
using chart::Point;

namespace {

constexpr double deg = std::numbers::pi / 180;

float hash(std::uint32_t x, std::uint32_t y, std::uint32_t seed) {
    std::uint32_t h = x * 0x9E3779B1u ^ y * 0x85EBCA77u ^ seed * 0xC2B2AE3Du;
    h ^= h >> 15, h *= 0x2C1B3C6Du, h ^= h >> 12, h *= 0x297A2D39u, h ^= h >> 15;
    return static_cast<float>(h) * 0x1p-32f;
}

// Value noise: a factor about 1.
float texture_factor(const Texture& t, int x, int y, std::uint32_t seed) {
    if (t.amplitude <= 0) return 1;
    const float s = static_cast<float>(1 / t.scale_px);
    const float fx = static_cast<float>(x) * s, fy = static_cast<float>(y) * s;
    const auto ix = static_cast<std::uint32_t>(fx), iy = static_cast<std::uint32_t>(fy);
    const float u = fx - static_cast<float>(ix), v = fy - static_cast<float>(iy);
    const float top = std::lerp(hash(ix, iy, seed), hash(ix + 1, iy, seed), u);
    const float bottom = std::lerp(hash(ix, iy + 1, seed), hash(ix + 1, iy + 1, seed), u);
    return 1 + static_cast<float>(t.amplitude) * 2 * (std::lerp(top, bottom, v) - 0.5f);
}

using Rgb = Eigen::Vector3f;

/// Something that covers part of the picture: coverage 0 to 1 at a pixel's centre, edges one pixel soft.
struct Layer {
    int x0, y0, x1, y1; // pixels that may be covered, half open
    Rgb colour;
    Texture texture;
    std::function<float(double, double)> coverage;
    bool in_front = false;
};

float soft(double distance_px) { return static_cast<float>(std::clamp(0.5 - distance_px, 0.0, 1.0)); }

double capsule_distance(double x, double y, Point a, Point b, double radius_a, double radius_b) {
    const Point d = b - a, p = Point(x, y) - a;
    const double t = std::clamp(p.dot(d) / std::max(1e-9, d.squaredNorm()), 0.0, 1.0);
    return (p - t * d).norm() - std::lerp(radius_a, radius_b, t);
}

struct Twig {
    Point a, b;
    double ra, rb;
};

// A branching thallus in a box of 2 hw x 2 hh, growing upwards.
std::vector<Twig> grow(double hw, double hh, int branches, std::uint64_t seed) {
    std::mt19937_64 random(seed);
    const auto uniform = [&](double low, double high) {
        return low + (high - low) * (static_cast<double>(random() >> 11) * 0x1p-53);
    };
    std::vector<Twig> twigs;
    std::function<void(Point, double, double, double, int)> branch = [&](Point p, double angle, double length,
                                                                         double radius, int level) {
        const int steps = 5;
        for (int i = 0; i < steps; ++i) {
            angle += uniform(-0.16, 0.16);
            const Point q = p + length / steps * Point(std::cos(angle), -std::sin(angle));
            if (std::abs(q.x()) > hw || std::abs(q.y()) > hh) return;
            twigs.push_back({p, q, radius * (1 - 0.12 * i), radius * (1 - 0.12 * (i + 1))});
            p = q;
            if (level > 0)
                branch(p, angle + (i % 2 ? 1 : -1) * uniform(0.4, 0.8), length * uniform(0.42, 0.6), radius * 0.62,
                       level - 1);
        }
    };
    for (int b = 0; b < branches; ++b) {
        const double spread = branches == 1 ? 0 : -0.9 + 1.8 * b / (branches - 1);
        branch({0, hh}, std::numbers::pi / 2 + spread, 1.5 * hh * uniform(0.7, 1.0), std::max(1.2, 0.035 * hw), 2);
    }
    return twigs;
}

std::vector<Layer> layers_of(const Object& o, const Scene& s, std::uint64_t seed, const Rgb& colour) {
    const double cx = o.x * s.width, cy = o.y * s.height;
    const double hw = o.width * s.width / 2, hh = o.height * s.width / 2;
    const double c = std::cos(o.rotation_deg * deg), n = std::sin(o.rotation_deg * deg);
    const auto boxed = [&](double reach_x, double reach_y, double px, double py,
                           std::function<float(double, double)> f) {
        return Layer{std::max(0, static_cast<int>(px - reach_x - 2)),
                     std::max(0, static_cast<int>(py - reach_y - 2)),
                     std::min(s.width, static_cast<int>(px + reach_x + 3)),
                     std::min(s.height, static_cast<int>(py + reach_y + 3)),
                     colour,
                     o.texture,
                     std::move(f)};
    };
    const auto local = [=](double x, double y) {
        return Point(c * (x - cx) + n * (y - cy), -n * (x - cx) + c * (y - cy));
    };
    if (o.shape == Object::Shape::frond) {
        std::vector<Layer> all;
        for (const Twig& t : grow(hw, hh, o.branches, seed)) {
            const auto place = [&](Point p) { return Point(cx + c * p.x() - n * p.y(), cy + n * p.x() + c * p.y()); };
            const Point a = place(t.a), b = place(t.b), mid = (a + b) / 2;
            const Point reach = (a - b).cwiseAbs() / 2 + Point::Constant(t.ra);
            all.push_back(boxed(reach.x(), reach.y(), mid.x(), mid.y(), [=](double x, double y) {
                return 0.88f * soft(capsule_distance(x, y, a, b, t.ra, t.rb)); // pressed: a little see-through
            }));
        }
        return all;
    }
    const double reach = std::hypot(hw, hh);
    return {boxed(reach, reach, cx, cy, [=, shape = o.shape](double x, double y) {
        const Point p = local(x, y).cwiseAbs();
        if (shape == Object::Shape::rectangle) return soft(std::max(p.x() - hw, p.y() - hh));
        if (shape == Object::Shape::ellipse) return soft((Point(p.x() / hw, p.y() / hh).norm() - 1) * std::min(hw, hh));
        const double half_width = hh * (1 - (p.x() / hw) * (p.x() / hw)); // leaf: two parabolas
        return soft(std::max(p.x() - hw, p.y() - half_width));
    })};
}

} // namespace

static Corners corners_of(const ChartInScene& c, const Scene& s) {
    const chart::Definition& d = c.definition;
    const double long_side = std::max(s.width, s.height);
    const double focal_px = s.focal_35mm_mm / 36.0 * long_side;
    const double distance = focal_px * d.width_mm / (c.width * s.width); // mm
    // The line of sight to the chart's middle; the chart is turned so that it faces along that line, then tilted.
    const Eigen::Vector3d sight((c.x - 0.5) * s.width / focal_px, (c.y - 0.5) * s.height / focal_px, 1);
    const Eigen::Vector3d axis(std::cos(c.tilt_axis_deg * deg), std::sin(c.tilt_axis_deg * deg), 0);
    const Eigen::Matrix3d turn =
        (Eigen::Quaterniond::FromTwoVectors(Eigen::Vector3d::UnitZ(), sight) *
         Eigen::AngleAxisd(c.tilt_deg * deg, axis) * Eigen::AngleAxisd(c.rotation_deg * deg, Eigen::Vector3d::UnitZ()))
            .toRotationMatrix();
    const Eigen::Vector3d centre = sight.normalized() * distance;
    const double hw = d.width_mm / 2, hh = d.height_mm / 2, side = c.mirrored ? -1 : 1;
    Corners q;
    const double xs[] = {-hw, hw, hw, -hw}, ys[] = {-hh, -hh, hh, hh};
    for (int i = 0; i < 4; ++i) {
        const Eigen::Vector3d p = centre + turn * Eigen::Vector3d(side * xs[i], ys[i], 0);
        if (p.z() <= 0.01 * distance) throw Error(ErrorKind::input, "a chart lies behind the camera");
        q[static_cast<std::size_t>(i)] = {focal_px * p.x() / p.z() + s.width / 2.0,
                                          focal_px * p.y() / p.z() + s.height / 2.0};
    }
    return q;
}

// A chart as one layer that gives body, patches and gaps by the place on the chart.
static void draw_chart(const ChartInScene& c, const Corners& corners, const std::vector<Rgb>& patches, const Rgb& body,
                       int y, int x0, int x1, float* row) {
    const chart::Definition& d = c.definition;
    const Homography to_mm = chart::pixels_from_mm(d, corners).inverse();
    for (int x = x0; x < x1; ++x) {
        const Point p = to_mm({x + 0.5, y + 0.5});
        const Point q = to_mm({x + 1.5, y + 0.5});
        const double px = 1 / std::max(1e-9, (q - p).norm()); // pixels a millimetre here
        const auto inside = [&](double x_mm, double y_mm, double w, double h) {
            const double dx = std::max(x_mm - p.x(), p.x() - x_mm - w), dy = std::max(y_mm - p.y(), p.y() - y_mm - h);
            return soft(std::max(dx, dy) * px);
        };
        const float on_body =
            inside(-body_margin_mm, -body_margin_mm, d.width_mm + 2 * body_margin_mm, d.height_mm + 2 * body_margin_mm);
        if (on_body <= 0) continue;
        Eigen::Map<Rgb> pixel(row + static_cast<std::size_t>(x) * 3);
        pixel += on_body * (body - pixel);
        for (std::size_t i = 0; i < d.patches.size(); ++i) {
            const chart::Patch& patch = d.patches[i];
            const float on = inside(patch.x_mm, patch.y_mm, patch.w_mm, patch.h_mm);
            if (on > 0) pixel += on * (patches[i] - pixel);
            if (on >= 1) break;
        }
    }
}

static TrueChart truth_of(const ChartInScene& c, const Corners& corners, const Scene& s,
                          const std::vector<float>& rgb) {
    TrueChart t;
    t.chart = c.definition.id;
    t.corners = corners;
    t.mirrored = chart::signed_area(corners) < 0;
    t.frame_fraction = std::abs(chart::signed_area(corners)) / (static_cast<double>(s.width) * s.height);
    t.tilt_deg =
        c.corners ? chart::tilt_deg(c.definition, corners, s.width, s.height, s.focal_35mm_mm) : std::abs(c.tilt_deg);
    const Homography map = chart::pixels_from_mm(c.definition, corners);
    for (const chart::Patch& p : c.definition.patches) {
        TruePatch truth{p.id};
        Eigen::Array3d sum = Eigen::Array3d::Zero(), squares = Eigen::Array3d::Zero();
        int clipped = 0, inside = 0;
        for (int v = 0; v < truth_samples; ++v)
            for (int u = 0; u < truth_samples; ++u) {
                const Point q = map({p.x_mm + p.w_mm * (0.25 + 0.5 * (u + 0.5) / truth_samples),
                                     p.y_mm + p.h_mm * (0.25 + 0.5 * (v + 0.5) / truth_samples)});
                const int x = static_cast<int>(std::floor(q.x())), y = static_cast<int>(std::floor(q.y()));
                if (x < 0 || y < 0 || x >= s.width || y >= s.height) continue;
                const Eigen::Array3d value =
                    Eigen::Map<const Rgb>(&rgb[(static_cast<std::size_t>(y) * s.width + x) * 3]).cast<double>();
                ++inside;
                clipped += (value >= 1).any();
                sum += value.min(1);
                squares += value.min(1).square();
            }
        if (inside) {
            const Eigen::Array3d mean = sum / inside, sd = (squares / inside - mean.square()).max(0).sqrt();
            for (int k = 0; k < 3; ++k) {
                truth.mean[static_cast<std::size_t>(k)] = mean[k];
                truth.sd[static_cast<std::size_t>(k)] = sd[k];
            }
            truth.clipped = static_cast<double>(clipped) / inside;
        }
        const Corners central = chart::patch_quad(p, map, 0.5);
        truth.pixels = static_cast<int>(std::abs(chart::signed_area(central)));
        t.patches.push_back(truth);
    }
    return t;
}

/// The same scene, evenly lit by another light, without what is added to it after.
static std::vector<float> lit_by(const Scene& s, const Spectrum& light, const std::stop_token& stop) {
    Scene under = s;
    under.light = light;
    under.studio.reset();
    under.second_light.reset();
    under.shadows.clear();
    under.sheens.clear();
    under.veil = 0;
    under.blur_px = 0;
    return render(under, stop).rgb;
}

/// What some lamps of a studio do to the frame, on the plane of the first chart: worked out on a grid and laid between.
struct Lit {
    cv::Mat diffuse, mirrored;
    Rgb white;
};
static Lit lit_of(const Scene& s, const Studio& studio, const Spectrum& light, const Homography& to_mm) {
    const chart::Definition& d = s.charts.front().definition;
    const int columns = s.width / studio_step_px + 2, rows = s.height / studio_step_px + 2;
    cv::Mat diffuse(rows, columns, CV_32F), mirrored(rows, columns, CV_32F);
    tbb::parallel_for(0, rows, [&](int y) {
        for (int x = 0; x < columns; ++x) {
            const Point mm = to_mm({(x + 0.5) * studio_step_px, (y + 0.5) * studio_step_px});
            const LightAt at = light_at(studio, {(mm.x() - d.width_mm / 2) / 1000, (d.height_mm / 2 - mm.y()) / 1000});
            diffuse.at<float>(y, x) = static_cast<float>(at.diffuse);
            mirrored.at<float>(y, x) = static_cast<float>(at.mirrored);
        }
    });
    const cv::Size size(columns * studio_step_px, rows * studio_step_px);
    Lit lit{.white = (s.white * s.camera.response(Spectrum::constant(1), light)).cast<float>()};
    cv::resize(diffuse, lit.diffuse, size, 0, 0, cv::INTER_LINEAR);
    cv::resize(mirrored, lit.mirrored, size, 0, 0, cv::INTER_LINEAR);
    return lit;
}

/// Lamps of the scene's light together, those of their own each by itself: light adds up.
static void light_by_studio(Rendering& r, const Corners& corners, const std::stop_token& stop) {
    const Scene& s = r.scene;
    const Homography to_mm = chart::pixels_from_mm(s.charts.front().definition, corners).inverse();
    const std::vector<float> even = r.rgb;
    std::fill(r.rgb.begin(), r.rgb.end(), 0.0f);
    const auto add = [&](const Studio& studio, const Spectrum& light, const std::vector<float>& rgb) {
        const Lit lit = lit_of(s, studio, light, to_mm);
        for (int y = 0; y < s.height; ++y)
            for (int x = 0; x < s.width; ++x) {
                const std::size_t at =
                    (static_cast<std::size_t>(y) * static_cast<std::size_t>(s.width) + static_cast<std::size_t>(x)) * 3;
                Eigen::Map<Rgb>(&r.rgb[at]) += lit.diffuse.at<float>(y, x) * Eigen::Map<const Rgb>(&rgb[at]) +
                                               lit.mirrored.at<float>(y, x) * lit.white;
            }
    };
    Studio common = *s.studio;
    std::erase_if(common.lamps, [](const Lamp& lamp) { return lamp.light.has_value(); });
    if (!common.lamps.empty()) add(common, s.light, even);
    for (const Lamp& lamp : s.studio->lamps) {
        if (!lamp.light) continue;
        Studio alone = *s.studio;
        alone.lamps = {lamp};
        add(alone, *lamp.light, lit_by(s, *lamp.light, stop));
    }
}

// Second light, shadows, sheens and stray light, in this order.
static void add_faults(Rendering& r, const std::stop_token& stop) {
    const Scene& s = r.scene;
    const Rgb white = (s.white * s.camera.response(Spectrum::constant(1), s.light)).cast<float>();
    std::vector<float> other;
    if (s.second_light) other = lit_by(s, s.second_light->light, stop);
    if (other.empty() && s.shadows.empty() && s.sheens.empty() && s.veil <= 0) return;
    tbb::parallel_for(0, s.height, [&](int y) {
        float* row = &r.rgb[static_cast<std::size_t>(y) * s.width * 3];
        for (int x = 0; x < s.width; ++x) {
            Eigen::Map<Rgb> pixel(row + static_cast<std::size_t>(x) * 3);
            const double u = (x + 0.5) / s.width - 0.5, v = (y + 0.5) / s.height - 0.5;
            if (!other.empty()) {
                const double a = s.second_light->angle_deg * deg;
                const auto share = static_cast<float>(s.second_light->share *
                                                      std::clamp(0.5 + u * std::cos(a) + v * std::sin(a), 0.0, 1.0));
                pixel = (1 - share) * pixel +
                        share * Eigen::Map<const Rgb>(&other[(static_cast<std::size_t>(y) * s.width + x) * 3]);
            }
            for (const Shadow& shadow : s.shadows) {
                const double a = shadow.angle_deg * deg;
                const double beyond =
                    (x + 0.5 - shadow.x * s.width) * std::cos(a) + (y + 0.5 - shadow.y * s.height) * std::sin(a);
                pixel *=
                    static_cast<float>(std::exp2(-shadow.stops * std::clamp(0.5 + beyond / shadow.soft_px, 0.0, 1.0)));
            }
            for (const Sheen& sheen : s.sheens) {
                const double dx = (x + 0.5) / s.width - sheen.x,
                             dy = ((y + 0.5) / s.height - sheen.y) * s.height / s.width;
                pixel += static_cast<float>(sheen.strength *
                                            std::exp(-0.5 * (dx * dx + dy * dy) / (sheen.size * sheen.size))) *
                         white;
            }
            pixel += static_cast<float>(s.veil) * white;
        }
    });
}

Rendering render(const Scene& s, std::stop_token stop) {
    Rendering r;
    r.scene = s;
    r.rgb.resize(static_cast<std::size_t>(s.width) * s.height * 3);
    const auto seen = [&](const Spectrum& reflectance) {
        return Rgb((s.white * s.camera.response(reflectance, s.light)).cast<float>());
    };

    std::vector<Layer> layers;
    for (std::size_t i = 0; i < s.objects.size(); ++i)
        for (Layer& layer : layers_of(s.objects[i], s, s.seed * 1000 + i, seen(s.objects[i].reflectance))) {
            layer.in_front = s.objects[i].in_front;
            layers.push_back(std::move(layer));
        }
    std::vector<Corners> corners;
    std::vector<std::vector<Rgb>> patch_colours;
    for (const ChartInScene& c : s.charts) {
        corners.push_back(c.corners ? *c.corners : corners_of(c, s));
        patch_colours.emplace_back();
        for (std::size_t i = 0; i < c.reflectance.size(); ++i) {
            const auto faded = c.faded.find(c.definition.patches[i].id);
            patch_colours.back().push_back(seen(c.reflectance[i]) *
                                           static_cast<float>(faded == c.faded.end() ? 1 : faded->second));
        }
    }
    const Rgb body = seen(Spectrum::constant(0.035));
    const Rgb background = seen(s.background);
    const double half_diagonal = std::hypot(s.width, s.height) / 2;
    const double fall_x = std::cos(s.falloff_deg * deg) / s.width, fall_y = std::sin(s.falloff_deg * deg) / s.height;

    tbb::parallel_for(0, s.height, [&](int y) {
        if (stop.stop_requested()) return;
        float* row = &r.rgb[static_cast<std::size_t>(y) * s.width * 3];
        for (int x = 0; x < s.width; ++x) {
            const float f = texture_factor(s.background_texture, x, y, static_cast<std::uint32_t>(s.seed));
            Eigen::Map<Rgb>(row + static_cast<std::size_t>(x) * 3) = f * background;
        }
        const auto draw_layers = [&](bool in_front) {
            for (std::size_t i = 0; i < layers.size(); ++i) {
                const Layer& layer = layers[i];
                if (layer.in_front != in_front || y < layer.y0 || y >= layer.y1) continue;
                for (int x = layer.x0; x < layer.x1; ++x) {
                    const float on = layer.coverage(x + 0.5, y + 0.5);
                    if (on <= 0) continue;
                    Eigen::Map<Rgb> pixel(row + static_cast<std::size_t>(x) * 3);
                    const float f = texture_factor(layer.texture, x, y, static_cast<std::uint32_t>(s.seed + 17 + i));
                    pixel += on * (f * layer.colour - pixel);
                }
            }
        };
        draw_layers(false);
        for (std::size_t i = 0; i < s.charts.size(); ++i) {
            const chart::Definition& d = s.charts[i].definition;
            const Homography map = chart::pixels_from_mm(d, corners[i]);
            double x0 = s.width, x1 = 0, y0 = s.height, y1 = 0;
            for (const Point& p : {map({-11, -11}), map({d.width_mm + 11, -11}),
                                   map({d.width_mm + 11, d.height_mm + 11}), map({-11, d.height_mm + 11})}) {
                x0 = std::min(x0, p.x());
                x1 = std::max(x1, p.x());
                y0 = std::min(y0, p.y());
                y1 = std::max(y1, p.y());
            }
            if (y < y0 - 2 || y > y1 + 2) continue;
            draw_chart(s.charts[i], corners[i], patch_colours[i], body, y,
                       std::clamp(static_cast<int>(x0) - 2, 0, s.width),
                       std::clamp(static_cast<int>(x1) + 3, 0, s.width), row);
        }
        draw_layers(true);
        for (int x = 0; x < s.width; ++x) {
            const double dx = (x + 0.5 - s.width / 2.0) / half_diagonal,
                         dy = (y + 0.5 - s.height / 2.0) / half_diagonal;
            const double along = (x + 0.5 - s.width / 2.0) * fall_x + (y + 0.5 - s.height / 2.0) * fall_y;
            const auto gain =
                static_cast<float>(std::exp2(-s.vignetting_stops * (dx * dx + dy * dy) - s.falloff_stops * along));
            for (int c = 0; c < 3; ++c) row[3 * x + c] *= gain;
        }
    });
    throw_if_stopped(stop);
    if (s.studio && !s.charts.empty()) light_by_studio(r, corners.front(), stop);
    add_faults(r, stop);
    if (s.blur_px > 0) {
        cv::Mat image(s.height, s.width, CV_32FC3, r.rgb.data());
        cv::GaussianBlur(image, image, {}, s.blur_px, s.blur_px, cv::BORDER_REPLICATE);
    }
    for (std::size_t i = 0; i < s.charts.size(); ++i) r.charts.push_back(truth_of(s.charts[i], corners[i], s, r.rgb));
    return r;
}

} // namespace refero::simulate
