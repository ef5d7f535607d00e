// Renderings by kinds of work on surfaces of their kind and elsewhere: refero-fit-bench SEED --renderings
#include <iostream>
#include <map>

#include "fit_set.hpp"

namespace refero::bench {

void renderings(std::uint64_t seed) {
    const chart::Definition d = chart::find_definition("grid24");
    constexpr int count = 4000;
    const std::vector<std::vector<Spectrum>> families{pigment_mixtures(count, 100 + seed),
                                                      dyed_papers(count, 200 + seed)};
    const std::vector<Spectrum> patches = chart_spectra(d, chart::reference_of(d), 300 + seed);
    const Eigen::Matrix3Xd patch_xyz = xyz_of(patches);
    chart::Reference reference;
    for (std::size_t i = 0; i < patches.size(); ++i) {
        reference.xyz[d.patches[i].id] = patch_xyz.col(static_cast<Eigen::Index>(i));
        reference.spectrum[d.patches[i].id] = patches[i];
    }
    const auto bodies_all = bodies();
    const auto lamps_all = lamps();
    for (std::size_t f = 0; f < families.size(); ++f) {
        const Eigen::Matrix3Xd truth = xyz_of(families[f]);
        std::map<fit::Intent, std::array<double, 4>> sums; // of its kind: rendering, even; elsewhere: rendering, even
        std::map<fit::Intent, int> surfaces;
        for (const fit::Intent intent : fit::all_intents)
            for (Eigen::Index i = 0; i < truth.cols(); ++i) surfaces[intent] += fit::is_of_kind(intent, truth.col(i));
        for (const Body& body : bodies_all)
            for (const auto& [lamp, light] : lamps_all) {
                Eigen::Matrix<double, 3, Spectrum::size> e;
                for (Eigen::Index c = 0; c < 3; ++c)
                    e.row(c) =
                        body.sensitivity[static_cast<std::size_t>(c)].vector().cwiseProduct(light.vector()).transpose();
                e /= e.rowwise().sum().maxCoeff();
                const Eigen::Matrix3Xd rgb = through(e, patches), seen = through(e, families[f]);
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
                std::map<fit::Intent, fit::Correction> fitted;
                for (const fit::Intent intent : fit::all_intents) {
                    fit::Settings settings;
                    settings.intent = intent;
                    fitted.emplace(intent, fit::build(reading, reference, &d, settings));
                }
                for (Eigen::Index i = 0; i < truth.cols(); ++i) {
                    const Vec3 t = truth.col(i), rgb_seen = 0.8 * seen.col(i);
                    const double even = difference(fitted.at(fit::Intent::even)(rgb_seen), t);
                    for (const fit::Intent intent : fit::all_intents) {
                        const std::size_t where = fit::is_of_kind(intent, t) ? 0 : 2;
                        sums[intent][where] += difference(fitted.at(intent)(rgb_seen), t);
                        sums[intent][where + 1] += even;
                    }
                }
            }
        for (const auto& [intent, s] : sums)
            if (intent != fit::Intent::even)
                std::cout << formatted("{:<9} {:<9} of its kind ({:4} surfaces) {:.3f}, elsewhere {:.3f} of even's\n",
                                       f ? "dyes" : "pigments", fit::name_of(intent), surfaces[intent], s[0] / s[1],
                                       s[2] / s[3]);
    }
}

} // namespace refero::bench
