// Robust statistics that several rooms need.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

namespace refero {

/// Standard deviation of normally distributed values over their median absolute deviation, 1 / quantile(3/4).
inline constexpr double sd_per_mad = 1.4826;

/// The middle value, of an even count the upper one of the two; `values` must not be empty. Reorders its copy only.
template<class T>
T median(std::vector<T> values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// The middle value, of an even count the mean of the two; `values` must not be empty.
inline double mean_median(std::vector<double> values) {
    std::sort(values.begin(), values.end());
    const std::size_t n = values.size();
    return n % 2 ? values[n / 2] : (values[n / 2 - 1] + values[n / 2]) / 2;
}

/// Robust standard deviation about a centre: of normal values it is their standard deviation.
template<class T>
double robust_sd(std::vector<T> values, T centre) {
    for (T& v : values) v = std::abs(v - centre);
    return sd_per_mad * static_cast<double>(median(std::move(values)));
}

} // namespace refero
