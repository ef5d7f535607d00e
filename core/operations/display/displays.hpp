// Displays checked: the rows that keep what they were, and what follows for judging colour.
#pragma once

#include "display/display.hpp"
#include "shoot/change.hpp"

namespace refero::operations {

/// A check of a monitor as a row of the kit; it is calibrated as of today.
shoot::Change keep_check(const shoot::MonitorRecord& monitor, const display::Display& display,
                         const std::vector<display::Patch>& patches, const std::string& source);
/// The newest check of a monitor, or null.
const shoot::MonitorCheckRecord* newest_check(const shoot::Kit& kit, shoot::Id monitor);
/// The display of a check. Throws Error(input) where its patches are damaged.
display::Display display_of(const shoot::MonitorCheckRecord& check, const std::string& target);
/// How far a display went from one check to the next, in words; empty where it stayed.
std::string drift_words(const shoot::MonitorCheckRecord& before, const shoot::MonitorCheckRecord& now);
/// Days until a monitor is due, below 0: since; none: it was never calibrated. Days are of UTC.
std::optional<int> days_to_due(const shoot::MonitorRecord& monitor, const std::string& today);
/// What all displays can show: the smallest coverage of each space over the newest checks of all monitors.
std::map<std::string, double> shown_by_all(const shoot::Kit& kit);

} // namespace refero::operations
