// What the actions of refero-cli job share.
#pragma once

#include "operations/correct/chain.hpp"
#include "store/document.hpp"
#include "verb.hpp"

namespace refero::cli {

/// Where a named colour comes from.
struct ColourArguments {
    std::string xyz, lab, code, values, value_id, frame, spot, beside, illuminant = "d50";
    int observer = 2;
    double radius_px = 0;
    void add(CLI::App& app);
};

struct JobArguments {
    std::string file, action, setup, stretch, output, chunk, rendering, intent, look, encoding, camera, destination,
        lead, formats = "cube,dcp,icc,matrix", name = "{stem}";
    std::vector<std::string> files;
    DevelopArguments how;
    ColourArguments colour;
    bool formats_told = false;
    bool list = false, all_frames = false, outside = false;
    Outputs outputs;
};

/// The chains of all stretches of all setups, or of those that are named; a stretch by any unambiguous beginning of its
/// id. Throws Error(usage) for a name that is none.
std::vector<operations::Chain> chosen(const shoot::Shoot& shoot, const std::string& name,
                                      const std::string& stretch = {});

/// Files and folders come in: with a plan or without.
Result take(store::JobFile& job, const JobArguments& arguments);
/// What the job has now: cameras, lights, counts, and ordinary frames that no chart stands for.
void tell_arrivals(Result& result, const shoot::Shoot& shoot);
/// Each frame, where it belongs and why.
Result list_frames(store::JobFile& job);
/// Another name for a camera, light, lens or mode.
Result rename(store::JobFile& job, const JobArguments& arguments);
/// A school or limit of the job, or of one setup.
Result set(store::JobFile& job, const JobArguments& arguments);
/// A colour that the job is about, and what becomes of all of them.
Result add_colour(store::JobFile& job, const JobArguments& arguments);
Result list_colours(store::JobFile& job, const JobArguments& arguments);

} // namespace refero::cli
