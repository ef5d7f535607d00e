// Frames of a job put where they belong: the rows of each decision.
#pragma once

#include "plan/change.hpp"
#include "plan/plan.hpp"
#include "work/watch.hpp"

namespace refero::work {

/// Frames whose place follows from others: a quiet change; empty when all are in their places.
plan::Change place_frames(const plan::Shoot& shoot);
/// Into a setup by hand; 0: out of theirs.
plan::Change assign(const plan::Shoot& shoot, const std::vector<plan::Id>& frames, plan::Id setup);
/// They find their setups by themselves again.
plan::Change let_assign(const plan::Shoot& shoot, const std::vector<plan::Id>& frames);
/// The frame shows the chart, or does not. `position_s` is of a clip's still.
plan::Change make_chart_shot(const plan::Shoot& shoot, plan::Id frame, plan::Id setup, double position_s = 0);
/// The range of a clip that is developed, s; equal: none.
plan::Change mark_range(const plan::Shoot& shoot, plan::Id frame, double from_s, double to_s);
/// The frames' part in their setup's effects set, a name of PlateRole; empty: none.
plan::Change give_role(const plan::Shoot& shoot, const std::vector<plan::Id>& frames, const std::string& role);
plan::Change make_ordinary(const plan::Shoot& shoot, plan::Id frame);
/// Two frames of one moment: the second's camera gets the offset that makes their times equal. Throws Error(usage)
/// where they are of one camera or do not say when they were taken.
plan::Change same_moment(const plan::Shoot& shoot, plan::Id frame, plan::Id other);
plan::Change set_silent_lens(const plan::Shoot& shoot, plan::Id camera, plan::Id lens);
plan::Change remove_frames(const std::vector<plan::Id>& frames);
plan::Change moved(const plan::Shoot& shoot, const std::vector<Found>& found);

} // namespace refero::work
