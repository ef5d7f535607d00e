// Displays checked: the rows that keep what they were, and what follows for judging colour.
#pragma once

#include "plan/change.hpp"
#include "screen/screen.hpp"

namespace refero::work {

/// A check of a monitor as a row of the kit; it is calibrated as of today.
plan::Change keep_check(const plan::Monitor& monitor, const screen::Display& display,
                        const std::vector<screen::Patch>& patches, const std::string& source);
/// The newest check of a monitor, or null.
const plan::MonitorCheck* newest_check(const plan::Kit& kit, plan::Id monitor);
/// The display of a check. Throws Error(input) where its patches are damaged.
screen::Display display_of(const plan::MonitorCheck& check, const std::string& target);
/// How far a display went from one check to the next, in words; empty where it stayed.
std::string drift_words(const plan::MonitorCheck& before, const plan::MonitorCheck& now);
/// Days until a monitor is due, below 0: since; none: it was never calibrated. Days are of UTC.
std::optional<int> days_to_due(const plan::Monitor& monitor, const std::string& today);
/// What all displays can show: the smallest coverage of each space over the newest checks of all monitors.
std::map<std::string, double> shown_by_all(const plan::Kit& kit);

} // namespace refero::work
