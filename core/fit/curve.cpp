#include "fit/curve.hpp"

#include <algorithm>
#include <cmath>

#include <Eigen/Cholesky>

namespace refero::fit {

namespace {

constexpr int knot_count = 24, table_size = 1024;
constexpr double least_code = 0.015, most_code = 0.985;

struct Point {
    double code, log_light, weight;
    int channel, shot;
};

/// Evenly in this, power laws are straight and logarithms bend gently.
double place_of(double code) { return std::log2(code + 0.03); }

/// Knots between the first and the last code, and the two that a code lies between.
struct Knots {
    double first, step;
    Knots(double low, double high) : first(place_of(low)), step((place_of(high) - place_of(low)) / (knot_count - 1)) {}
    std::pair<int, double> at(double code) const {
        const double x = std::clamp((place_of(code) - first) / step, 0.0, knot_count - 1.0);
        const int i = std::min(static_cast<int>(x), knot_count - 2);
        return {i, x - i};
    }
};

/// Never falling, least squares: Barlow, Bartholomew, Bremner and Brunk 1972.
void pool_adjacent_violators(Eigen::VectorXd& v) {
    std::vector<std::pair<double, int>> pools; // mean, count
    for (const double x : v) {
        pools.emplace_back(x, 1);
        while (pools.size() > 1 && pools[pools.size() - 2].first > pools.back().first) {
            const auto [mean, count] = pools.back();
            pools.pop_back();
            auto& [other, n] = pools.back();
            other = (other * n + mean * count) / (n + count);
            n += count;
        }
    }
    Eigen::Index i = 0;
    for (const auto& [mean, count] : pools)
        for (int k = 0; k < count; ++k) v[i++] = mean;
}

std::vector<Point> points_of(const std::vector<CurveShot>& shots, const chart::Reference& reference,
                             const chart::Definition* definition) {
    std::vector<Point> points;
    for (std::size_t s = 0; s < shots.size(); ++s)
        for (const read::PatchReading& p : shots[s].codes.patches) {
            const auto xyz = reference.xyz.find(p.id);
            if (xyz == reference.xyz.end() || !p.usable()) continue;
            if (xyz->second.y() <= 0 || !balance::is_neutral(definition, p.id, xyz->second)) continue;
            for (int c = 0; c < 3; ++c) {
                const double code = p.mean[static_cast<std::size_t>(c)], sd = p.sd[static_cast<std::size_t>(c)];
                if (!(code > least_code && code < most_code)) continue;
                // Near either end some of the noise is cut off, and its mean is no longer the code's.
                if (code - 2 * sd < 0 || code + 2 * sd > 1) continue;
                points.push_back({code, std::log2(xyz->second.y()) + shots[s].stops.value_or(0),
                                  1 / (1 + std::pow(10 * sd / code, 2)), c, static_cast<int>(s)});
            }
        }
    return points;
}

/// The known curve whose shape is nearest.
void name_nearest(ToneCurve& curve) {
    curve.nearest_stops = INFINITY;
    for (const auto transfer :
         {colour::Transfer::linear, colour::Transfer::srgb, colour::Transfer::bt709, colour::Transfer::bt1886,
          colour::Transfer::oprgb, colour::Transfer::hlg, colour::Transfer::pq, colour::Transfer::acescct}) {
        std::vector<double> off;
        for (int i = 0; i < table_size; ++i) {
            const double code = i / (table_size - 1.0), light = colour::decode(transfer, code);
            if (code >= curve.first_code && code <= curve.last_code && light > 0)
                off.push_back(std::log2(curve.decode(code) / light));
        }
        if (off.size() < 10) continue;
        const double n = static_cast<double>(off.size());
        double mean = 0, spread = 0;
        for (const double v : off) mean += v / n;
        for (const double v : off) spread += (v - mean) * (v - mean) / n;
        if (std::sqrt(spread) < curve.nearest_stops) {
            curve.nearest_stops = std::sqrt(spread);
            curve.nearest = colour::name_of(transfer);
        }
    }
}

} // namespace

double ToneCurve::decode(double code) const {
    const double x = std::clamp(code, 0.0, 1.0) * static_cast<double>(linear.size() - 1);
    const auto i = std::min(static_cast<std::size_t>(x), linear.size() - 2);
    return std::lerp(linear[i], linear[i + 1], x - static_cast<double>(i));
}

ToneCurve estimate_curve(const std::vector<CurveShot>& shots, const chart::Reference& reference,
                         const chart::Definition* definition) {
    const std::vector<Point> points = points_of(shots, reference, definition);
    if (points.size() < 5)
        throw Error(
            ErrorKind::input,
            "only " + std::to_string(points.size()) + " code values of neutrals are usable, too few for a curve", {},
            "Use a chart with a ladder of greys, exposed so that it neither clips nor drowns, or more exposures of it");
    ToneCurve curve;
    curve.points = static_cast<int>(points.size());
    const auto [low, high] = std::minmax_element(points.begin(), points.end(),
                                                 [](const Point& a, const Point& b) { return a.code < b.code; });
    curve.first_code = low->code;
    curve.last_code = high->code;
    if (curve.last_code - curve.first_code < 0.1)
        throw Error(ErrorKind::input, "the neutrals' code values span too little for a curve", {},
                    "Use a chart with a ladder of greys, or more exposures of it");
    const Knots knots(curve.first_code, curve.last_code);

    // Unknowns: log2 light at the knots, then a constant for each channel and each shot.
    const Eigen::Index channels = knot_count, shot = channels + 3,
                       size = shot + static_cast<Eigen::Index>(shots.size());
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(size, size);
    Eigen::VectorXd b = Eigen::VectorXd::Zero(size);
    const auto add = [&](std::initializer_list<std::pair<Eigen::Index, double>> row, double value, double weight) {
        for (const auto& [i, u] : row) {
            b[i] += weight * u * value;
            for (const auto& [k, v] : row) a(i, k) += weight * u * v;
        }
    };
    for (const Point& p : points) {
        const auto [i, t] = knots.at(p.code);
        add({{i, 1 - t}, {i + 1, t}, {channels + p.channel, -1}, {shot + p.shot, -1}}, p.log_light, p.weight);
    }
    const double smooth = 0.02 * static_cast<double>(points.size());
    for (int i = 1; i + 1 < knot_count; ++i) add({{i - 1, 1}, {i, -2}, {i + 1, 1}}, 0, smooth);
    // Channels differ by their balance; shutters and apertures keep their stops to about a tenth.
    for (int c = 0; c < 3; ++c) add({{channels + c, 1}}, 0, 1e-3);
    for (std::size_t s = 0; s < shots.size(); ++s)
        add({{shot + static_cast<Eigen::Index>(s), 1}}, 0, shots[s].stops ? 100.0 : 1e-3);
    const Eigen::LDLT<Eigen::MatrixXd> solver(a);
    Eigen::VectorXd x = solver.solve(b);

    double squares = 0, weights = 0;
    for (const Point& p : points) {
        const auto [i, t] = knots.at(p.code);
        squares +=
            p.weight *
            std::pow((1 - t) * x[i] + t * x[i + 1] - x[channels + p.channel] - x[shot + p.shot] - p.log_light, 2);
        weights += p.weight;
    }
    curve.residual_stops = std::sqrt(squares / weights);
    // By shape: what the constants leave open together is no error of it.
    const Eigen::MatrixXd inverse = solver.solve(Eigen::MatrixXd::Identity(size, size));
    const Eigen::MatrixXd covariance = inverse.topLeftCorner(knot_count, knot_count);
    const Eigen::MatrixXd centred = covariance.rowwise() - covariance.colwise().mean();
    curve.error_stops = curve.residual_stops *
                        std::sqrt(std::max(0.0, (centred.colwise() - centred.rowwise().mean()).trace() / knot_count));

    Eigen::VectorXd f = x.head(knot_count);
    pool_adjacent_violators(f);
    const auto inside = [&](double code) {
        const auto [i, t] = knots.at(code);
        return std::exp2((1 - t) * f[i] + t * f[i + 1]);
    };
    // Above: on along the last slope. Below: straight down to no light at code 0.
    const double end_slope = std::max(0.0, (f[knot_count - 1] - f[knot_count - 3]) / (2 * knots.step));
    for (int i = 0; i < table_size; ++i) {
        const double code = i / (table_size - 1.0);
        double v = code < curve.first_code ? inside(curve.first_code) * code / curve.first_code
                                           : inside(std::min(code, curve.last_code));
        if (code > curve.last_code) v *= std::exp2(end_slope * (place_of(code) - place_of(curve.last_code)));
        curve.linear.push_back(v);
    }
    for (double& v : curve.linear) v /= curve.linear.back();

    name_nearest(curve);
    return curve;
}

void save(const ToneCurve& curve, const std::filesystem::path& file) {
    std::string text = formatted("# Tone curve, code values to linear light; measured from code {:.3f} to {:.3f}, "
                                 "uncertain to {:.3f} stops\nLUT_1D_SIZE {}\n",
                                 curve.first_code, curve.last_code, curve.error_stops, curve.linear.size());
    for (const double v : curve.linear) text += formatted("{:.8f} {:.8f} {:.8f}\n", v, v, v);
    write_whole(file, text);
}

} // namespace refero::fit
