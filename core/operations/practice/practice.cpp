#include "operations/practice/practice.hpp"

#include <cmath>
#include <random>
#include <sstream>

#include <Eigen/QR>

namespace refero::operations {

namespace fs = std::filesystem;
using colour::Spectrum;
using colour::Vec3;

PracticeFrame make_frame(const simulate::Scene& scene, std::stop_token stop) {
    const struct Scratch {
        fs::path file = fs::temp_directory_path() / ("refero-practice-" + new_uid() + ".dng");
        ~Scratch() {
            std::error_code ignored;
            fs::remove(file, ignored);
            fs::remove(file.string() + ".truth.json", ignored);
            fs::remove(fs::path(file).replace_extension(".truth.json"), ignored);
        }
    } scratch;
    simulate::write(simulate::render(scene, stop), scratch.file);
    PracticeFrame p;
    p.frame = frame::read(scratch.file, {}, stop);
    try {
        p.shot = measure_in(p.frame, {.chart = scene.charts.front().definition.id}, stop);
        p.judgement = judge(p.frame, *p.shot, inspect::limits_for({}));
    } catch (const Error& e) {
        if (e.kind() != ErrorKind::not_found) throw;
        p.judgement.verdict = inspect::Status::reshoot;
        p.judgement.findings.push_back({.check = inspect::Check::found,
                                        .status = inspect::Status::reshoot,
                                        .advice = "No chart was found: show all of it, larger and sharp"});
    }
    return p;
}

frame::Frame preview_of(simulate::Scene scene, int width, std::stop_token stop) {
    const double scale = static_cast<double>(width) / scene.width;
    scene.height = static_cast<int>(scene.height * scale);
    scene.width = width;
    scene.blur_px *= scale;
    const simulate::Rendering r = simulate::render(scene, stop);
    frame::Frame f;
    f.width = f.full_width = scene.width;
    f.height = f.full_height = scene.height;
    f.rgb = r.rgb;
    f.is_raw = f.linear = true;
    const colour::Vec3 white = scene.camera.response(Spectrum::constant(1), scene.light);
    f.as_shot = colour::Vec3(white[1] / white[0], 1, white[1] / white[2]);
    for (float& v : f.rgb) v = std::min(v, 1.0f);
    return f;
}

bool agrees(const practice::Task& task, const practice::Shot& shot, const PracticeFrame& f) {
    const auto alarmed = [&](inspect::Check check) {
        return std::any_of(f.judgement.findings.begin(), f.judgement.findings.end(),
                           [&](const inspect::Finding& finding) {
                               return finding.check == check && inspect::is_alarm(finding.status);
                           });
    };
    using practice::Kind;
    switch (task.kind) {
    case Kind::light_it: return f.judgement.verdict != inspect::Status::pass;
    case Kind::plan_it: return true;
    case Kind::how_much: return f.shot.has_value();
    case Kind::which_patch: {
        if (!f.shot) return false;
        const read::PatchReading* white = f.shot->reading.find("D1");
        const read::PatchReading* grey = f.shot->reading.find(task.about == "dark" ? "D2" : "D3");
        if (!white || !grey || !grey->usable()) return false;
        return task.about == "white clipped" ? white->clipped > read::most_clipped
                                             : white->clipped <= read::most_clipped;
    }
    case Kind::keep_which:
        return !shot.fault ? f.judgement.verdict == inspect::Status::pass
                           : f.judgement.verdict != inspect::Status::pass;
    case Kind::what_wrong:
        // The first finding is what the gate says to mend; a chart that is not found at all is too small or blurred.
        return !f.judgement.findings.empty() && shot.fault && alarmed(*shot.fault) &&
               f.judgement.findings.front().check == *shot.fault;
    }
    return false;
}

PracticeTask prepare(practice::Kind kind, int level, std::uint64_t seed, const std::string& about,
                     std::stop_token stop) {
    constexpr int most_tries = 12;
    PracticeTask made;
    for (made.drawn = 1;; ++made.drawn) {
        throw_if_stopped(stop);
        made.task = practice::make(kind, level, seed + 7919 * static_cast<std::uint64_t>(made.drawn - 1), about);
        made.frames.clear();
        bool holds = true;
        for (const practice::Shot& shot : made.task.shots) {
            made.frames.push_back(make_frame(shot.scene, stop));
            holds = holds && agrees(made.task, shot, made.frames.back());
            if (!holds && made.drawn < most_tries) break;
        }
        if (holds || made.drawn == most_tries) return made;
    }
}

namespace {

constexpr double rehearsed_white = 0.8; ///< of saturation, the perfect diffuser in the largest channel

/// Surfaces of a kind: smooth reflectances about its colours (CIELAB, D50).
std::vector<Spectrum> surfaces(const std::string& kind, int count) {
    std::mt19937_64 random(kind == "skin" ? 1 : kind == "plants" ? 2 : kind == "paint" ? 3 : 4);
    const auto uniform = [&](double low, double high) {
        return low + (high - low) * (static_cast<double>(random() >> 11) * 0x1p-53);
    };
    std::vector<Spectrum> all;
    for (int i = 0; i < count; ++i) {
        if (kind == "paint") {
            all.push_back(simulate::random_reflectance(random()));
            continue;
        }
        Vec3 lab;
        if (kind == "skin") lab = {uniform(32, 78), uniform(8, 20), uniform(11, 26)};
        else if (kind == "plants") lab = {uniform(28, 62), uniform(-28, -6), uniform(12, 44)};
        else { // textiles: any hue, some of them strong
            const double hue = uniform(0, 2 * M_PI), chroma = uniform(5, 48);
            lab = {uniform(22, 80), chroma * std::cos(hue), chroma * std::sin(hue)};
        }
        all.push_back(colour::smooth_reflectance(colour::xyz_from_lab(lab)));
    }
    return all;
}

Vec3 adapted(const Spectrum& reflectance, const Spectrum& light) {
    return colour::adaptation(colour::white_of(light), colour::white_d50) * colour::xyz_of(reflectance, light);
}

/// Pairs that are alike under D50 and part under the light: each surface, and the same with what the observer does not
/// see under D50 added (Wyszecki 1953, metameric blacks).
double metamerism_of(const Spectrum& light) {
    const Spectrum d50 = colour::daylight(5003);
    Eigen::Matrix<double, Spectrum::size, 3> seen;
    for (int k = 0; k < 3; ++k)
        seen.col(k) = colour::observer_1931()[static_cast<std::size_t>(k)].vector().cwiseProduct(d50.vector());
    const Eigen::HouseholderQR<Eigen::Matrix<double, Spectrum::size, 3>> qr(seen);
    const Eigen::MatrixXd basis = qr.householderQ() * Eigen::MatrixXd::Identity(Spectrum::size, 3);
    double sum = 0;
    int pairs = 0;
    const auto bases = surfaces("textiles", 40);
    for (std::size_t i = 0; i < bases.size(); ++i) {
        const Spectrum other = simulate::random_reflectance(900 + i);
        Eigen::VectorXd black = other.vector() - basis * (basis.transpose() * other.vector());
        const double most = black.cwiseAbs().maxCoeff();
        if (!(most > 0)) continue;
        black *= 0.1 / most; // a tenth of reflectance at most
        Spectrum twin = bases[i];
        twin.vector() = (twin.vector() + black).cwiseMax(0).cwiseMin(1);
        const double apart_d50 = colour::delta_e_2000(colour::lab_from_xyz(adapted(bases[i], d50)),
                                                      colour::lab_from_xyz(adapted(twin, d50)));
        if (apart_d50 > 0.3) continue; // it was cut off at 0 or 1
        sum += colour::delta_e_2000(colour::lab_from_xyz(adapted(bases[i], light)),
                                    colour::lab_from_xyz(adapted(twin, light)));
        ++pairs;
    }
    return pairs ? sum / pairs : 0;
}

/// The chart as this camera records it under a light, well exposed, with little noise.
read::Reading reading_of(const simulate::ChartInScene& shown, const simulate::Camera& camera, const Spectrum& light) {
    constexpr double noise = 0.001, pixels = 400;
    read::Reading reading;
    reading.chart = shown.definition.id;
    for (std::size_t i = 0; i < shown.definition.patches.size(); ++i) {
        const Vec3 rgb = rehearsed_white * camera.response(shown.reflectance[i], light);
        read::PatchReading p{shown.definition.patches[i].id};
        for (int c = 0; c < 3; ++c) {
            const auto k = static_cast<std::size_t>(c);
            p.mean[k] = rgb[c];
            p.sd[k] = noise;
            p.error[k] = noise / std::sqrt(pixels);
        }
        p.pixels = static_cast<int>(pixels);
        reading.patches.push_back(p);
    }
    return reading;
}

} // namespace

practice::Rehearsal rehearse(const Thought& thought, std::stop_token stop) {
    simulate::Camera camera = simulate::camera_named("stills-a");
    camera.sensitivity = thought.sensitivity;
    for (Spectrum& channel : camera.sensitivity) channel = channel * thought.lens;
    const simulate::Scene scene = simulate::parse_scene(
        formatted(
            R"({{"refero_scene":1,"size":[300,200],"camera":"stills-a","light":"window","charts":[{{"id":"{}"}}]}})",
            thought.chart),
        "rehearsal");
    const simulate::ChartInScene& shown = scene.charts.front();
    const chart::Reference reference = chart::reference_of(shown.definition);
    const auto correction_under = [&](const Spectrum& light) {
        return fit::build(reading_of(shown, camera, light), reference, &shown.definition, {}, stop);
    };
    const Spectrum d50 = colour::daylight(5003);
    std::map<std::string, std::vector<Spectrum>> tried;
    constexpr int count = 60;
    for (const char* kind : {"skin", "textiles", "plants", "paint"}) tried[kind] = surfaces(kind, count);
    if (!thought.surfaces.empty()) tried["own surfaces"] = thought.surfaces;
    // A correction that is lent is balanced anew, on a grey under this light.
    const auto errors = [&](const fit::Correction& correction, const Vec3& balance) {
        std::map<std::string, double> means;
        for (const auto& [kind, all] : tried) {
            double sum = 0;
            for (const Spectrum& s : all) {
                const Vec3 rgb = rehearsed_white * camera.response(s, thought.light).cwiseProduct(balance);
                sum +=
                    colour::delta_e_2000(colour::lab_from_xyz(adapted(s, d50)), colour::lab_from_xyz(correction(rgb)));
            }
            means[kind] = sum / static_cast<double>(all.size());
        }
        return means;
    };
    practice::Rehearsal r;
    r.delta_e = errors(correction_under(thought.light), Vec3::Ones());
    if (thought.lending) {
        const Spectrum diffuser = Spectrum::constant(1);
        r.lent =
            errors(correction_under(*thought.lending),
                   camera.response(diffuser, *thought.lending).cwiseQuotient(camera.response(diffuser, thought.light)));
    }
    r.light = colour::correlated_temperature(colour::chromaticity_of(colour::white_of(thought.light)));
    const double kelvin = std::clamp(r.light.kelvin, 1500.0, 20000.0);
    r.similarity =
        practice::spectral_similarity(thought.light, kelvin < 4000 ? colour::planck(kelvin) : colour::daylight(kelvin));
    r.metamerism = metamerism_of(thought.light);
    return r;
}

std::vector<Spectrum> load_spectra(const fs::path& file) {
    const std::string text = read_file(file, 4 << 20);
    std::vector<Spectrum> all;
    if (text.find("SPECTRAL_NM") != std::string::npos) {
        const chart::Reference r = chart::load_reference(file);
        if (r.spectrum.empty())
            throw Error(ErrorKind::input, "the table holds no spectrum", file, "Give SPECTRAL_NM columns");
        if (r.spectrum.size() == 3 && r.spectrum.contains("R") && r.spectrum.contains("G") && r.spectrum.contains("B"))
            return {r.spectrum.at("R"), r.spectrum.at("G"), r.spectrum.at("B")};
        for (const auto& [id, spectrum] : r.spectrum) all.push_back(spectrum);
        return all;
    }
    std::vector<double> nm;
    std::vector<std::vector<double>> columns;
    std::istringstream lines(text);
    std::string line;
    int number = 0;
    while (std::getline(lines, line)) {
        ++number;
        for (char& c : line)
            if (c == ',' || c == ';' || c == '\t') c = ' ';
        std::istringstream words(line);
        words.imbue(std::locale::classic());
        double wavelength = NAN;
        if (!(words >> wavelength)) continue; // a heading
        std::vector<double> values;
        for (double v = NAN; words >> v;) values.push_back(v);
        const bool bad = std::any_of(values.begin(), values.end(), [](double v) { return !std::isfinite(v) || v < 0; });
        if (values.empty() || bad || !words.eof() || wavelength < 200 || wavelength > 2500)
            throw Error(ErrorKind::input, formatted("line {}: this is no wavelength in nm and values", number), file,
                        "Give the wavelength in nm, and then values of 0 or more");
        if (!columns.empty() && values.size() != columns.size())
            throw Error(ErrorKind::input,
                        formatted("line {}: {} values, and {} before", number, values.size(), columns.size()), file,
                        "Give as many columns in each line");
        if (!nm.empty() && wavelength <= nm.back())
            throw Error(ErrorKind::input, formatted("line {}: wavelengths do not ascend", number), file,
                        "Sort the table");
        nm.push_back(wavelength);
        columns.resize(values.size());
        for (std::size_t k = 0; k < values.size(); ++k) columns[k].push_back(values[k]);
    }
    if (nm.size() < 8 || nm.front() > 420 || nm.back() < 680)
        throw Error(ErrorKind::input, "the spectrum does not cover what the eye sees", file,
                    "Give at least eight values from 420 nm or less to 680 nm or more");
    for (const std::vector<double>& values : columns) {
        if (std::all_of(values.begin(), values.end(), [](double v) { return v == 0; }))
            throw Error(ErrorKind::input, "a spectrum is zero throughout", file, "Check the table's columns");
        all.push_back(Spectrum::from_samples(nm, values));
    }
    return all;
}

std::array<Spectrum, 3> load_sensitivities(const fs::path& file) {
    const std::vector<Spectrum> all = load_spectra(file);
    if (all.size() != 3)
        throw Error(ErrorKind::input, formatted("a camera has 3 sensitivities, and the table holds {}", all.size()),
                    file, "Give the wavelength in nm, then red, green and blue");
    return {all[0], all[1], all[2]};
}

std::vector<Spectrum> load_shares(const fs::path& file) {
    constexpr double most = 1.2; // a little noise, and surfaces that glow
    std::vector<Spectrum> all = load_spectra(file);
    for (const Spectrum& s : all)
        if (s.vector().maxCoeff() > most)
            throw Error(ErrorKind::input, formatted("a share of {:.3g} is above 1", s.vector().maxCoeff()), file,
                        "Give shares of what falls on it, not percent");
    return all;
}

} // namespace refero::operations
