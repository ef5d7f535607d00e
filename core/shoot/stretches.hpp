// Stretches: the parts of a setup's time that its chart shots govern, each with a chain of evidence of its own.
#pragma once

#include <string>
#include <vector>

#include "shoot/records.hpp"

namespace refero::shoot {

/// The part of a setup's time that one chart shot, or several repeats of it, governs.
struct Stretch {
    Id key = 0;               ///< its oldest chart shot: by it the stretch is known while repeats come and go
    std::vector<Id> shots;    ///< good ones, oldest first; the newest governs
    double at_s = 0;          ///< job time of its oldest shot, s since 1970; NaN: not known
    double last_s = 0;        ///< of its newest
    double from_s = 0;        ///< it governs frames from here ...
    double to_s = 0;          ///< ... up to here; NaN: open
    std::string why;          ///< what parts it from the one before, in words; empty for the first
    bool other_light = false; ///< its light differs so far from the stretch before that it reads as another light
};

/// The school by which a setup's frames find their chart shot: its own, else the job's.
StretchSchool school_of(const Shoot& shoot, const SetupRecord& setup);

/// Whether two chart shots are repeats of one: near in time, and alike in light where both tell theirs. `why` says in
/// words what parts them, or that the light is not known and time alone decided.
bool are_repeats(const Shoot& shoot, const ChartShotRecord& one, const ChartShotRecord& other, std::string* why);

/// Whether the light of a chart shot at a time can be that of another chart shot, drifted since. False where one tells
/// no light or no time.
bool may_have_drifted(const Shoot& shoot, const ChartShotRecord& from, double at_s, double kelvin, double duv);

/// A shot of a page for balancing, by its reading.
bool shows_page(const Shoot& shoot, Id chart_shot);

/// In the order of time. Empty without a good chart shot. A setup that is not divided by time has one, open at both
/// ends, with all its shots.
std::vector<Stretch> stretches(const Shoot& shoot, Id setup);

/// Index of the stretch that governs a time; 0 for a time that is not known. Needs at least one.
std::size_t stretch_at(const std::vector<Stretch>& stretches, double at_s);

/// Both stretches that a time lies between and how far it is from the first to the second, 0 to 1. Beyond the ends both
/// are the nearest one.
struct Between {
    std::size_t first = 0, second = 0;
    double fraction = 0;
};
Between between_at(const std::vector<Stretch>& stretches, double at_s);

/// Names by which people call the stretches: the chart shot's local time "10:00", with seconds where two agree, with
/// the date where days differ, the file's stem where the time is not known.
std::vector<std::string> ids_of(const Shoot& shoot, const std::vector<Stretch>& stretches);

} // namespace refero::shoot
