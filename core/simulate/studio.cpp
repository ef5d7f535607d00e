#include "simulate/studio.hpp"

#include <cmath>
#include <numbers>

#include <Eigen/Geometry>

#include "simulate/internal/figures.hpp"

namespace refero::simulate {

namespace {

constexpr double degree = std::numbers::pi / 180;

/// Directions across another one.
std::pair<Point3, Point3> across(const Point3& normal) {
    const Point3 a = normal.cross(std::abs(normal.y()) < 0.9 ? Point3::UnitY() : Point3::UnitX()).normalized();
    return {a, normal.cross(a)};
}

struct Element {
    Point3 at, normal;
    double strength; ///< irradiance at 1 m, facing, on its axis
};

std::vector<Element> elements_of(const Lamp& lamp) {
    const Point3 normal = -lamp.at.normalized();
    const auto [a, b] = across(normal);
    std::vector<Element> all;
    for (int r = 0; r < source_rings; ++r)
        for (int k = 0; k < source_spokes; ++k) { // rings of equal area
            const double radius = lamp.radius_m * std::sqrt((r + 0.5) / source_rings),
                         angle = 2 * std::numbers::pi * k / source_spokes;
            all.push_back({lamp.at + radius * (std::cos(angle) * a + std::sin(angle) * b), normal,
                           lamp.strength / (source_rings * source_spokes)});
        }
    return all;
}

/// Irradiance on a surface from one element.
double from(const Element& e, const Point3& place, const Point3& normal) {
    const Point3 d = place - e.at;
    const double r = d.norm(), out = e.normal.dot(d) / r, in = -normal.dot(d) / r;
    return out > 0 && in > 0 ? e.strength * out * in / (r * r) : 0;
}

std::vector<Element> sources_of(const Studio& s) {
    std::vector<Element> all;
    for (const Lamp& lamp : s.lamps)
        for (const Element& e : elements_of(lamp)) all.push_back(e);
    if (!s.reflector) return all;
    const Reflector& r = *s.reflector;
    const Point3 normal = -r.at.normalized();
    const auto [a, b] = across(normal);
    const double area = std::pow(r.size_m / reflector_cells, 2);
    const std::size_t lamps = all.size();
    for (int i = 0; i < reflector_cells; ++i)
        for (int k = 0; k < reflector_cells; ++k) {
            const Point3 at =
                r.at + r.size_m * (((i + 0.5) / reflector_cells - 0.5) * a + ((k + 0.5) / reflector_cells - 0.5) * b);
            double lit = 0;
            for (std::size_t n = 0; n < lamps; ++n) lit += from(all[n], at, normal);
            // Lambert: radiance = reflectance * irradiance / pi; irradiance at 1 m of an element = radiance * area.
            all.push_back({at, normal, r.reflectance * lit / std::numbers::pi * area});
        }
    return all;
}

} // namespace

LightAt light_at(const Studio& s, const Eigen::Vector2d& place) {
    const double turn = s.chart_turn_deg * degree;
    const Point3 normal(std::sin(turn), 0, std::cos(turn)), right(std::cos(turn), 0, -std::sin(turn));
    const Point3 at = place.x() * right + place.y() * Point3::UnitY();
    const Point3 eye = (Point3(0, 0, s.camera_m) - at).normalized();
    const Point3 mirror = 2 * normal.dot(eye) * normal - eye; // where the eye looks in the surface
    const double spread = s.rough_deg * degree;
    LightAt light;
    for (const Element& e : sources_of(s)) {
        const double lit = from(e, at, normal);
        light.diffuse += lit;
        if (s.gloss <= 0 || lit <= 0) continue;
        const double off = std::acos(std::clamp(mirror.dot((e.at - at).normalized()), -1.0, 1.0));
        // A lobe that holds `gloss` of the light: its peak is over the solid angle 2 pi spread^2; a diffuser's is pi.
        light.mirrored += s.gloss * lit * std::exp(-0.5 * off * off / (spread * spread)) / (2 * spread * spread);
    }
    return light;
}

} // namespace refero::simulate
