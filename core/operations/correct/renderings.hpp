// Several renderings of one setup side by side: corrections of the same reading with an intent, finish and look of
// their own, each under a name.
#pragma once

#include "operations/correct/making.hpp"
#include "operations/handover/handover.hpp"

namespace refero::operations {

struct KeptRendering {
    shoot::Id row = 0; ///< of the correction
    std::string name;
    shoot::SetupSettings settings;                     ///< the setup's, with what the rendering has of its own
    std::shared_ptr<const fit::Correction> correction; ///< null: it cannot be read
    std::string stale;                                 ///< why it no longer holds; empty: it does
};
/// In the order in which they were first kept.
std::vector<KeptRendering> renderings_of(const shoot::Shoot& shoot, const Chain& chain);

/// The correction in force, with its finish and look, under a name; one of this name gives way. Throws Error(usage)
/// where there is none, or for an empty name.
shoot::Change keep_rendering(const shoot::Shoot& shoot, const Chain& chain, const std::string& name);
shoot::Change rename_rendering(const shoot::Shoot& shoot, shoot::Id row, const std::string& name);
shoot::Change remove_rendering(const shoot::Shoot& shoot, shoot::Id row);
/// A rendering becomes the setup's own correction, with its intent, model, weights, finish and look; it stays kept.
shoot::Change work_on_rendering(const shoot::Shoot& shoot, const Chain& chain, const KeptRendering& rendering);

/// What it takes to make one anew from the reading in force. Throws as fit_request does.
FitRequest fit_request(const shoot::Shoot& shoot, const Chain& chain, const KeptRendering& rendering);
/// It stays under its name and in its row.
shoot::Change keep(const shoot::Shoot& shoot, const FitRequest& request, const KeptRendering& rendering,
                   const fit::Correction& correction);

/// A correction of the setup that is handed over, and the name it goes by: empty for the setup's own.
struct InForce {
    shoot::Id row = 0;
    std::string rendering;
    std::shared_ptr<const fit::Correction> correction;
    std::string stretch = {}; ///< id of its stretch, where the setup has several
    std::string title = {};   ///< the setup's, which tells bodies of one model apart; empty: model and light
};
/// The setup's own, then its renderings that hold.
std::vector<InForce> in_force(const shoot::Shoot& shoot, const Chain& chain);
/// What a file of it is called inside: "Stills A, Window, 2026-05-04 10:00, warm"; date and time of its chart shot, the
/// time where the setup has several stretches.
std::string proposed_name(const InForce& by);
/// A handover file of one, by the name that is proposed unless `options` have one.
HandedOver write_rendering(const InForce& by, const std::string& format, handover::Options options,
                           const std::filesystem::path& file);
/// A file's title and name with a rendering: "Stills A, window, web"; without one as they are.
std::string with_rendering(const std::string& title, const std::string& rendering);

} // namespace refero::operations
