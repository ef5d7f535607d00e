// Scenes for the gate's bench: a clean frame of a chart, and what goes wrong with one.
#pragma once

#include <functional>
#include <set>

#include <nlohmann/json.hpp>

#include "chart/chart.hpp"
#include "gate_set.hpp"

namespace refero::bench {

struct Draw {
    std::mt19937_64 random;
    double uniform(double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); }
    template<class T>
    T pick(std::initializer_list<T> all) {
        return *(all.begin() + static_cast<std::ptrdiff_t>(random() % all.size()));
    }
};

/// The limits in force, as the gate has them.
double limit(const char* name);

/// What is in front of the lens and behind it, and how the frame is recorded.
struct Setting {
    std::string kind; ///< families of camera, light and style
    simulate::Camera camera;
    colour::Spectrum light;
    std::uint64_t batch = 0;           ///< of the chart's print; 0: as its values are painted
    std::optional<bench::Style> style; ///< finished pictures only
};

/// Whose cameras, lights and styles: the simulator's own, those that chose limits, or those that are reported.
enum class Whose { own, choosing, reported };
Setting setting_of(Random& r, Whose whose, bool finished);

/// The chart of all scenes from now on, an id or a file.
void use_chart(const std::string& id);
const std::string& chart_in_use();
const chart::Definition& definition();

simulate::Scene realised(const nlohmann::json& scene, const Setting& setting);
/// A frame without a fault: every factor up to half its limit.
nlohmann::json clean(Draw& d);

struct Fault {
    const char* check;
    /// Of `k` times the usual limit, less where no more can be made; names the patches that it lies on.
    std::function<void(nlohmann::json&, Draw&, double& k, std::set<std::string>& patches, const Setting&)> make;
};
std::vector<Fault> faults();

} // namespace refero::bench
