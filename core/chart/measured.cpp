#include "chart/measured.hpp"

#include <charconv>
#include <sstream>

namespace refero::chart {

namespace fs = std::filesystem;
using colour::Spectrum;

namespace {

Spectrum light_of(Conditions::Illuminant illuminant) {
    switch (illuminant) {
    case Conditions::Illuminant::d50: return colour::illuminant_d(50);
    case Conditions::Illuminant::d55: return colour::illuminant_d(55);
    case Conditions::Illuminant::d65: return colour::illuminant_d(65);
    case Conditions::Illuminant::d75: return colour::illuminant_d(75);
    case Conditions::Illuminant::a: return colour::illuminant_a();
    }
    return colour::illuminant_d(50);
}

const std::array<Spectrum, 3>& observer_of(Conditions::Observer observer) {
    return observer == Conditions::Observer::ten_degrees ? colour::observer_1964() : colour::observer_1931();
}

Vec3 xyz_under(const Spectrum& reflectance, const Conditions& c) {
    return colour::xyz_of(reflectance, light_of(c.illuminant), observer_of(c.observer));
}

[[noreturn]] void invalid(const fs::path& file, std::size_t line, const std::string& what, const std::string& remedy) {
    throw Error(ErrorKind::input, "line " + std::to_string(line) + ": " + what, file, remedy);
}

std::vector<std::string> split(const std::string& line, char separator) {
    std::vector<std::string> cells;
    std::string cell;
    bool quoted = false;
    for (const char c : line) {
        if (c == '"') quoted = !quoted;
        else if (c == separator && !quoted) {
            cells.push_back(cell);
            cell.clear();
        } else if (c != '\r') cell += c;
    }
    cells.push_back(cell);
    for (std::string& s : cells) {
        const auto from = s.find_first_not_of(' '), to = s.find_last_not_of(' ');
        s = from == std::string::npos ? "" : s.substr(from, to - from + 1);
    }
    return cells;
}

std::optional<double> number(std::string text, bool decimal_comma) {
    if (decimal_comma)
        for (char& c : text)
            if (c == ',') c = '.';
    double v = 0;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), v);
    if (text.empty() || problem != std::errc() || end != text.data() + text.size() || !std::isfinite(v))
        return std::nullopt;
    return v;
}

Series parse_table(const std::string& text, const fs::path& file, const Conditions& conditions) {
    std::istringstream lines(text);
    std::string line;
    std::size_t at = 0;
    while (std::getline(lines, line) && (++at, line.find_first_not_of(" \r\t") == std::string::npos)) {}
    if (line.starts_with("\xef\xbb\xbf")) line.erase(0, 3);
    char separator = ',';
    std::size_t most = 0;
    for (const char c : {'\t', ';', ','})
        if (const auto n = static_cast<std::size_t>(std::count(line.begin(), line.end(), c)); n > most) {
            most = n;
            separator = c;
        }
    if (most == 0)
        invalid(file, at, "this is neither CGATS nor a table with named columns",
                "Save the measurements as CGATS.17 or CSV, columns named in the first line");

    const std::vector<std::string> names = split(line, separator);
    int id = -1;
    std::array<int, 3> xyz{-1, -1, -1}, lab{-1, -1, -1};
    std::vector<std::pair<int, int>> spectral; // nm, column
    for (std::size_t i = 0; i < names.size(); ++i) {
        const std::string name = to_lower(names[i]);
        const int c = static_cast<int>(i);
        const auto is = [&](std::initializer_list<const char*> all) {
            return std::any_of(all.begin(), all.end(), [&](const char* s) { return name == s; });
        };
        if (is({"id", "sample_id", "sample", "sampleid", "name", "patch", "sample_name"})) id = id < 0 ? c : id;
        else if (is({"x", "xyz_x"})) xyz[0] = c;
        else if (is({"y", "xyz_y"})) xyz[1] = c;
        else if (is({"z", "xyz_z"})) xyz[2] = c;
        else if (is({"l", "l*", "lab_l"})) lab[0] = c;
        else if (is({"a", "a*", "lab_a"})) lab[1] = c;
        else if (is({"b", "b*", "lab_b"})) lab[2] = c;
        else if (const int nm = wavelength_of_column(name)) spectral.emplace_back(nm, c);
    }
    std::sort(spectral.begin(), spectral.end());
    const auto all = [](const std::array<int, 3>& c) { return c[0] >= 0 && c[1] >= 0 && c[2] >= 0; };
    if (!all(xyz) && !all(lab) && spectral.size() < 2)
        invalid(file, at, "no column names are known: X Y Z, L a b, or wavelengths",
                "Name the columns in the first line");

    Series s;
    s.file = file;
    s.named = id >= 0;
    const colour::Mat3 adapt = conditions.standard() ? colour::Mat3(colour::Mat3::Identity())
                                                     : colour::adaptation(conditions.white(), colour::white_d50);
    const Vec3 white = conditions.standard() ? colour::white_d50 : conditions.white();
    while (std::getline(lines, line)) {
        ++at;
        if (line.find_first_not_of(" \r\t,;") == std::string::npos) continue;
        const auto cells = split(line, separator);
        const auto value = [&](int c) {
            const auto v = static_cast<std::size_t>(c) < cells.size()
                               ? number(cells[static_cast<std::size_t>(c)], separator != ',')
                               : std::nullopt;
            if (!v) invalid(file, at, "column " + std::to_string(c + 1) + " is not a number", "Correct this value");
            return *v;
        };
        const std::string name = id >= 0 && static_cast<std::size_t>(id) < cells.size()
                                     ? cells[static_cast<std::size_t>(id)]
                                     : std::to_string(s.ids.size() + 1);
        if (name.empty()) invalid(file, at, "the patch has no name", "Name every patch");
        Vec3 v;
        if (spectral.size() >= 2) {
            std::vector<double> nm, r;
            for (const auto& [w, c] : spectral)
                if (nm.empty() || nm.back() != w) {
                    nm.push_back(w);
                    r.push_back(value(c));
                }
            if (*std::max_element(r.begin(), r.end()) > 2)
                for (double& x : r) x /= 100;
            if (nm.size() < 2) invalid(file, at, "one wavelength is no spectrum", "Give at least two");
            s.spectrum.push_back(Spectrum::from_samples(nm, r));
            v = xyz_under(s.spectrum.back(), conditions);
        }
        if (all(xyz)) v = Vec3(value(xyz[0]), value(xyz[1]), value(xyz[2])) / 100;
        else if (all(lab)) v = colour::xyz_from_lab(Vec3(value(lab[0]), value(lab[1]), value(lab[2])), white);
        s.ids.push_back(name);
        s.xyz.push_back(adapt * v);
        if (s.ids.size() > 10000) invalid(file, at, "there are more than 10000 rows", "Keep the chart's own");
    }
    if (s.ids.empty()) invalid(file, at, "the table has no rows", "Add the measurements");
    return s;
}

Vec3 lab_median(const std::vector<Vec3>& all) {
    Vec3 middle;
    for (int c = 0; c < 3; ++c) {
        std::vector<double> v;
        for (const Vec3& x : all) v.push_back(x[c]);
        std::sort(v.begin(), v.end());
        middle[c] = v.size() % 2 ? v[v.size() / 2] : (v[v.size() / 2 - 1] + v[v.size() / 2]) / 2;
    }
    return middle;
}

} // namespace

Vec3 Conditions::white() const { return xyz_under(Spectrum::constant(1), *this); }

Series load_series(const fs::path& file, const Conditions& conditions) {
    return parse_series(read_file(file, 16 << 20), file, conditions);
}

Series parse_series(const std::string& text, const fs::path& file, const Conditions& conditions) {
    if (text.find('\0') != std::string::npos)
        throw Error(ErrorKind::input, "this is not a text file", file, "Save the measurements as CGATS.17 or CSV");
    if (text.find("BEGIN_DATA_FORMAT") == std::string::npos) return parse_table(text, file, conditions);
    const Reference r = parse_reference(text, file);
    // XYZ and Lab in CGATS are D50 unless told otherwise.
    Series s;
    s.file = file;
    const auto adapt = colour::adaptation(conditions.white(), colour::white_d50);
    for (const auto& [id, xyz] : r.xyz) {
        const auto spectrum = r.spectrum.find(id);
        s.ids.push_back(id);
        if (spectrum != r.spectrum.end()) s.spectrum.push_back(spectrum->second);
        s.xyz.push_back(conditions.standard() || spectrum == r.spectrum.end()
                            ? xyz
                            : Vec3(adapt * xyz_under(spectrum->second, conditions)));
    }
    return s;
}

Averaged average(const Definition& definition, const std::vector<Series>& series) {
    struct One {
        const Series* series;
        std::size_t at;
    };
    std::map<std::string, std::vector<One>> by_patch;
    Averaged out;
    for (const Series& s : series)
        for (std::size_t i = 0; i < s.ids.size(); ++i) {
            std::string id = s.ids[i];
            if (!s.named && i < definition.patches.size()) id = definition.patches[i].id;
            if (definition.index_of(id) >= 0) by_patch[id].push_back({&s, i});
            else if (std::find(out.unknown.begin(), out.unknown.end(), id) == out.unknown.end())
                out.unknown.push_back(id);
        }
    // What is usual: the median distance over all patches.
    std::map<std::string, std::vector<double>> off;
    std::vector<double> all;
    for (const auto& [id, ones] : by_patch) {
        std::vector<Vec3> lab;
        for (const One& o : ones) lab.push_back(colour::lab_from_xyz(o.series->xyz[o.at]));
        const Vec3 middle = lab_median(lab);
        for (const Vec3& v : lab) {
            off[id].push_back(colour::delta_e_2000(middle, v));
            all.push_back(off[id].back());
        }
    }
    std::sort(all.begin(), all.end());
    const double usual = all.empty() ? 0 : all[all.size() / 2], limit = std::max(1.0, 3 * 1.4826 * usual);
    for (const Patch& p : definition.patches) {
        const auto at = by_patch.find(p.id);
        if (at == by_patch.end()) {
            out.missing.push_back(p.id);
            continue;
        }
        Vec3 sum = Vec3::Zero();
        Spectrum spectrum;
        int n = 0, spectra = 0;
        std::vector<Vec3> kept;
        for (std::size_t i = 0; i < at->second.size(); ++i) {
            const One& o = at->second[i];
            if (at->second.size() >= 3 && off[p.id][i] > limit) {
                out.outliers.push_back({o.series->file, p.id, off[p.id][i]});
                continue;
            }
            sum += o.series->xyz[o.at];
            ++n;
            kept.push_back(o.series->xyz[o.at]);
            if (o.at < o.series->spectrum.size()) {
                spectrum = spectrum + o.series->spectrum[o.at];
                ++spectra;
            }
        }
        const Vec3 mean = sum / std::max(1, n);
        out.reference.xyz[p.id] = mean;
        if (spectra == n && n > 0) out.reference.spectrum[p.id] = (1.0 / n) * spectrum;
        if (kept.size() >= 2) {
            double squares = 0;
            for (const Vec3& v : kept)
                squares += std::pow(colour::delta_e_2000(colour::lab_from_xyz(mean), colour::lab_from_xyz(v)), 2);
            out.spread[p.id] = std::sqrt(squares / static_cast<double>(kept.size()));
        }
    }
    std::stable_sort(out.outliers.begin(), out.outliers.end(),
                     [](const Outlier& a, const Outlier& b) { return a.delta_e_2000 > b.delta_e_2000; });
    if (!series.empty()) out.reference.file = series.front().file;
    return out;
}

} // namespace refero::chart
