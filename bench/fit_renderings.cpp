// Renderings by kinds of work on surfaces of their kind and elsewhere: refero-fit-bench SEED --renderings
#include <iostream>
#include <map>
#include <mutex>

#include "fit_set.hpp"

namespace refero::bench {

void renderings(std::uint64_t seed, bool with_spectra) {
    const chart::Definition d = chart::find_definition("grid24");
    constexpr int count = 2000;
    struct Family {
        const char* name;
        fit::Intent kind;
        std::vector<Spectrum> surfaces;
    };
    const std::vector<Family> families{{"skins", fit::Intent::people, skins(count, 400 + seed)},
                                       {"dyes", fit::Intent::textiles, dyed_papers(count, 200 + seed)},
                                       {"plants", fit::Intent::plants, plants(count, 500 + seed)},
                                       {"pigments", fit::Intent::paint, pigment_mixtures(count, 100 + seed)}};
    const std::vector<Spectrum> patches = chart_spectra(d, chart::reference_of(d), 300 + seed);
    const Eigen::Matrix3Xd patch_xyz = xyz_of(patches);
    chart::Reference reference;
    for (std::size_t i = 0; i < patches.size(); ++i) {
        reference.xyz[d.patches[i].id] = patch_xyz.col(static_cast<Eigen::Index>(i));
        if (with_spectra) reference.spectrum[d.patches[i].id] = patches[i];
    }
    const auto bodies_all = bodies();
    const auto lamps_all = lamps();
    // By rendering and family: mean CIEDE2000, all bodies and lamps alike.
    std::map<fit::Intent, std::vector<double>> left;
    for (const fit::Intent intent : fit::all_intents) left[intent].assign(families.size(), 0);
    std::vector<Eigen::Matrix3Xd> truth;
    for (const Family& f : families) truth.push_back(xyz_of(f.surfaces));
    std::vector<double> floor(families.size(), 0); // what any smooth function can do that knows this family alone
    std::mutex mutex;
    tbb::parallel_for(std::size_t{0}, bodies_all.size() * lamps_all.size(), [&](std::size_t n) {
        const Body& body = bodies_all[n / lamps_all.size()];
        const Spectrum& light = lamps_all[n % lamps_all.size()].second;
        Eigen::Matrix<double, 3, Spectrum::size> e;
        for (Eigen::Index c = 0; c < 3; ++c)
            e.row(c) = body.sensitivity[static_cast<std::size_t>(c)].vector().cwiseProduct(light.vector()).transpose();
        e /= e.rowwise().sum().maxCoeff();
        const Eigen::Matrix3Xd rgb = through(e, patches);
        read::Reading reading;
        reading.chart = "grid24";
        for (Eigen::Index i = 0; i < rgb.cols(); ++i) {
            read::PatchReading p{d.patches[static_cast<std::size_t>(i)].id};
            p.pixels = 400;
            for (Eigen::Index c = 0; c < 3; ++c) {
                const auto k = static_cast<std::size_t>(c);
                p.mean[k] = 0.8 * rgb(c, i);
                p.sd[k] = p.noise[k] = std::sqrt(p.mean[k] / 40000 + 1e-8);
                p.error[k] = p.sd[k] / 20;
            }
            reading.patches.push_back(p);
        }
        const Vec3 white = e.rowwise().sum();
        for (std::size_t f = 0; f < families.size(); ++f) {
            const Eigen::Matrix3Xd seen = through(e, families[f].surfaces);
            const double mean = floor_of(seen.array().colwise() / white.array(), truth[f], 0, count / 4).mean;
            const std::lock_guard lock(mutex);
            floor[f] += mean;
        }
        for (const fit::Intent intent : fit::all_intents) {
            fit::Settings settings;
            settings.intent = intent;
            const fit::Correction c = fit::build(reading, reference, &d, settings);
            for (std::size_t f = 0; f < families.size(); ++f) {
                const Eigen::Matrix3Xd seen = through(e, families[f].surfaces);
                const double mean = errors(truth[f], [&](Eigen::Index i) { return c(0.8 * seen.col(i)); }).mean;
                const std::lock_guard lock(mutex);
                left[intent][f] += mean;
            }
        }
    });
    std::cout << "floor    ";
    for (std::size_t f = 0; f < families.size(); ++f)
        std::cout << formatted("  {} {:.3f}", families[f].name,
                               floor[f] / static_cast<double>(bodies_all.size() * lamps_all.size()));
    std::cout << "\n";
    const auto& even = left.at(fit::Intent::even);
    for (const auto& [intent, sums] : left) {
        std::cout << formatted("{:<9}", fit::name_of(intent));
        double own = 1, elsewhere = 0, elsewhere_even = 0;
        for (std::size_t f = 0; f < families.size(); ++f) {
            std::cout << formatted("  {} {:.3f}", families[f].name,
                                   sums[f] / static_cast<double>(bodies_all.size() * lamps_all.size()));
            if (families[f].kind == intent) own = sums[f] / even[f];
            else elsewhere += sums[f], elsewhere_even += even[f];
        }
        if (intent != fit::Intent::even)
            std::cout << formatted("; of even's on its kind {:.3f}, elsewhere {:.3f}", own, elsewhere / elsewhere_even);
        std::cout << "\n";
    }
}

} // namespace refero::bench
