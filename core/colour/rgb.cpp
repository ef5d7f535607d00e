#include "colour/rgb.hpp"

#include <algorithm>
#include <cmath>

#include <Eigen/LU>

#include "base/base.hpp"

namespace refero::colour {

namespace {

// f extended to negative arguments as an odd function.
template<class F>
double odd(F f, double x) {
    return x < 0 ? -f(-x) : f(x);
}

double srgb_decode(double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); }
double srgb_encode(double l) { return l <= 0.0031308 ? 12.92 * l : 1.055 * std::pow(l, 1 / 2.4) - 0.055; }
double bt709_decode(double v) { return v < 0.081 ? v / 4.5 : std::pow((v + 0.099) / 1.099, 1 / 0.45); }
double bt709_encode(double l) { return l < 0.018 ? 4.5 * l : 1.099 * std::pow(l, 0.45) - 0.099; }

double romm_decode(double v) { return v < 16.0 / 512 ? v / 16 : std::pow(v, 1.8); }
double romm_encode(double l) { return l < 1.0 / 512 ? 16 * l : std::pow(l, 1 / 1.8); }

constexpr double hlg_a = 0.17883277;
constexpr double hlg_b = 1 - 4 * hlg_a;
const double hlg_c = 0.5 - hlg_a * std::log(4 * hlg_a);
double hlg_decode(double v) { return v <= 0.5 ? v * v / 3 : (std::exp((v - hlg_c) / hlg_a) + hlg_b) / 12; }
double hlg_encode(double l) { return l <= 1.0 / 12 ? std::sqrt(3 * l) : hlg_a * std::log(12 * l - hlg_b) + hlg_c; }

constexpr double pq_m1 = 2610.0 / 16384, pq_m2 = 2523.0 / 4096 * 128;
constexpr double pq_c1 = 3424.0 / 4096, pq_c2 = 2413.0 / 4096 * 32, pq_c3 = 2392.0 / 4096 * 32;
double pq_decode(double v) {
    const double p = std::pow(std::max(v, 0.0), 1 / pq_m2);
    return std::pow(std::max(p - pq_c1, 0.0) / (pq_c2 - pq_c3 * p), 1 / pq_m1);
}
double pq_encode(double l) {
    const double p = std::pow(std::max(l, 0.0), pq_m1);
    return std::pow((pq_c1 + pq_c2 * p) / (1 + pq_c3 * p), pq_m2);
}

constexpr double cct_slope = 10.5402377416545, cct_offset = 0.0729055341958355;
double acescct_decode(double v) {
    return v <= 0.155251141552511 ? (v - cct_offset) / cct_slope : std::exp2(v * 17.52 - 9.72);
}
double acescct_encode(double l) { return l <= 0.0078125 ? cct_slope * l + cct_offset : (std::log2(l) + 9.72) / 17.52; }

const std::vector<std::pair<Transfer, std::string_view>> transfer_names{
    {Transfer::linear, "linear"}, {Transfer::srgb, "srgb"},   {Transfer::bt709, "bt709"},
    {Transfer::bt1886, "bt1886"}, {Transfer::oprgb, "oprgb"}, {Transfer::romm, "romm"},
    {Transfer::hlg, "hlg"},       {Transfer::pq, "pq"},       {Transfer::acescct, "acescct"}};

} // namespace

double decode(Transfer transfer, double v) {
    switch (transfer) {
    case Transfer::linear: return v;
    case Transfer::srgb: return odd(srgb_decode, v);
    case Transfer::bt709: return odd(bt709_decode, v);
    case Transfer::bt1886: return odd([](double x) { return std::pow(x, 2.4); }, v);
    case Transfer::oprgb: return odd([](double x) { return std::pow(x, 563.0 / 256); }, v);
    case Transfer::romm: return odd(romm_decode, v);
    case Transfer::hlg: return odd(hlg_decode, v);
    case Transfer::pq: return pq_decode(v);
    case Transfer::acescct: return acescct_decode(v);
    }
    return v;
}

double encode(Transfer transfer, double l) {
    switch (transfer) {
    case Transfer::linear: return l;
    case Transfer::srgb: return odd(srgb_encode, l);
    case Transfer::bt709: return odd(bt709_encode, l);
    case Transfer::bt1886: return odd([](double x) { return std::pow(x, 1 / 2.4); }, l);
    case Transfer::oprgb: return odd([](double x) { return std::pow(x, 256.0 / 563); }, l);
    case Transfer::romm: return odd(romm_encode, l);
    case Transfer::hlg: return odd(hlg_encode, l);
    case Transfer::pq: return pq_encode(l);
    case Transfer::acescct: return acescct_encode(l);
    }
    return l;
}

Transfer transfer_named(std::string_view name) {
    std::string all;
    for (const auto& [transfer, known] : transfer_names) {
        if (known == name) return transfer;
        all += (all.empty() ? "" : " ") + std::string(known);
    }
    throw Error(ErrorKind::usage, "unknown encoding '" + std::string(name) + "'", {}, "Known: " + all);
}

std::string_view name_of(Transfer transfer) {
    return std::find_if(transfer_names.begin(), transfer_names.end(),
                        [&](const auto& entry) { return entry.first == transfer; })
        ->second;
}

Mat3 RgbSpace::to_xyz() const {
    if (name == "xyz-d50") return Mat3::Identity();
    Mat3 p;
    p << xyz_from(red), xyz_from(green), xyz_from(blue);
    const Vec3 s = p.inverse() * xyz_from(white);
    return p * s.asDiagonal();
}

Mat3 RgbSpace::to_xyz_d50() const {
    if (name == "xyz-d50") return Mat3::Identity();
    return adaptation(xyz_from(white), white_d50) * to_xyz();
}

const std::vector<RgbSpace>& rgb_spaces() {
    constexpr Chromaticity d65{0.3127, 0.3290};
    static const std::vector<RgbSpace> spaces{
        {"srgb", {0.64, 0.33}, {0.30, 0.60}, {0.15, 0.06}, d65, Transfer::srgb},             // IEC 61966-2-1
        {"display-p3", {0.680, 0.320}, {0.265, 0.690}, {0.150, 0.060}, d65, Transfer::srgb}, // SMPTE EG 432-1
        {"oprgb", {0.64, 0.33}, {0.21, 0.71}, {0.15, 0.06}, d65, Transfer::oprgb},           // IEC 61966-2-5
        {"bt709", {0.64, 0.33}, {0.30, 0.60}, {0.15, 0.06}, d65, Transfer::bt709},           // ITU-R BT.709-6
        {"linear-bt709", {0.64, 0.33}, {0.30, 0.60}, {0.15, 0.06}, d65, Transfer::linear},
        {"bt2020", {0.708, 0.292}, {0.170, 0.797}, {0.131, 0.046}, d65, Transfer::bt709}, // ITU-R BT.2020-2
        {"romm", {0.7347, 0.2653}, {0.1596, 0.8404}, {0.0366, 0.0001}, {0.3457, 0.3585}, Transfer::romm}, // ISO 22028-2
        {"acescg", {0.713, 0.293}, {0.165, 0.830}, {0.128, 0.044}, {0.32168, 0.33767}, Transfer::linear}, // S-2014-004
        {"xyz-d50", {}, {}, {}, {0.34567, 0.35851}, Transfer::linear}};
    return spaces;
}

const RgbSpace& rgb_space(std::string_view name) {
    std::string all;
    for (const RgbSpace& space : rgb_spaces()) {
        if (space.name == name) return space;
        all += (all.empty() ? "" : " ") + space.name;
    }
    throw Error(ErrorKind::usage, "unknown colour space '" + std::string(name) + "'", {}, "Known: " + all);
}

} // namespace refero::colour
