// What is foretold of unseen colours, against what becomes of them; docs/benchmarks.md.
//   refero-foretell-bench [SEED]
#include <iostream>

#include "fit/foretell.hpp"
#include "fit_set.hpp"

using namespace refero;
using namespace refero::bench;

namespace {

struct Count {
    std::vector<double> errors, radii;
    int held = 0;
    void add(double error, double radius) {
        errors.push_back(error);
        radii.push_back(radius);
        held += error <= radius;
    }
    double coverage() const { return 100.0 * held / static_cast<double>(errors.size()); }
};

void print(const char* name, const Count& all, const std::vector<Count>& cases) {
    double least = 100;
    for (const Count& c : cases) least = std::min(least, c.coverage());
    const fit::Statistics s = fit::statistics(all.errors), r = fit::statistics(all.radii);
    std::cout << formatted(
        "{:<40} median {:.2f}  p95 {:.2f}; radius median {:.2f}; held {:.1f} %, least of a camera and light {:.0f} %\n",
        name, s.median, s.p95, r.median, all.coverage(), least);
}

} // namespace

int main(int argc, char** argv) {
    const auto seed = static_cast<std::uint64_t>(argc > 1 ? std::atoi(argv[1]) : 1);
    const chart::Definition d = chart::find_definition("grid24");
    const chart::Reference reference = chart::reference_of(d);
    const std::vector<Spectrum> patches = chart_spectra(d, reference, seed);
    std::vector<Spectrum> surfaces = pigment_mixtures(60, seed + 7);
    for (auto more : {dyed_papers(40, seed + 8), skins(20, seed + 9), plants(20, seed + 10)})
        surfaces.insert(surfaces.end(), more.begin(), more.end());
    const Eigen::Matrix3Xd truth = xyz_of(surfaces);
    Draw random(seed);
    Count measured, together, expected, known;
    std::vector<Count> measured_cases, expected_cases, known_cases;
    std::vector<std::vector<fit::Foretelling::Measured>> of_surface(surfaces.size());
    for (const Body& body : bodies())
        for (const auto& [name, lamp] : lamps()) {
            Eigen::Matrix<double, 3, Spectrum::size> e;
            for (int c = 0; c < 3; ++c)
                e.row(c) = (body.sensitivity[static_cast<std::size_t>(c)] * lamp).vector().transpose();
            e *= 0.8 / e.rowwise().sum().maxCoeff();
            read::Reading reading;
            reading.chart = d.id;
            for (std::size_t i = 0; i < d.patches.size(); ++i) {
                read::PatchReading p{.id = d.patches[i].id, .pixels = 400};
                const Vec3 rgb = e * patches[i].vector();
                for (std::size_t c = 0; c < 3; ++c) {
                    const double noise = 0.003 * std::sqrt(rgb[static_cast<Eigen::Index>(c)]);
                    p.mean[c] = rgb[static_cast<Eigen::Index>(c)] + noise / 20 * random.normal();
                    p.sd[c] = p.noise[c] = noise;
                    p.error[c] = noise / 20;
                }
                reading.patches.push_back(p);
            }
            const fit::Correction correction =
                fit::build(reading, reference, &d, {.model = fit::Model::spectral, .alone = true});
            const fit::Foretelling foretold(correction);
            Count m, x, k;
            for (std::size_t i = 0; i < surfaces.size(); ++i) {
                const auto column = static_cast<Eigen::Index>(i);
                const Vec3 rgb = e * surfaces[i].vector();
                const auto one = foretold.measured(rgb, 0.00015 * rgb.cwiseSqrt());
                m.add(difference(one.xyz, truth.col(column)), one.radius);
                of_surface[i].push_back(one);
                const auto aim = foretold.expected(truth.col(column));
                x.add(difference(aim.delivered, correction(rgb)), aim.radius);
                const auto spectral = foretold.expected(truth.col(column), &surfaces[i]);
                k.add(difference(spectral.delivered, correction(rgb)), spectral.radius);
            }
            const auto join = [](Count& all, const Count& more) {
                all.errors.insert(all.errors.end(), more.errors.begin(), more.errors.end());
                all.radii.insert(all.radii.end(), more.radii.begin(), more.radii.end());
                all.held += more.held;
            };
            if (std::getenv("REFERO_CASES"))
                std::cout << formatted("{:<9} {:<14} error p95 {:.2f}  radius median {:.2f}  held {:.0f} %  cv {:.2f} "
                                       "unseen {:.2f} p95 {:.2f}\n",
                                       body.name, name, fit::statistics(m.errors).p95, fit::statistics(m.radii).median,
                                       m.coverage(), correction.cross_validated.mean, correction.unseen.mean,
                                       correction.unseen.p95);
            join(measured, m);
            join(expected, x);
            join(known, k);
            measured_cases.push_back(m);
            expected_cases.push_back(x);
            known_cases.push_back(k);
        }
    for (std::size_t i = 0; i < surfaces.size(); ++i) // six pictures of six cameras and lights at a time
        for (std::size_t first = 0; first + 6 <= of_surface[i].size(); first += 6) {
            std::vector<fit::Foretelling::Measured> six;
            for (std::size_t k = 0; k < 6; ++k)
                six.push_back(of_surface[i][(first / 6 + 7 * k) % of_surface[i].size()]);
            const auto all = fit::put_together(six);
            together.add(difference(all.xyz, truth.col(static_cast<Eigen::Index>(i))), all.radius);
        }
    print("measured through the chart beside it", measured, measured_cases);
    print("six of these put together", together, {together});
    print("expected of an aim", expected, expected_cases);
    print("expected of a spectrum", known, known_cases);
    return 0;
}
