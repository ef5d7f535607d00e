// A light before it is hired.
#include <cmath>

#include "practice/practice.hpp"

namespace refero::practice {

double spectral_similarity(const colour::Spectrum& test, const colour::Spectrum& reference) {
    constexpr int first_nm = 375, step_nm = 10, count = 30;
    const auto value_at = [](const colour::Spectrum& s, double nm) {
        const double at = std::clamp((nm - colour::Spectrum::first_nm) / colour::Spectrum::step_nm, 0.0,
                                     static_cast<double>(colour::Spectrum::size - 1));
        const int low = std::min(static_cast<int>(at), colour::Spectrum::size - 2);
        return s[low] + (at - low) * (s[low + 1] - s[low]);
    };
    const auto bands = [&](const colour::Spectrum& s) { // 375 to 675 nm in tens, ends counted half
        std::vector<double> sums(count);
        double total = 0;
        for (int i = 0; i < count; ++i) {
            for (int k = 0; k <= step_nm; ++k)
                sums[static_cast<std::size_t>(i)] +=
                    (k == 0 || k == step_nm ? 0.5 : 1) * value_at(s, first_nm + i * step_nm + k);
            total += sums[static_cast<std::size_t>(i)];
        }
        for (double& v : sums) v /= total;
        return sums;
    };
    const std::vector<double> t = bands(test), r = bands(reference);
    std::vector<double> off(count + 2, 0.0); // padded with zeros
    for (int i = 0; i < count; ++i) {
        constexpr double first[] = {12 / 45.0, 22 / 45.0, 32 / 45.0, 40 / 45.0, 44 / 45.0};
        double weight = 1;
        if (i < 5) weight = first[i];
        if (i == count - 2) weight = 11 / 15.0;
        if (i == count - 1) weight = 3 / 15.0;
        const auto at = static_cast<std::size_t>(i);
        off[at + 1] = weight * (t[at] - r[at]) / (r[at] + 1.0 / count);
    }
    double sum = 0;
    for (int i = 0; i < count + 2; ++i) {
        const auto value = [&](int k) { return k < 0 || k >= count + 2 ? 0 : off[static_cast<std::size_t>(k)]; };
        const double smooth = 0.22 * value(i - 1) + 0.56 * value(i) + 0.22 * value(i + 1);
        sum += smooth * smooth;
    }
    return std::round(100 - 32 * std::sqrt(sum));
}

} // namespace refero::practice
