// Drawing what cameras, lights and surfaces are like; shared by the sources of this room only.
#pragma once

#include <cmath>
#include <numbers>
#include <random>

#include "fit/internal/training.hpp"

namespace refero::fit {

/// Numbers that are the same on every machine.
class Random {
public:
    explicit Random(std::uint64_t seed) : engine_(seed) {}
    double uniform(double low, double high) {
        return low + (high - low) * (static_cast<double>(engine_() >> 11) * 0x1p-53);
    }
    int below(int n) { return std::min(n - 1, static_cast<int>(uniform(0, n))); }
    double normal() {
        return std::sqrt(-2 * std::log(uniform(1e-300, 1))) * std::cos(2 * std::numbers::pi * uniform(0, 1));
    }
    Eigen::Matrix<double, colour::Spectrum::size, 1> normals() {
        Eigen::Matrix<double, colour::Spectrum::size, 1> v;
        for (double& x : v) x = normal();
        return v;
    }

private:
    std::mt19937_64 engine_;
};

} // namespace refero::fit
