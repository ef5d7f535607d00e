// CGATS.17 text through lcms2's reader and writer.
#include <algorithm>
#include <charconv>
#include <cmath>
#include <memory>
#include <sstream>

#include <lcms2.h>

#include "chart/chart.hpp"

namespace refero::chart {

namespace fs = std::filesystem;

namespace {

constexpr std::uintmax_t most_bytes = 16 << 20;

/// What a value may be, as it stands in a file; beyond it is a slip of the pen or another unit.
struct Range {
    double least, most;
};
constexpr Range xyz_range{-5, 1000};       ///< percent of the perfect diffuser; fluorescent patches exceed 100
constexpr Range lightness_range{-1, 200};  ///< CIELAB L*
constexpr Range opponent_range{-300, 300}; ///< CIELAB a*, b*
constexpr Range spectral_range{-0.1, 10};  ///< reflectance, 1 = the perfect diffuser
constexpr Range rgb_range{-1000, 1e6};     ///< percent of saturation; float files exceed it

/// A file that lcms2 has read, and where its rows lie.
class Table {
public:
    Table(std::string text, const fs::path& file) : file_(file), text_(std::move(text)) {
        if (text_.starts_with("\xef\xbb\xbf")) text_.erase(0, 3);
        if (text_.starts_with("\xff\xfe") || text_.starts_with("\xfe\xff"))
            throw Error(ErrorKind::input, "this text is in UTF-16", file, "Save it as plain text or UTF-8");
        context_ = cmsCreateContext(nullptr, &problem_);
        cmsSetLogErrorHandlerTHR(context_, [](cmsContext c, cmsUInt32Number, const char* words) {
            *static_cast<std::string*>(cmsGetContextUserData(c)) = words;
        });
        if (!text_.empty() && text_.find('\0') == std::string::npos)
            handle_ = cmsIT8LoadFromMem(context_, const_cast<char*>(text_.data()),
                                        static_cast<cmsUInt32Number>(text_.size()));
        if (handle_) return;
        cmsDeleteContext(context_);
        // lcms2 says "NAME: Line 12, what is wrong", and ends the line.
        while (!problem_.empty() && std::isspace(static_cast<unsigned char>(problem_.back()))) problem_.pop_back();
        const std::size_t line = problem_.find("Line ");
        throw Error(ErrorKind::input,
                    "this is not a CGATS file" +
                        (line == std::string::npos ? std::string() : " (l" + problem_.substr(line + 1) + ")"),
                    file, "Save the values as CGATS.17 text");
    }
    ~Table() {
        cmsIT8Free(handle_);
        cmsDeleteContext(context_);
    }
    Table(const Table&) = delete;

    cmsHANDLE get() const { return handle_; }
    int column(const std::string& name) const { return cmsIT8FindDataFormat(handle_, name.c_str()); }
    int rows() const {
        const double told = cmsIT8GetPropertyDbl(handle_, "NUMBER_OF_SETS");
        // A row is at least a character long.
        if (!(told >= 0 && told <= static_cast<double>(text_.size())))
            throw Error(ErrorKind::input, formatted("NUMBER_OF_SETS cannot be {:g}", told), file_,
                        "Give the number of rows between BEGIN_DATA and END_DATA");
        return static_cast<int>(told);
    }

    /// "line 14" of a row of values; rows count from 0.
    std::string place_of(int row) const {
        std::istringstream lines(text_);
        int number = 0, seen = -1;
        for (std::string line; std::getline(lines, line);) {
            ++number;
            std::istringstream words(line);
            std::string first;
            if (!(words >> first) || first.starts_with('#')) continue;
            if (first == "END_DATA") break;
            if (seen >= 0 && seen++ == row) return "line " + std::to_string(number);
            if (first == "BEGIN_DATA") seen = 0;
        }
        return "row " + std::to_string(row + 1);
    }

    std::string id(int row) const {
        const int c = column("SAMPLE_ID");
        const char* text = c < 0 ? nullptr : cmsIT8GetDataRowCol(handle_, row, c);
        if (!text || !*text)
            throw Error(ErrorKind::input, place_of(row) + " has no SAMPLE_ID", file_, "Name every patch");
        return text;
    }

    double number(int row, int col, const Range& range) const {
        const char* text = cmsIT8GetDataRowCol(handle_, row, col);
        const std::string_view digits = text ? text : "";
        double v = NAN;
        const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), v);
        if (problem != std::errc() || end != digits.data() + digits.size() || !std::isfinite(v))
            throw Error(ErrorKind::input,
                        place_of(row) + ", " + name_of(col) + ": '" + std::string(digits) + "' is not a number", file_,
                        "Correct this value");
        if (v < range.least || v > range.most)
            throw Error(ErrorKind::input,
                        place_of(row) + ", " + name_of(col) + ": " + std::string(digits) + " cannot be" +
                            formatted(" (from {:g} to {:g})", range.least, range.most),
                        file_, "Correct this value, or check the unit");
        return v;
    }

private:
    std::string name_of(int col) const {
        char** names = nullptr;
        const int columns = cmsIT8EnumDataFormat(handle_, &names);
        return names && col < columns && names[col] ? names[col] : "column " + std::to_string(col + 1);
    }

    fs::path file_;
    std::string text_, problem_;
    cmsContext context_ = nullptr;
    cmsHANDLE handle_ = nullptr;
};

std::optional<std::array<int, 3>> columns(const Table& table, const char* a, const char* b, const char* c) {
    const std::array<int, 3> found{table.column(a), table.column(b), table.column(c)};
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
    const Table table(text, file);
    const auto xyz = columns(table, "XYZ_X", "XYZ_Y", "XYZ_Z");
    const auto lab = columns(table, "LAB_L", "LAB_A", "LAB_B");
    const auto spectral = spectral_columns(table);
    if (!xyz && !lab && spectral.size() < 2)
        throw Error(ErrorKind::input, "there are no reference values", file,
                    "Give XYZ_X XYZ_Y XYZ_Z, LAB_L LAB_A LAB_B or SPECTRAL_NMnnn columns");
    Reference reference;
    reference.file = file;
    const colour::Spectrum d50 = colour::illuminant_d(50);
    for (int row = 0; row < table.rows(); ++row) {
        const std::string id = table.id(row);
        const auto triple = [&](const std::array<int, 3>& c, const Range& first, const Range& others) {
            return Vec3(table.number(row, c[0], first), table.number(row, c[1], others),
                        table.number(row, c[2], others));
        };
        if (spectral.size() >= 2) {
            std::vector<double> nm, value;
            for (const auto& [c, w] : spectral) {
                nm.push_back(w);
                value.push_back(table.number(row, c, spectral_range));
            }
            reference.spectrum[id] = colour::Spectrum::from_samples(nm, value);
        }
        Vec3 v;
        if (xyz) v = triple(*xyz, xyz_range, xyz_range) / 100;
        else if (lab) v = colour::xyz_from_lab(triple(*lab, lightness_range, opponent_range));
        else v = colour::xyz_of(reference.spectrum[id], d50);
        if (!reference.xyz.emplace(id, v).second)
            throw Error(ErrorKind::input, "patch " + id + " stands twice", file, "Keep one row for each patch");
    }
    if (reference.xyz.empty()) throw Error(ErrorKind::input, "the table has no rows", file, "Check NUMBER_OF_SETS");
    return reference;
}

Reference reference_of(const Definition& d) {
    if (d.reference_file.empty())
        throw Error(ErrorKind::input, "the chart has no reference values", d.file, "Give a CGATS file with its values");
    Reference reference = load_reference(d.reference_file);
    reference.nominal = d.nominal;
    for (const Patch& patch : d.patches)
        if (!reference.xyz.contains(patch.id))
            throw Error(ErrorKind::input, "patch " + patch.id + " has no reference value", reference.file,
                        "Add a row for it");
    return reference;
}

std::vector<CgatsRow> load_cgats_rgb(const fs::path& file) {
    const Table table(read_file(file, most_bytes), file);
    const auto rgb = columns(table, "RGB_R", "RGB_G", "RGB_B");
    if (!rgb)
        throw Error(ErrorKind::input, "there are no readings", file, "Give the columns SAMPLE_ID RGB_R RGB_G RGB_B");
    std::vector<CgatsRow> rows;
    for (int row = 0; row < table.rows(); ++row) {
        CgatsRow r{table.id(row), {}};
        for (std::size_t c = 0; c < 3; ++c) r.value[c] = table.number(row, (*rgb)[c], rgb_range) / 100;
        for (const CgatsRow& other : rows)
            if (other.id == r.id)
                throw Error(ErrorKind::input, "patch " + r.id + " stands twice", file, "Keep one row for each patch");
        rows.push_back(std::move(r));
    }
    if (rows.empty()) throw Error(ErrorKind::input, "the table has no rows", file, "Check NUMBER_OF_SETS");
    return rows;
}

void save_cgats_rgb(const fs::path& file, const std::vector<CgatsRow>& rows, const std::string& description) {
    const std::unique_ptr<void, void (*)(cmsHANDLE)> table(cmsIT8Alloc(nullptr), [](cmsHANDLE h) { cmsIT8Free(h); });
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
    cmsUInt32Number size = 0;
    cmsIT8SaveToMem(it8, nullptr, &size);
    std::string text(size, '\0');
    if (!cmsIT8SaveToMem(it8, text.data(), &size))
        throw Error(ErrorKind::internal, "the readings cannot be written as CGATS", file);
    text.resize(text.find_last_not_of('\0') + 1);
    write_whole(file, text);
}

} // namespace refero::chart
