// Frames of a job put where they belong: the rows of each decision.
#pragma once

#include "operations/capture/watch.hpp"
#include "shoot/change.hpp"
#include "shoot/records.hpp"

namespace refero::operations {

/// Frames whose place follows from others: a quiet change; empty when all are in their places.
shoot::Change place_frames(const shoot::Shoot& shoot);
/// Into a setup by hand; 0: out of theirs.
shoot::Change assign(const shoot::Shoot& shoot, const std::vector<shoot::Id>& frames, shoot::Id setup);
/// They find their setups by themselves again.
shoot::Change let_assign(const shoot::Shoot& shoot, const std::vector<shoot::Id>& frames);
/// The frame shows the chart, or does not. `position_s` is of a clip's still.
shoot::Change make_chart_shot(const shoot::Shoot& shoot, shoot::Id frame, shoot::Id setup, double position_s = 0);
/// The range of a clip that is developed, s; equal: none.
shoot::Change mark_range(const shoot::Shoot& shoot, shoot::Id frame, double from_s, double to_s);
/// The frames' part in their setup's effects set, a name of PlateRole; empty: none.
shoot::Change give_role(const shoot::Shoot& shoot, const std::vector<shoot::Id>& frames, const std::string& role);
shoot::Change make_ordinary(const shoot::Shoot& shoot, shoot::Id frame);
/// Two frames of one moment: the second's camera gets the offset that makes their times equal. Throws Error(usage)
/// where they are of one camera or do not say when they were taken.
shoot::Change same_moment(const shoot::Shoot& shoot, shoot::Id frame, shoot::Id other);
shoot::Change set_silent_lens(const shoot::Shoot& shoot, shoot::Id camera, shoot::Id lens);
shoot::Change remove_frames(const std::vector<shoot::Id>& frames);
shoot::Change moved(const shoot::Shoot& shoot, const std::vector<Found>& found);

} // namespace refero::operations
