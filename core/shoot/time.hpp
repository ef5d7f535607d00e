// Times of a job as text and as seconds.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "shoot/records.hpp"

namespace refero::shoot {

/// Seconds since 1970 of "YYYY-MM-DD" or "YYYY-MM-DDThh:mm:ss", with ".fff" or without, taken as UTC; NaN when it is
/// neither.
double seconds_of(const std::string& time);
/// The fraction of a second that a time tells, 0 to 1; -1 where it tells none.
double fraction_of(const std::string& time);
/// The reverse, "YYYY-MM-DDThh:mm:ss".
std::string time_of(double seconds);
/// A frame's time by the job's clock: the camera's own with its offset; NaN when it is not known.
double time_in_job(const Shoot& shoot, const FrameRecord& frame);

} // namespace refero::shoot
