// Surfaces of kinds of work by what colours them: the priors of renderings. docs/methods.md, Colour models.
#include <algorithm>
#include <cmath>
#include <numbers>
#include <span>
#include <vector>

#include "fit/internal/random.hpp"

namespace refero::fit {

namespace {

using colour::Spectrum;
using Band = Eigen::Array<double, Spectrum::size, 1>;
constexpr int kind_count = 300;

Band wavelengths() {
    Band nm;
    for (int i = 0; i < Spectrum::size; ++i) nm[i] = Spectrum::nm(i);
    return nm;
}
const Band nm = wavelengths();

/// A band of absorption, symmetrical over the wave number: centre in nm, standard deviation in 1000 / cm.
Band absorption(double centre, double sd) { return (-0.5 * ((1e4 / nm - 1e4 / centre) / sd).square()).exp(); }
/// Everything below a wavelength, with a soft edge.
Band below(double edge_nm, double soft_nm) { return (1 + ((nm - edge_nm) / soft_nm).exp()).inverse(); }

/// A table of values every 10 nm.
Band tens(double first_nm, std::span<const double> values) {
    std::vector<double> at;
    for (std::size_t i = 0; i < values.size(); ++i) at.push_back(first_nm + 10 * static_cast<double>(i));
    return Spectrum::from_samples(at, values).vector().array();
}

/// A thick layer of these absorption and scattering coefficients (Kubelka and Munk 1931) under a surface that throws
/// back some light by itself (Saunderson 1942: inner reflection 0.5).
Band thick_layer(const Band& absorbs, const Band& scatters, double gloss) {
    const Band q = absorbs / scatters, inner = 1 + q - (q * (q + 2)).sqrt();
    return gloss + (1 - gloss) * 0.5 * inner / (1 - 0.5 * inner);
}

/// Molar extinction of haemoglobin with and without oxygen, 1 / (cm mol / l), 380 to 780 nm in tens (the compilation of
/// Gratzer and Kollias as published by Prahl 1998).
Band haemoglobin(double oxygen) {
    constexpr double with[] = {109564, 167748, 266232, 466840, 480360, 246072, 102580, 62816, 44480, 33209, 26629,
                               23684,  20933,  20035,  24202,  39957,  53236,  43016,  32613, 44496, 50104, 14401,
                               3200,   1506,   942,    610,    442,    368,    320,    294,   278,   276,   290,
                               314,    348,    390,    446,    518,    586,    650,    710};
    constexpr double without[] = {145232, 167780, 223296, 303956, 407560, 528600, 413280, 103292, 23389, 16156, 14550,
                                  16684,  20862,  25774,  31590,  39036,  46592,  53412,  53788,  45072, 37020, 28324,
                                  14677,  9444,   6510,   5149,   4345,   3750,   3227,   2795,   2408,  2052,  1794,
                                  1540,   1326,   1102,   1116,   1405,   1549,   1312,   1075};
    return oxygen * tens(380, with) + (1 - oxygen) * tens(380, without);
}

/// Melanin over blood in scattering tissue (Jacques 2013: coefficients of melanosomes, of tissue without blood and of
/// scattering by fibres and cells).
Band skin(Random& random) {
    const double melanin = std::exp(random.uniform(std::log(0.01), std::log(0.35))),
                 blood = random.uniform(0.004, 0.06), oxygen = random.uniform(0.4, 0.95),
                 thickness_cm = random.uniform(0.004, 0.009), carotene = random.uniform(0, 1.5),
                 fibres = random.uniform(30, 60), gloss = random.uniform(0.01, 0.035);
    const Band melanosome = 6.6e11 * nm.pow(-3.33), bloodless = 0.244 + 85.3 * (-(nm - 154) / 66.2).exp();
    const Band whole_blood = std::numbers::ln10 * haemoglobin(oxygen) * 150 / 64500; // 150 g/l of 64,500 g/mol
    const Band absorbs =
        blood * whole_blood + (1 - blood) * bloodless + carotene * (absorption(450, 1.3) + 0.8 * absorption(480, 0.8));
    const Band scatters = fibres * (0.4 * (nm / 500).pow(-4) + 0.6 * (nm / 500).pow(-0.9));
    const Band veil = (-2 * thickness_cm * (melanin * melanosome + (1 - melanin) * bloodless)).exp(); // there and back
    // The two fluxes see twice the absorption and three quarters of the reduced scattering.
    return gloss + veil * (thick_layer(2 * absorbs, 0.75 * scatters, 0) * (1 - gloss));
}

/// Chlorophyll in leaves, where its bands are broader than in solution: 400 to 740 nm in tens, of its largest (after
/// the specific absorption of leaf models: Jacquemoud and Baret 1990, Feret et al. 2008; from memory).
Band chlorophyll() {
    constexpr double all[] = {0.60, 0.66, 0.74, 0.82,  0.84, 0.82, 0.80, 0.78, 0.70,  0.57, 0.44, 0.31,
                              0.23, 0.19, 0.18, 0.185, 0.21, 0.25, 0.30, 0.34, 0.36,  0.40, 0.46, 0.51,
                              0.57, 0.67, 0.82, 0.99,  0.98, 0.62, 0.26, 0.11, 0.045, 0.02, 0.008};
    return tens(400, all);
}

/// Leaves, weeds, flowers, fresh and dried, thin or thick, over nothing or over paper: chlorophyll, carotenoids, the
/// brown and red of algae, anthocyanins, and the brown of what is dry, in scattering tissue.
Band plant(Random& random) {
    const auto amount = [&](double chance, double most) {
        const double drawn = random.uniform(0, 1), much = std::exp(random.uniform(-3, 0));
        return drawn < chance ? most * much : 0.0;
    };
    const double green = amount(0.85, 25), yellow = amount(0.9, 8), brown_weed = amount(0.2, 8),
                 red_weed = amount(0.15, 8), flower = amount(0.25, 10), flower_nm = random.uniform(515, 580),
                 dry = amount(0.6, 8), dry_reach = random.uniform(50, 120), ground = random.below(2) ? 0.0 : 0.8,
                 thickness = std::exp(random.uniform(0, 2)), gloss = random.uniform(0.01, 0.04);
    static const Band green_of_leaves = chlorophyll();
    const Band carotenoids = 0.8 * absorption(425, 1) + absorption(449, 0.7) + 0.85 * absorption(480, 0.65);
    const Band fucoxanthin = absorption(460, 1.4) + 0.7 * absorption(525, 1.1);
    const Band red_algae =
        absorption(498, 0.7) + 0.9 * absorption(540, 0.9) + absorption(567, 0.45) + 0.4 * absorption(618, 0.7);
    const Band anthocyanin = absorption(flower_nm, 1.5) + 0.25 * absorption(flower_nm - 110, 2);
    const Band tannin = (-(nm - 400) / dry_reach).exp();
    const Band absorbs = 0.03 + green * green_of_leaves + yellow * carotenoids + brown_weed * fucoxanthin +
                         red_weed * red_algae + flower * anthocyanin + dry * tannin;
    const Band a = 1 + absorbs / thickness, b = (a * a - 1).sqrt(), through = b / (b * thickness).tanh();
    return gloss + (1 - gloss) * 0.9 * (1 - ground * (a - through)) / (a - ground + through);
}

/// One to three dyes on bleached or raw fibres: a band with its vibrational shoulder each, and what lies beyond the
/// blue.
Band cloth(Random& random) {
    const double raw = random.uniform(0, 0.5), depth = std::exp(random.uniform(-3, 1.8));
    Band absorbs = 0.004 + 0.15 * raw * (-(nm - 400) / 70).exp();
    const int dyes = 1 + random.below(3);
    for (int i = 0; i < dyes; ++i) {
        const double share = -std::log(random.uniform(1e-9, 1)), centre = random.uniform(390, 690),
                     sd = random.uniform(0.7, 2), shoulder = random.uniform(0.2, 0.9), apart = random.uniform(1, 1.8),
                     second = random.uniform(0, 0.5), second_sd = random.uniform(1.5, 3);
        const double beside = 1e4 / (1e4 / centre + apart), far = 1e4 / (1e4 / centre + random.uniform(5, 9));
        absorbs +=
            depth * share *
            (absorption(centre, sd) + shoulder * absorption(beside, 1.2 * sd) + second * absorption(far, second_sd));
    }
    return thick_layer(absorbs, Band::Constant(1), random.uniform(0, 0.03));
}

/// One to three pigments, with or without white or black: earths and other edges, with a shoulder; blues, greens and
/// violets of bands; a binder that yellows.
Band paint(Random& random) {
    const double white = std::exp(random.uniform(-4, 1)),
                 black = random.uniform(0, 1) < 0.25 ? random.uniform(0, 1) : 0.0, binder = random.uniform(0, 0.08);
    Band absorbs = 0.003 * white + black + binder * (-(nm - 400) / 50).exp(), scatters = Band::Constant(0.15 + white);
    const int pigments = 1 + random.below(3);
    for (int i = 0; i < pigments; ++i) {
        const double much = std::exp(random.uniform(-2.5, 0)), strength = std::exp(random.uniform(-0.7, 1.8)),
                     hides = random.uniform(0.1, 0.5), edge = random.uniform(440, 640), soft = random.uniform(6, 24),
                     shoulder = random.uniform(0, 0.5), centre = random.uniform(420, 690),
                     sd = random.uniform(0.9, 2.4), second_centre = random.uniform(380, 690),
                     second = random.uniform(0, 0.8);
        const bool ends = random.uniform(0, 1) < 0.45;
        absorbs +=
            much * (0.01 + strength * (ends ? Band(below(edge, soft) + shoulder * below(edge + 90, 2 * soft))
                                            : Band(absorption(centre, sd) + second * absorption(second_centre, 2))));
        scatters += much * hides;
    }
    return thick_layer(absorbs, scatters, random.uniform(0.01, 0.04));
}

Reflectances drawn(Band (*one)(Random&), std::uint64_t seed) {
    Random random(seed);
    Reflectances r(Spectrum::size, kind_count);
    for (int i = 0; i < kind_count; ++i) r.col(i) = one(random).max(0.004).min(0.985).matrix();
    return r;
}

} // namespace

const Reflectances& surfaces_of(Intent intent) {
    static const Reflectances none(Spectrum::size, 0), people = drawn(skin, 21), plants = drawn(plant, 22),
                                                       textiles = drawn(cloth, 23), paints = drawn(paint, 24);
    switch (intent) {
    case Intent::people: return people;
    case Intent::plants: return plants;
    case Intent::textiles: return textiles;
    case Intent::paint: return paints;
    case Intent::even: break;
    }
    return none;
}

} // namespace refero::fit
