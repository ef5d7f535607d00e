// The day as it came in: who shot what when, under which light, and what is still to be told by a person.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "inspect/inspect.hpp"
#include "shoot/change.hpp"
#include "shoot/runs.hpp"

namespace refero::operations {

/// A chart shot on the line of time.
struct DayChart {
    shoot::Id chart_shot = 0, frame = 0, setup = 0, light = 0;
    double at_s = 0;                        ///< job time, s since 1970; NaN: not known
    std::optional<inspect::Status> verdict; ///< the gate's; nothing: not read yet
    std::size_t stretch = 0;                ///< of its setup, from 1; 0: it governs none (refused, or not read)
};
struct DayRow {
    shoot::Id camera = 0;
    std::string name;
    std::size_t frames = 0;       ///< companions not counted
    std::vector<double> frames_s; ///< job times, ascending
    std::vector<DayChart> charts;
};
struct DayLight {
    shoot::Id light = 0;
    std::string name;
    double kelvin = 0, duv = 0;  ///< by its first chart, else nominal; 0: not known
    double from_s = 0, to_s = 0; ///< of its charts; NaN: not known
    shoot::Id chart_frame = 0;   ///< frame of its first chart; 0: none
    std::size_t charts = 0, frames = 0;
};
/// Files of one folder and one pattern of names whose camera nobody named.
struct NamelessFiles {
    std::string pattern;
    shoot::Id camera = 0; ///< that they were given for want of one; 0: none
    std::vector<std::string> files;
};
struct Day {
    double from_s = 0, to_s = 0;  ///< of all frames; NaN: no frame tells its time
    std::vector<DayRow> rows;     ///< by the cameras' order; those with frames
    std::vector<DayLight> lights; ///< by time, those without a chart last
    std::vector<NamelessFiles> nameless;
    std::vector<shoot::Forgotten> forgotten; ///< most frames first
    std::size_t companions = 0, untimed = 0;
};
Day day_of(const shoot::Shoot& shoot);

/// Both lights are one: the second goes, its setups with their chart shots, frames and corrections become the first's.
/// Empty where they are one already. Throws Error(usage) for a light that is not in the job.
shoot::Change merge_lights(const shoot::Shoot& shoot, shoot::Id into, shoot::Id from);
/// These chart shots were lit by this light: what was made of them goes with them. `light` 0: by one that is not in the
/// job yet, called `name`. Throws Error(usage) for a name that is taken, and where a new light would leave none behind.
shoot::Change move_to_light(const shoot::Shoot& shoot, const std::vector<shoot::Id>& chart_shots, shoot::Id light,
                            const std::string& name = {});
/// A name that no light bears: "Light 3".
std::string free_light_name(const shoot::Shoot& shoot);

} // namespace refero::operations
