// What is kept from job to job: the kit's rows that follow from a job's.
#pragma once

#include "operations/correct/chain.hpp"

namespace refero::operations {

/// Cameras, lights and charts of the job that the kit does not know yet.
shoot::Change keep_in_kit(const shoot::Shoot& shoot, const shoot::Kit& kit);
/// A setup's correction as the fallback for its camera and kind of light: rows for the kit and for the job's copy;
/// empty where its light has no common colour or it has no correction.
struct Kept {
    shoot::Change kit, job;
};
Kept keep_fallback(const shoot::Shoot& shoot, const shoot::Kit& kit, const Chain& chain);
/// A light of the kit gets what it was measured as; empty where it knows already.
shoot::Change remember_light(const shoot::Shoot& shoot, const shoot::Kit& kit, shoot::Id chart_shot);
/// Jobs of one client form a series; its chart shots are kept for comparing. Empty where there is nothing to keep.
shoot::Change keep_for_series(const shoot::Shoot& shoot, const shoot::Kit& kit, const Chain& chain,
                              const std::filesystem::path& job_file);
/// How a card that was graded by a correction is described from now on.
shoot::Change keep_grade(const shoot::CardRecord& card, const std::string& words);
/// The house's limits of the gate in the kit, JSON; empty: the usual ones.
std::string house_limits(const shoot::Kit& kit);
shoot::Change set_limits(const shoot::Kit& kit, const std::string& limits);
shoot::Change set_limits(const shoot::Shoot& shoot, const std::string& limits);

} // namespace refero::operations
