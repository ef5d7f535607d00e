// Charts: where the patches of a physical colour reference chart lie, and what their colours are.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/base.hpp"
#include "colour/colour.hpp"

namespace refero::chart {

using colour::Vec3;

struct Patch {
    std::string id;                                ///< unique in the chart; row letter + column number on grids
    double x_mm = 0, y_mm = 0, w_mm = 0, h_mm = 0; ///< from the top-left corner of the patch array
    std::string role;                              ///< neutral skin sky foliage primary secondary hue warm cool other
};

/// Layout of a chart; see docs/formats.md for the file.
struct Definition {
    std::string id;
    std::string title;
    double width_mm = 0, height_mm = 0; ///< of the patch array, outer edges of the outer patches
    std::vector<Patch> patches;
    std::filesystem::path file;           ///< where it was read
    std::filesystem::path reference_file; ///< its default reference; may be empty
    bool nominal = false;   ///< its default values are a design's or a publication's, not measured on the card in hand
    std::string variant_of; ///< another chart that this is a way of laying; empty: a chart of its own

    /// Index of a patch, or -1.
    int index_of(std::string_view patch_id) const;
};

/// CIE values of patches: XYZ relative to D50, 2 degrees, Y = 1 for the perfect reflecting diffuser.
struct Reference {
    std::filesystem::path file;
    std::map<std::string, Vec3> xyz;                  ///< by patch id
    std::map<std::string, colour::Spectrum> spectrum; ///< reflectance, where the file has it
    bool nominal = false;                             ///< not measured on the card in hand
};

/// Reads a definition. Throws Error(input) naming file, place and remedy.
Definition load_definition(const std::filesystem::path& file);
/// The same from text; `file` is named in errors and leads to the reference.
Definition parse_definition(const std::string& json, const std::filesystem::path& file);
/// A definition as it is written, without its reference.
std::string text_of(const Definition& definition);
/// Checks sizes, ids and overlaps as reading does, and writes definition and reference (NAME.cgats beside it), each
/// whole or not at all. Returns the definition as it would be read again. Throws Error(input) for an invalid layout.
Definition save_definition(const Definition& definition, const Reference& reference, const std::filesystem::path& file);
/// A grid of equal patches with ids A1, A2 ... (rows A to Z, AA, AB ...), roles "other".
/// Throws Error(usage) for no patches, too many or no area.
Definition grid(int columns, int rows, double patch_w_mm, double patch_h_mm, double gap_x_mm, double gap_y_mm);
/// "neutral" for what is nearly grey, "skin", "sky", "foliage" by hue angle and lightness, else "other": a first guess.
std::string likely_role(const Vec3& xyz_d50);
/// A page for balancing: it has steps of warmth, and is no chart to fit a correction to where there is another.
bool is_balance_page(const Definition& definition);
/// Patches that are neither neutral nor tints of it: what a fit learns most from.
int colours_of(const Definition& definition);
/// Every definition that ships or lies in the user's data folder, sorted by id; unreadable ones are left out.
std::vector<Definition> installed();
/// The file of a chart that the user has installed under this id, or nothing.
std::optional<std::filesystem::path> installed_by_user(const std::string& id);
/// Installs a definition and its values under the chart's id in the user's data folder, in place of one of that id and
/// of no other. Returns it as it would be read again. Throws Error(internal) where the folder cannot be made.
Definition install(const Definition& definition, const Reference& reference);
/// By id of an installed chart, of one that shipped with an earlier version, or by path of a file. Throws Error(usage)
/// listing the installed ids.
Definition find_definition(const std::string& id_or_file);

/// Reads CGATS.17 text with XYZ, Lab (D50) or spectral columns; with several, XYZ wins, then Lab.
/// Throws Error(input).
Reference load_reference(const std::filesystem::path& cgats);
Reference parse_reference(const std::string& cgats, const std::filesystem::path& file);
/// Wavelength in nm of a table's column (SPECTRAL_NM400, SPECTRAL_400, nm400, R400, 400, 400 nm ...), 300 to 1100; else
/// 0.
int wavelength_of_column(std::string_view name);
/// The chart's own reference. Throws Error(input) if it has none or the file lacks a patch of the chart.
Reference reference_of(const Definition& definition);

/// One line of measured values in a CGATS file.
struct CgatsRow {
    std::string id;
    std::array<double, 3> value{};
};
/// Reads or writes `SAMPLE_ID RGB_R RGB_G RGB_B`, linear camera RGB; 1 = saturation here, 100 in the file.
std::vector<CgatsRow> load_cgats_rgb(const std::filesystem::path& file);
void save_cgats_rgb(const std::filesystem::path& file, const std::vector<CgatsRow>& rows,
                    const std::string& description);

} // namespace refero::chart
