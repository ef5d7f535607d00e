// What is kept from job to job: the kit's rows that follow from a job's.
#pragma once

#include "work/chain.hpp"

namespace refero::work {

/// Cameras, lights and charts of the job that the kit does not know yet.
plan::Change keep_in_kit(const plan::Shoot& shoot, const plan::Kit& kit);
/// A setup's correction as the fallback for its camera and kind of light: rows for the kit and for the job's copy;
/// empty where its light has no common colour or it has no correction.
struct Kept {
    plan::Change kit, job;
};
Kept keep_fallback(const plan::Shoot& shoot, const plan::Kit& kit, const Chain& chain);
/// A light of the kit gets what it was measured as; empty where it knows already.
plan::Change remember_light(const plan::Shoot& shoot, const plan::Kit& kit, plan::Id chart_shot);
/// Jobs of one client form a series; its chart shots are kept for comparing. Empty where there is nothing to keep.
plan::Change keep_for_series(const plan::Shoot& shoot, const plan::Kit& kit, const Chain& chain,
                             const std::filesystem::path& job_file);
/// How a card that was graded by a correction is described from now on.
plan::Change keep_grade(const plan::Card& card, const std::string& words);
/// The house's limits of the gate in the kit, JSON; empty: the usual ones.
std::string house_limits(const plan::Kit& kit);
plan::Change set_limits(const plan::Kit& kit, const std::string& limits);
plan::Change set_limits(const plan::Shoot& shoot, const std::string& limits);

} // namespace refero::work
