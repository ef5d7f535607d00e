// Runs: parts of a job's time in which frames follow each other, told apart by breaks. What no chart stands for.
#pragma once

#include <limits>
#include <map>
#include <string>
#include <tuple>
#include <vector>

#include "shoot/records.hpp"

namespace refero::shoot {

/// What a frame, or a camera's frames of one run, say of their light.
struct LightNotes {
    bool tells_flash = false, flash = false;
    double kelvin = 0; ///< that the camera balanced for by itself; 0: not known, or a preset
    double level = 0;  ///< stops of light that the camera's settings ask for; NaN: not known, or the flash's
};

/// Times of all frames of a job, all cameras together, the breaks between them, and what each camera notes of the
/// light.
class Runs {
public:
    /// `also_s`: of a frame that is not in the job yet; NaN: none.
    explicit Runs(const Shoot& shoot, double also_s = std::numeric_limits<double>::quiet_NaN());
    /// A break lies between both times, s since 1970; false where one is not known.
    bool apart(double one_s, double other_s) const;
    /// Index of the run that holds a time or lies next to it.
    std::size_t run_at(double at_s) const;
    LightNotes notes_of(const FrameRecord& frame) const;
    /// Medians of the frames that the camera of `frame` took in its run, the flash firing as in it.
    LightNotes notes_around(const FrameRecord& frame, double at_s) const;

private:
    std::vector<double> begins_, ends_; ///< of each run, ascending, s since 1970
    std::vector<Id> balancing_;         ///< cameras whose as-shot balance follows the light
    std::map<std::tuple<Id, std::size_t, bool>, LightNotes> around_; ///< by camera, run, flash
};

/// Why a frame cannot be of the light of a chart shot; empty where nothing speaks against it. `same_run`: no break lies
/// between them, so that the light may have drifted and the settings follow the subject.
std::string contradiction(const LightNotes& frame, const LightNotes& chart, bool same_run);

/// Frames of one run that no chart stands for.
struct Forgotten {
    std::string from, to; ///< job times; empty: not known
    std::vector<Id> frames;
    std::string reason;
};
/// Frames that belong to no setup, run by run, most frames first.
std::vector<Forgotten> forgotten(const Shoot& shoot);

} // namespace refero::shoot
