// Chart shots as they were measured, and as a job keeps them.
#pragma once

#include "inspect/inspect.hpp"
#include "shoot/records.hpp"

namespace refero::store {

/// Another chart in the same frame: a folding case shows two.
struct Panel {
    chart::Definition definition;
    find::Placement placement;
    read::Reading reading;
};

/// A frame of the chart in one setup, measured.
struct MeasuredShot {
    frame::Frame frame;
    chart::Definition definition; ///< as it was when the shot was measured
    find::Placement placement;
    read::Reading reading;
    std::string sha256;                      ///< of the file; empty: not known yet
    std::vector<Panel> panels;               ///< the others, most confident first
    std::optional<inspect::Explained> light; ///< as the gate explained it; none: not judged, or by an earlier version
};

/// A measured shot without its pixels, with the layout of its chart (JSON, docs/formats.md).
std::string to_json(const MeasuredShot& shot);
/// The row that keeps it.
shoot::ReadingRecord row_of(shoot::Id chart_shot, const std::string& made_from, const MeasuredShot& shot);
/// `file` is the frame's. Throws Error(input), also where a patch of the reading is none of the chart.
MeasuredShot measured_from_json(const std::string& text, const std::filesystem::path& file);

} // namespace refero::store
