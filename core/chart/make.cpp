// Own charts: layouts made and written.
#include <cmath>

#include <nlohmann/json.hpp>

#include "chart/measured.hpp"

namespace refero::chart {

namespace fs = std::filesystem;

namespace {

std::string row_letters(int row) {
    std::string letters;
    for (++row; row > 0; row = (row - 1) / 26) letters.insert(letters.begin(), static_cast<char>('A' + (row - 1) % 26));
    return letters;
}

double rounded(double mm) { return std::round(mm * 1000) / 1000; }

} // namespace

Definition grid(int columns, int rows, double w, double h, double gap_x, double gap_y) {
    if (columns < 1 || rows < 1 || columns * rows > 2000)
        throw Error(ErrorKind::usage, "a chart has 1 to 2000 patches", {}, "Change the number of columns and rows");
    if (!(w > 0 && h > 0 && gap_x >= 0 && gap_y >= 0))
        throw Error(ErrorKind::usage, "patches need an area, and gaps cannot be negative");
    Definition d;
    d.width_mm = columns * (w + gap_x) - gap_x;
    d.height_mm = rows * (h + gap_y) - gap_y;
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c)
            d.patches.push_back(
                {row_letters(r) + std::to_string(c + 1), c * (w + gap_x), r * (h + gap_y), w, h, "other"});
    return d;
}

std::string likely_role(const Vec3& xyz) {
    const Vec3 lch = colour::lch_from(colour::lab_from_xyz(xyz));
    const double L = lch[0], chroma = lch[1], hue = lch[2];
    if (chroma < 5) return "neutral";
    if (hue > 30 && hue < 75 && L > 30 && L < 85 && chroma > 12 && chroma < 35) return "skin";
    if (hue > 105 && hue < 150 && L < 60 && chroma < 45) return "foliage";
    if (hue > 230 && hue < 280 && L > 40 && chroma < 35) return "sky";
    return "other";
}

static nlohmann::json json_of(const Definition& d) {
    nlohmann::json j{{"refero_chart", 1},
                     {"id", d.id},
                     {"title", d.title},
                     {"size_mm", {rounded(d.width_mm), rounded(d.height_mm)}},
                     {"patches", nlohmann::json::array()}};
    if (d.nominal) j["values"] = "nominal";
    if (!d.variant_of.empty()) j["variant_of"] = d.variant_of;
    for (const Patch& p : d.patches)
        j["patches"].push_back({{"id", p.id},
                                {"rect_mm", {rounded(p.x_mm), rounded(p.y_mm), rounded(p.w_mm), rounded(p.h_mm)}},
                                {"role", p.role}});
    return j;
}

std::string text_of(const Definition& definition) {
    return json_of(definition).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

std::string cgats_of(const Reference& reference) {
    const bool spectral = reference.spectrum.size() == reference.xyz.size();
    std::string table = "CGATS.17\nORIGINATOR \"Refero " + std::string(program_version()) + "\"\n" +
                        formatted("NUMBER_OF_FIELDS {}\nBEGIN_DATA_FORMAT\nSAMPLE_ID XYZ_X XYZ_Y XYZ_Z",
                                  4 + (spectral ? colour::Spectrum::size : 0));
    for (int i = 0; spectral && i < colour::Spectrum::size; ++i)
        table += formatted(" SPECTRAL_NM{}", static_cast<int>(colour::Spectrum::nm(i)));
    table += formatted("\nEND_DATA_FORMAT\nNUMBER_OF_SETS {}\nBEGIN_DATA\n", reference.xyz.size());
    for (const auto& [id, xyz] : reference.xyz) {
        table += formatted("{} {:.4f} {:.4f} {:.4f}",
                           id.find_first_of(" \t") == std::string::npos ? id.c_str() : ("\"" + id + "\""), 100 * xyz[0],
                           100 * xyz[1], 100 * xyz[2]);
        if (spectral)
            for (const double v : reference.spectrum.at(id).value) table += formatted(" {:.5f}", v);
        table += "\n";
    }
    table += "END_DATA\n";
    return table;
}

Definition save_definition(const Definition& d, const Reference& reference, const fs::path& file) {
    nlohmann::json j = json_of(d);
    j.erase("values"); // somebody's own from now on
    j.erase("variant_of");
    fs::path beside = file;
    beside.replace_extension(".cgats");
    if (!reference.xyz.empty()) j["reference"] = beside.filename().string();
    const std::string text = j.dump(1) + "\n";
    parse_definition(text, file); // throws for what could not be read again
    if (!reference.xyz.empty()) {
        const std::string table = cgats_of(reference);
        parse_reference(table, beside);
        write_whole(beside, table);
    }
    write_whole(file, text);
    return load_definition(file);
}

} // namespace refero::chart
