// CGATS.17 text through lcms2's reader and writer.
#include <algorithm>
#include <charconv>
#include <cmath>
#include <memory>

#include <lcms2.h>

#include "chart/chart.hpp"

namespace refero::chart {

namespace fs = std::filesystem;

namespace {

using Table = std::unique_ptr<void, void (*)(cmsHANDLE)>;

constexpr std::uintmax_t most_bytes = 16 << 20;

Table open_table(const std::string& text, const fs::path& file) {
    cmsHANDLE handle = nullptr;
    if (!text.empty() && text.find('\0') == std::string::npos)
        handle = cmsIT8LoadFromMem(nullptr, const_cast<char*>(text.data()), static_cast<cmsUInt32Number>(text.size()));
    if (!handle) throw Error(ErrorKind::input, "this is not a CGATS file", file, "Save the values as CGATS.17 text");
    return Table(handle, [](cmsHANDLE h) { cmsIT8Free(h); });
}

int column(const Table& table, const std::string& name) { return cmsIT8FindDataFormat(table.get(), name.c_str()); }

int rows_of(const Table& table) { return static_cast<int>(cmsIT8GetPropertyDbl(table.get(), "NUMBER_OF_SETS")); }

std::string id_of(const Table& table, const fs::path& file, int row) {
    const int c = column(table, "SAMPLE_ID");
    const char* id = c < 0 ? nullptr : cmsIT8GetDataRowCol(table.get(), row, c);
    if (!id || !*id)
        throw Error(ErrorKind::input, "row " + std::to_string(row + 1) + " has no SAMPLE_ID", file, "Name every patch");
    return id;
}

double number(const Table& table, const fs::path& file, int row, int col) {
    const char* text = cmsIT8GetDataRowCol(table.get(), row, col);
    const std::string_view digits = text ? text : "";
    double v = NAN;
    const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), v);
    if (problem != std::errc() || end != digits.data() + digits.size() || !std::isfinite(v))
        throw Error(ErrorKind::input,
                    "row " + std::to_string(row + 1) + ", column " + std::to_string(col + 1) + " is not a number", file,
                    "Correct this value");
    return v;
}

std::optional<std::array<int, 3>> columns(const Table& table, const char* a, const char* b, const char* c) {
    const std::array<int, 3> found{column(table, a), column(table, b), column(table, c)};
    if (found[0] < 0 || found[1] < 0 || found[2] < 0) return std::nullopt;
    return found;
}

// Columns of a spectrum and their wavelengths, ascending.
std::vector<std::pair<int, double>> spectral_columns(const Table& table) {
    std::vector<std::pair<int, double>> found;
    char** names = nullptr;
    const int columns = cmsIT8EnumDataFormat(table.get(), &names);
    for (int c = 0; names && c < columns; ++c)
        if (const int nm = wavelength_of_column(names[c] ? names[c] : "");
            nm && std::none_of(found.begin(), found.end(), [&](const auto& f) { return f.second == nm; }))
            found.emplace_back(c, nm);
    std::sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
    return found;
}

} // namespace

int wavelength_of_column(std::string_view name) {
    std::string rest = to_lower(std::string(name));
    for (const std::string_view prefix : {"spectral_nm_", "spectral_nm", "spectral_", "nm", "r"})
        if (rest.starts_with(prefix) && rest.size() > prefix.size()) {
            rest.erase(0, prefix.size());
            break;
        }
    if (rest.ends_with("nm")) rest.resize(rest.size() - 2);
    while (!rest.empty() && rest.back() == ' ') rest.pop_back();
    double nm = 0; // whole, but written "400.0" at times
    const auto [end, problem] = std::from_chars(rest.data(), rest.data() + rest.size(), nm);
    return problem == std::errc() && end == rest.data() + rest.size() && nm >= 300 && nm <= 1100 && nm == std::floor(nm)
               ? static_cast<int>(nm)
               : 0;
}

Reference load_reference(const fs::path& file) { return parse_reference(read_file(file, most_bytes), file); }

Reference parse_reference(const std::string& text, const fs::path& file) {
    const Table table = open_table(text, file);
    const auto xyz = columns(table, "XYZ_X", "XYZ_Y", "XYZ_Z");
    const auto lab = columns(table, "LAB_L", "LAB_A", "LAB_B");
    const auto spectral = spectral_columns(table);
    if (!xyz && !lab && spectral.size() < 2)
        throw Error(ErrorKind::input, "there are no reference values", file,
                    "Give XYZ_X XYZ_Y XYZ_Z, LAB_L LAB_A LAB_B or SPECTRAL_NMnnn columns");
    Reference reference;
    reference.file = file;
    const colour::Spectrum d50 = colour::illuminant_d(50);
    for (int row = 0; row < rows_of(table); ++row) {
        const std::string id = id_of(table, file, row);
        const auto triple = [&](const std::array<int, 3>& c) {
            return Vec3(number(table, file, row, c[0]), number(table, file, row, c[1]), number(table, file, row, c[2]));
        };
        if (spectral.size() >= 2) {
            std::vector<double> nm, value;
            for (const auto& [c, w] : spectral) {
                nm.push_back(w);
                value.push_back(number(table, file, row, c));
            }
            reference.spectrum[id] = colour::Spectrum::from_samples(nm, value);
        }
        Vec3 v;
        if (xyz) v = triple(*xyz) / 100;
        else if (lab) v = colour::xyz_from_lab(triple(*lab));
        else v = colour::xyz_of(reference.spectrum[id], d50);
        if (!reference.xyz.emplace(id, v).second)
            throw Error(ErrorKind::input, "patch " + id + " stands twice", file, "Keep one row for each patch");
    }
    if (reference.xyz.empty()) throw Error(ErrorKind::input, "the table has no rows", file, "Check NUMBER_OF_SETS");
    return reference;
}

Reference reference_of(const Definition& d) {
    if (d.reference_file.empty())
        throw Error(ErrorKind::input, "the chart has no reference values", d.file,
                    "Give a CGATS file with --reference");
    Reference reference = load_reference(d.reference_file);
    for (const Patch& patch : d.patches)
        if (!reference.xyz.contains(patch.id))
            throw Error(ErrorKind::input, "patch " + patch.id + " has no reference value", reference.file,
                        "Add a row for it");
    return reference;
}

std::vector<CgatsRow> load_cgats_rgb(const fs::path& file) {
    const Table table = open_table(read_file(file, most_bytes), file);
    const auto rgb = columns(table, "RGB_R", "RGB_G", "RGB_B");
    if (!rgb)
        throw Error(ErrorKind::input, "there are no readings", file, "Give the columns SAMPLE_ID RGB_R RGB_G RGB_B");
    std::vector<CgatsRow> rows;
    for (int row = 0; row < rows_of(table); ++row) {
        CgatsRow r{id_of(table, file, row), {}};
        for (std::size_t c = 0; c < 3; ++c) r.value[c] = number(table, file, row, (*rgb)[c]) / 100;
        for (const CgatsRow& other : rows)
            if (other.id == r.id)
                throw Error(ErrorKind::input, "patch " + r.id + " stands twice", file, "Keep one row for each patch");
        rows.push_back(std::move(r));
    }
    if (rows.empty()) throw Error(ErrorKind::input, "the table has no rows", file, "Check NUMBER_OF_SETS");
    return rows;
}

void save_cgats_rgb(const fs::path& file, const std::vector<CgatsRow>& rows, const std::string& description) {
    const Table table(cmsIT8Alloc(nullptr), [](cmsHANDLE h) { cmsIT8Free(h); });
    cmsHANDLE it8 = table.get();
    cmsIT8SetSheetType(it8, "CGATS.17");
    cmsIT8SetPropertyStr(it8, "ORIGINATOR", ("Refero " + std::string(program_version())).c_str());
    cmsIT8SetPropertyStr(it8, "DESCRIPTOR", description.c_str());
    cmsIT8SetPropertyDbl(it8, "NUMBER_OF_SETS", static_cast<double>(rows.size()));
    const char* fields[] = {"SAMPLE_ID", "RGB_R", "RGB_G", "RGB_B"};
    cmsIT8SetPropertyDbl(it8, "NUMBER_OF_FIELDS", 4);
    for (int c = 0; c < 4; ++c) cmsIT8SetDataFormat(it8, c, fields[c]);
    cmsIT8DefineDblFormat(it8, "%.7g");
    for (std::size_t row = 0; row < rows.size(); ++row) {
        const int r = static_cast<int>(row);
        cmsIT8SetDataRowCol(it8, r, 0, rows[row].id.c_str());
        for (int c = 0; c < 3; ++c)
            cmsIT8SetDataRowColDbl(it8, r, c + 1, rows[row].value[static_cast<std::size_t>(c)] * 100);
    }
    write_whole(file, [&](const fs::path& temporary) {
        if (!cmsIT8SaveToFile(it8, temporary.c_str()))
            throw Error(ErrorKind::internal, "cannot be written", file, "Check free space and permissions");
    });
}

} // namespace refero::chart
