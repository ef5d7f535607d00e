// Corrections made elsewhere: LUTs, ICC profiles, CDLs and matrices, opened to be proved like one's own, and trimmed.
#pragma once

#include "prove/prove.hpp"

namespace refero::prove {

/// How a file made elsewhere is to be used; it seldom says so itself.
struct Usage {
    std::string input_encoding = "srgb"; ///< of the code values that go in: a transfer function's name
    std::string space = "srgb";          ///< of what comes out, with its encoding (a matrix: linear)
    bool balanced = false; ///< camera RGB is balanced and exposed before it goes in; else it goes in as recorded
    bool operator==(const Usage&) const = default;
};

/// A file and its usage, as a job keeps it.
struct Named {
    std::filesystem::path file;
    Usage usage;
    bool operator==(const Named&) const = default;
};
/// JSON, docs/formats.md. from: what cannot be read is left out.
std::string text_of(const std::vector<Named>& files);
std::vector<Named> named_from(const std::string& text);

struct Elsewhere {
    std::filesystem::path file;
    std::string kind; ///< "LUT", "ICC profile", "CDL", "matrix", "correction"
    Usage usage;
    Rendering rendering; ///< camera RGB, linear and unbalanced, to XYZ (D50)
    Rendering own;       ///< the same of what the file expects to go in, linear
};
/// LUTs and CDLs as OpenColorIO reads them, ICC profiles with an RGB side, a matrix as Refero writes it (JSON) or as
/// nine numbers (camera RGB to linear RGB of the space, row by row), a Refero correction. `balance` is used where the
/// usage asks for it. Throws Error(input) with a remedy.
Elsewhere open_elsewhere(const std::filesystem::path& file, const Usage& usage, const balance::Balance& balance);

/// A look from a file: one that Refero kept, a CDL, or a LUT from display codes to display codes, as OpenColorIO reads
/// them. Throws Error(input) with a remedy.
look::Look look_from(const std::filesystem::path& file);

/// The usage that is likely for a kind of file: profiles take linear camera RGB, LUTs and CDLs display codes.
Usage usual_for(const std::filesystem::path& file);

/// What the matrix in the raw file makes of the camera's colours: the light's white, by the balance, goes to D50
/// (Bradford).
Rendering standard_rendering(const colour::Mat3& camera_from_xyz, const balance::Balance& balance);

/// A small correction after another: one matrix, fitted to what the other makes of the reading. Its camera RGB is
/// linear BT.709. Clipped results take no part. Throws Error(input) when too few patches are left.
fit::Correction trim_of(const Rendering& rendering, const read::Reading& reading, const chart::Reference& reference,
                        const chart::Definition* definition);
Rendering trimmed(const Rendering& rendering, const fit::Correction& trim);

} // namespace refero::prove
