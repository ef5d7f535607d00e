// Fits on simulated cameras and lights, tested on surfaces that neither chart nor prior hold; docs/benchmarks.md.
//   refero-fit-bench [SEED] [--broad TIMES] [--list] [--folds N]
#include <atomic>
#include <chrono>
#include <cmath>
#include <iostream>
#include <random>

#include <CLI/CLI.hpp>
#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <Eigen/QR>
#include <opencv2/mcc/ccm.hpp>
#include <tbb/parallel_for.h>

#include "fit/internal/training.hpp" // what no fit may do: train on the tested surfaces
#include "fit_set.hpp"

using namespace refero;
using namespace refero::bench;
using colour::Mat3;
using colour::Spectrum;
using colour::Vec3;

namespace {

/// The same by kernel regression (Nadaraya 1964, Watson 1964): the mean of all others, weighted by a Gaussian of the
/// distance in chromaticity, of the width that does best.
std::array<fit::Statistics, 2> kernel_floors(const Eigen::Matrix3Xd& rgb, const Eigen::Matrix3Xd& xyz,
                                             Eigen::Index each, Eigen::Index tested) {
    const Eigen::Matrix3Xd chroma = rgb.array().rowwise() / rgb.colwise().sum().array(),
                           scaled = xyz.array().rowwise() / rgb.colwise().sum().array();
    std::array<fit::Statistics, 2> best;
    double least = INFINITY;
    for (const double width : {0.0015, 0.002, 0.003, 0.004, 0.006, 0.008, 0.012}) {
        std::array<fit::Statistics, 2> now;
        for (Eigen::Index f = 0; f < 2; ++f) {
            std::vector<double> all(static_cast<std::size_t>(tested));
            tbb::parallel_for(Eigen::Index{0}, tested, [&](Eigen::Index n) {
                const Eigen::Index i = f * each + n;
                Eigen::ArrayXd d = (chroma.colwise() - chroma.col(i)).colwise().squaredNorm();
                d[i] = INFINITY;
                const Eigen::ArrayXd weight = (-0.5 / (width * width) * (d - d.minCoeff()))
                                                  .exp(); // scaled, so that the nearest counts in any case
                all[static_cast<std::size_t>(n)] =
                    difference(xyz.col(i), Vec3(scaled * weight.matrix() / weight.sum() * rgb.col(i).sum()));
            });
            now[static_cast<std::size_t>(f)] = fit::statistics(all);
        }
        if (const double sum = now[0].mean + now[1].mean; sum < least) {
            least = sum;
            best = now;
        }
    }
    return best;
}

/// The best that the spectral model's form can do, folding or not: taught by the tested kinds of surfaces themselves,
/// through the true camera.
fit::Coefficients taught_by(const Eigen::Matrix3Xd& balanced, const Eigen::Matrix3Xd& xyz) {
    fit::Samples s = fit::samples_of(xyz);
    s.phi = fit::features_of(fit::Model::spectral, balanced);
    fit::Coefficients c = fit::solve(s, 1e-6);
    for (int round = 0; round < 3; ++round) { // to the mean difference rather than its square
        for (Eigen::Index i = 0; i < s.size(); ++i)
            s.weight[i] = 1 / std::sqrt(std::pow(fit::delta_e(c, s, i), 2) + 0.25);
        c = fit::solve(s, 1e-6);
    }
    return c;
}

/// The colour-correction module of a general-purpose library, 3 x 3 on CIEDE2000.
Mat3 peer(const Eigen::Matrix3Xd& rgb, const Eigen::Matrix3Xd& xyz) {
    cv::Mat source(static_cast<int>(rgb.cols()), 1, CV_64FC3), reference(static_cast<int>(rgb.cols()), 1, CV_64FC3);
    for (Eigen::Index i = 0; i < rgb.cols(); ++i) {
        const Vec3 lab = colour::lab_from_xyz(xyz.col(i));
        source.at<cv::Vec3d>(static_cast<int>(i)) = {rgb(0, i), rgb(1, i), rgb(2, i)};
        reference.at<cv::Vec3d>(static_cast<int>(i)) = {lab[0], lab[1], lab[2]};
    }
    cv::ccm::ColorCorrectionModel model(source, reference, cv::ccm::COLOR_SPACE_Lab_D50_2);
    model.setColorSpace(cv::ccm::COLOR_SPACE_sRGB);
    model.setLinear(cv::ccm::LINEARIZATION_IDENTITY);
    model.setCCM_TYPE(cv::ccm::CCM_3x3);
    model.setDistance(cv::ccm::DISTANCE_CIE2000);
    model.run();
    const cv::Mat m = model.getCCM();
    Mat3 ccm; // rows of colours times this
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c) ccm(r, c) = m.at<double>(r, c);
    return colour::rgb_space("linear-bt709").to_xyz_d50() * ccm.transpose();
}

/// Cases whose least squares lie no further from the floor are not asked for a share of so little, CIEDE2000.
constexpr double least_room = 0.1;

void print(const char* name, const std::vector<fit::Statistics>& all, const std::vector<fit::Statistics>& base,
           const std::vector<fit::Statistics>& least) {
    double mean = 0, p95 = 0, share = 0, pooled_base = 0, pooled_floor = 0;
    int with_room = 0;
    for (std::size_t i = 0; i < all.size(); ++i) {
        mean += all[i].mean;
        p95 += all[i].p95;
        pooled_base += base[i].mean;
        pooled_floor += least[i].mean;
        if (const double room = base[i].mean - least[i].mean; room > least_room) {
            share += (base[i].mean - all[i].mean) / room;
            ++with_room;
        }
    }
    const auto n = static_cast<double>(all.size());
    std::cout << formatted("{:<34} mean {:.3f}  p95 {:.2f}  share closed {:5.1f} % in {} cases with room (of the "
                           "pooled distance {:5.1f} %)\n",
                           name, mean / n, p95 / n, 100 * share / std::max(1, with_room), with_room,
                           100 * (pooled_base - mean) / (pooled_base - pooled_floor));
}

/// Every model on so many random cameras and lights: does its slope change its sign on 33^3 colours from 1/64 to 1?
void count_folds(int count, std::uint64_t seed) {
    const chart::Definition d = chart::find_definition("grid24");
    const chart::Reference reference = chart::reference_of(d);
    std::vector<Spectrum> patches;
    for (const chart::Patch& p : d.patches) patches.push_back(colour::smooth_reflectance(reference.xyz.at(p.id)));
    const auto lights = lamps();
    struct Count {
        int fits = 0, folded = 0, stiffened = 0, withdrawn = 0;
    };
    std::map<std::string, Count> counts;
    Draw random(500 + seed);
    for (int i = 0; i < count; ++i) {
        Eigen::Matrix<double, 3, Spectrum::size> e;
        constexpr double centres[3][2] = {{575, 630}, {515, 565}, {430, 485}};
        for (int c = 0; c < 3; ++c) {
            const double centre = random(centres[c][0], centres[c][1]), left = random(15, 50), right = random(15, 50),
                         leak = random(0, 0.3), at = random(420, 650);
            e.row(c) = ((bell(centre, left, right) + bell(at, 30, 30, leak)) *
                        lights[static_cast<std::size_t>(i) % lights.size()].second)
                           .vector()
                           .transpose();
        }
        e *= 0.8 / e.rowwise().sum().maxCoeff();
        const Eigen::Matrix3Xd rgb = through(e, patches);
        read::Reading reading;
        for (Eigen::Index p = 0; p < rgb.cols(); ++p)
            reading.patches.push_back({d.patches[static_cast<std::size_t>(p)].id,
                                       {rgb(0, p), rgb(1, p), rgb(2, p)},
                                       {0.002, 0.002, 0.002},
                                       0,
                                       900});
        const auto chosen = fit::build(reading, reference, &d, {});
        for (const fit::Candidate& k : chosen.candidates) {
            Count& n = counts[fit::name_of(k.model)];
            ++n.fits;
            if (!k.withdrawn.empty()) {
                ++n.withdrawn;
                continue;
            }
            n.stiffened += k.kept < 1;
            fit::Settings settings;
            settings.model = k.model;
            const auto c = k.model == chosen.model ? chosen : fit::build(reading, reference, &d, settings);
            const double sign = fit::slope(c.model, c.coefficients, Vec3::Ones()).determinant();
            std::atomic<bool> folded = false;
            tbb::parallel_for(0, 33, [&](int r) {
                const auto level = [](int i) { return 1.0 / 64 + (1 - 1.0 / 64) * i / 32; };
                for (int g = 0; g < 33 && !folded; ++g)
                    for (int b = 0; b < 33; ++b)
                        if (fit::slope(c.model, c.coefficients, Vec3(level(r), level(g), level(b))).determinant() *
                                sign <=
                            0)
                            folded = true;
            });
            n.folded += folded;
        }
    }
    for (const auto& [name, n] : counts)
        std::cout << formatted("{:<18} {} fits: folded {}, stiffened {}, withdrawn {}\n", name, n.fits, n.folded,
                               n.stiffened, n.withdrawn);
}

} // namespace

int main(int argc, char** argv) {
    CLI::App app("Fits on simulated cameras and lights");
    std::uint64_t seed = 1;
    bool list = false;
    app.add_option("seed", seed);
    int folds = 0;
    bool only_renderings = false;
    app.add_flag("--renderings", only_renderings, "what renderings leave on surfaces of their kind");
    app.add_flag("--list", list, "every case");
    app.add_option("--broad", broad, "bands of all surfaces so many times as broad");
    app.add_option("--folds", folds, "only look for folds, with so many random cameras");
    CLI11_PARSE(app, argc, argv);
    if (only_renderings) {
        for (const bool with_spectra : {true, false}) {
            std::cout << (with_spectra ? "chart with spectra\n" : "chart of XYZ only\n");
            renderings(seed, with_spectra);
        }
        return 0;
    }
    if (folds > 0) return count_folds(folds, seed), 0;

    const chart::Definition d = chart::find_definition("grid24");
    const chart::Reference nominal = chart::reference_of(d);
    constexpr int tested = 300, large = 3000;
    const std::vector<std::vector<Spectrum>> families{pigment_mixtures(large, 100 + seed),
                                                      dyed_papers(large, 200 + seed)};
    const char* family_names[] = {"pigments", "dyes"};
    std::vector<Eigen::Matrix3Xd> truth;
    for (const auto& f : families) truth.push_back(xyz_of(f));
    for (std::size_t f = 0; f < families.size(); ++f) {
        double chroma = 0, light = 0;
        for (Eigen::Index i = 0; i < tested; ++i) {
            const Vec3 lch = colour::lch_from(colour::lab_from_xyz(truth[f].col(i)));
            chroma += lch[1] / tested;
            light += lch[0] / tested;
        }
        std::cout << formatted("{}: {} surfaces tested, mean L* {:.0f}, mean chroma {:.0f}\n", family_names[f], tested,
                               light, chroma);
    }
    const std::vector<Spectrum> patches = chart_spectra(d, nominal, 300 + seed);
    const Eigen::Matrix3Xd patch_xyz = xyz_of(patches);
    chart::Reference xyz_only, spectral;
    for (std::size_t i = 0; i < patches.size(); ++i) {
        const std::string& id = d.patches[i].id;
        xyz_only.xyz[id] = spectral.xyz[id] = patch_xyz.col(static_cast<Eigen::Index>(i));
        spectral.spectrum[id] = patches[i];
    }

    enum Method { least_squares, root_polynomial, library, auto_xyz, auto_spectral, taught, methods };
    const char* names[] = {
        "least squares 3 x 3",    "root-polynomial 2, least squares", "the library's 3 x 3 on CIEDE2000",
        "auto, reference of XYZ", "auto, spectral reference",         "the spectral form taught by these"};
    std::array<std::array<std::vector<fit::Statistics>, methods>, 2> real;
    std::array<std::vector<fit::Statistics>, 2> least, by_kernel;
    std::array<int, 2> close{}, foretold{}, worse{}, seen_worse{}, close_whole{}, worse_whole{}, foretold_whole{};
    std::array<double, 2> ratio{};
    std::array<double, 2> most_worse{-1, -1};
    int cases = 0, odd = 0, stiffened = 0, withdrawn = 0;
    double seconds = 0, longest = 0;
    std::map<std::string, int> chosen;
    std::map<std::string, std::vector<double>> kept, gains;
    Draw random(400 + seed);
    for (const Body& body : bodies())
        for (const auto& [lamp, light] : lamps()) {
            Eigen::Matrix<double, 3, Spectrum::size> e;
            for (int c = 0; c < 3; ++c)
                e.row(c) = (body.sensitivity[static_cast<std::size_t>(c)] * light).vector().transpose();
            e /= e.rowwise().sum().maxCoeff();
            std::array<fit::Statistics, 2> floors;
            std::array<Eigen::Matrix3Xd, 2> seen;
            Eigen::Matrix3Xd all_seen(3, 2 * large), all_truth(3, 2 * large);
            for (std::size_t f = 0; f < 2; ++f) seen[f] = through(e, families[f]);
            all_seen << seen[0], seen[1];
            all_truth << truth[0], truth[1];
            const Eigen::Matrix3Xd balanced_all = all_seen.array().colwise() / e.rowwise().sum().array();
            for (std::size_t f = 0; f < 2; ++f)
                floors[f] = floor_of(balanced_all, all_truth, static_cast<Eigen::Index>(f) * large, tested);
            const auto kernel = kernel_floors(balanced_all, all_truth, large, tested);
            const fit::Coefficients by_these = taught_by(balanced_all, all_truth);
            for (const double white : {0.8, 0.2, 0.05}) {
                read::Reading reading;
                reading.chart = "grid24";
                Eigen::Matrix3Xd rgb = through(e, patches);
                for (Eigen::Index i = 0; i < rgb.cols(); ++i) {
                    read::PatchReading p{d.patches[static_cast<std::size_t>(i)].id};
                    p.pixels = 400;
                    for (Eigen::Index c = 0; c < 3; ++c) {
                        const double signal = white * rgb(c, i), noise = std::sqrt(signal / 40000 + 1e-8),
                                     error = noise / std::sqrt(400.0);
                        p.mean[static_cast<std::size_t>(c)] = signal + error * random.normal();
                        p.sd[static_cast<std::size_t>(c)] = p.noise[static_cast<std::size_t>(c)] = noise;
                        p.error[static_cast<std::size_t>(c)] = error;
                        rgb(c, i) = p.mean[static_cast<std::size_t>(c)] / white;
                    }
                    reading.patches.push_back(p);
                }
                ++cases;
                const Mat3 plain = (rgb * rgb.transpose()).ldlt().solve(rgb * patch_xyz.transpose()).transpose();
                Eigen::MatrixXd phi(6, rgb.cols());
                for (Eigen::Index i = 0; i < rgb.cols(); ++i)
                    phi.col(i) = fit::features(fit::Model::root_polynomial_2, rgb.col(i));
                const Eigen::MatrixXd roots =
                    phi.transpose().colPivHouseholderQr().solve(patch_xyz.transpose()).transpose();
                const auto start = std::chrono::steady_clock::now();
                const fit::Correction with_xyz = fit::build(reading, xyz_only, &d, {});
                const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
                seconds += took;
                longest = std::max(longest, took);
                const fit::Correction with_spectra = fit::build(reading, spectral, &d, {});
                ++chosen["xyz: " + fit::name_of(with_xyz.model)];
                ++chosen["spectral: " + fit::name_of(with_spectra.model)];
                for (const auto* c : {&with_xyz, &with_spectra}) {
                    odd += !c->odd.empty();
                    for (const auto& k : c->candidates) {
                        stiffened += k.kept < 1;
                        withdrawn += !k.withdrawn.empty();
                        kept[fit::name_of(k.model) + (k.withdrawn.empty() ? " kept" : " withdrawn")].push_back(k.kept);
                        gains[fit::name_of(k.model)].push_back(k.noise_gain);
                    }
                }
                // The peer wants exposure and balance done.
                Eigen::Matrix3Xd balanced = rgb;
                for (Eigen::Index i = 0; i < rgb.cols(); ++i)
                    balanced.col(i) = with_xyz.balance(Vec3(white * rgb.col(i)));
                const Mat3 theirs = peer(balanced, patch_xyz);
                std::array<double, methods> whole{}; // over both families
                std::string line = formatted("{:<9} {:<14} {:.2f} ", body.name, lamp, white);
                for (std::size_t f = 0; f < 2; ++f) {
                    const Eigen::Matrix3Xd t = truth[f].leftCols(tested);
                    const auto& s = seen[f];
                    const fit::Statistics now[] = {
                        errors(t, [&](Eigen::Index i) { return Vec3(plain * s.col(i)); }),
                        errors(t,
                               [&](Eigen::Index i) {
                                   return Vec3(roots * fit::features(fit::Model::root_polynomial_2, s.col(i)));
                               }),
                        errors(t,
                               [&](Eigen::Index i) { return Vec3(theirs * with_xyz.balance(Vec3(white * s.col(i)))); }),
                        errors(t, [&](Eigen::Index i) { return with_xyz(white * s.col(i)); }),
                        errors(t, [&](Eigen::Index i) { return with_spectra(white * s.col(i)); }),
                        errors(t, [&](Eigen::Index i) {
                            return Vec3(by_these * fit::features(fit::Model::spectral,
                                                                 Vec3(balanced_all.col(
                                                                     static_cast<Eigen::Index>(f) * large + i))));
                        })};
                    for (int m = 0; m < methods; ++m) {
                        real[f][static_cast<std::size_t>(m)].push_back(now[m]);
                        whole[static_cast<std::size_t>(m)] += now[m].mean / 2;
                        line += formatted(" {:.2f}", now[m].mean);
                    }
                    least[f].push_back(floors[f]);
                    by_kernel[f].push_back(kernel[f]);
                    line += formatted(" ({:.2f}) |", floors[f].mean);
                    const double better = std::min(now[least_squares].mean, now[root_polynomial].mean);
                    for (std::size_t k = 0; k < 2; ++k) {
                        const double over = now[auto_xyz + static_cast<int>(k)].mean / better - 1;
                        worse[k] += over > 0.04;
                        seen_worse[k] += over > 0.04 && over * better > 0.05;
                        most_worse[k] = std::max(most_worse[k], over);
                        const double stated = (k ? with_spectra : with_xyz).cross_validated.mean /
                                              now[auto_xyz + static_cast<int>(k)].mean;
                        close[k] += stated > 0.65 && stated < 1.35;
                        const double expected =
                            (k ? with_spectra : with_xyz).unseen.mean / now[auto_xyz + static_cast<int>(k)].mean;
                        foretold[k] += expected > 0.65 && expected < 1.35;
                        ratio[k] += expected / (2 * 144);
                    }
                }
                for (std::size_t k = 0; k < 2; ++k) {
                    const double its = whole[auto_xyz + k],
                                 stated = (k ? with_spectra : with_xyz).cross_validated.mean / its;
                    const double expected = (k ? with_spectra : with_xyz).unseen.mean / its;
                    foretold_whole[k] += expected > 0.65 && expected < 1.35;
                    worse_whole[k] += its > 1.04 * std::min(whole[least_squares], whole[root_polynomial]);
                    close_whole[k] += stated > 0.65 && stated < 1.35;
                }
                if (list)
                    std::cout << line << " cv "
                              << formatted("{:.2f} {:.2f} ", with_xyz.cross_validated.mean,
                                           with_spectra.cross_validated.mean)
                              << fit::name_of(with_xyz.model) << " " << fit::name_of(with_spectra.model) << std::endl;
            }
        }
    for (std::size_t f = 0; f < 2; ++f) {
        std::cout << "\n" << family_names[f] << ", " << cases << " cases\n";
        for (int m = 0; m < methods; ++m)
            print(names[m], real[f][static_cast<std::size_t>(m)], real[f][least_squares], least[f]);
        print("the floor, local linear regression", least[f], real[f][least_squares], least[f]);
        std::cout << "against the floor of kernel regression:\n";
        for (const Method m : {root_polynomial, library, auto_xyz, auto_spectral})
            print(names[m], real[f][m], real[f][least_squares], by_kernel[f]);
        print("that floor", by_kernel[f], real[f][least_squares], by_kernel[f]);
    }
    std::cout << "\n";
    for (std::size_t k = 0; k < 2; ++k)
        std::cout << formatted(
            "{}: over 4 % worse than the better simple model in {} of {} (at most {:.1f} %; by over 0.05 in {}), over "
            "both families together in {} of {};\n"
            "  left-out figure within 35 % of the real one in {:.0f} %, of both families together in {:.0f} %; the "
            "expected one in {:.0f} %, of both together in {:.0f} % (mean ratio {:.2f})\n",
            names[auto_xyz + static_cast<int>(k)], worse[k], 2 * cases, 100 * most_worse[k], seen_worse[k],
            worse_whole[k], cases, 100.0 * close[k] / (2 * cases), 100.0 * close_whole[k] / cases,
            100.0 * foretold[k] / (2 * cases), 100.0 * foretold_whole[k] / cases, ratio[k]);
    for (const auto& [name, n] : chosen) std::cout << "chosen with " << name << ": " << n << "\n";
    for (const auto& [name, all] : kept)
        std::cout << formatted("{:<28} {:4}, whole {:4}, mean share kept {:.2f}\n", name, all.size(),
                               std::count(all.begin(), all.end(), 1.0),
                               std::accumulate(all.begin(), all.end(), 0.0) / static_cast<double>(all.size()));
    for (const auto& [name, all] : gains)
        std::cout << formatted("noise gain of {:<18} median {:.1f}, most {:.1f}\n", name, fit::statistics(all).median,
                               fit::statistics(all).max);
    std::cout << formatted("patches taken for odd in {} fits, models stiffened {}, withdrawn {}\nall candidates with "
                           "cross-validation: mean {:.0f} ms, longest {:.0f} ms\n",
                           odd, stiffened, withdrawn, 1000 * seconds / cases, 1000 * longest);
}
