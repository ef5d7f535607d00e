// The demo job: a shoot from its description, with frames that the simulator makes.
#pragma once

#include "store/document.hpp"

namespace refero::operations {

using shoot::Id;

/// A frame that the simulator makes.
struct DemoFrame {
    std::filesystem::path scene; ///< scene description
    std::string changes;         ///< JSON merge patch for it
    std::filesystem::path file;  ///< where the frame belongs
    /// A clip: changes for its parts and how long each is shown; `changes` are for all of them. Empty: a frame.
    struct Part {
        double seconds;
        std::string changes;
    };
    std::vector<Part> clip = {};
    Id setup = 0;
    bool chart = false;
    std::string refused; ///< why the chart shot is of no use; empty: it is
    std::string card;    ///< corners of the square of its grey card that is touched; empty: it shows a chart
};

/// What is done in a setup once its chart shot is read.
struct DemoGoal {
    Id setup = 0;
    std::string
        goal;    ///< "read", "proved", "handed over", "borrowed", "matched", "balance handed over"; see docs/formats.md
    Id from = 0; ///< "borrowed": the setup whose correction is taken; "matched": the lead
};

struct Demo {
    std::vector<DemoFrame> frames; ///< chart shots first
    std::vector<DemoGoal> goals;
};

/// Fills an empty job and kit from the demo's description; its frames belong into `folder`. Throws Error(input).
Demo start_demo(const std::filesystem::path& description, const std::filesystem::path& folder, store::JobFile& job,
                store::KitFile& kit);
/// Renders and writes one frame; one that exists is left alone. With a `cache` folder the rendered file is kept
/// there under a name that stands for its description, and copied when it is wanted again.
void make(const DemoFrame& frame, const std::filesystem::path& cache = {}, std::stop_token stop = {});

} // namespace refero::operations
