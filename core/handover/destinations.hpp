// Destinations: what a correction is handed over for, and the formats that serve it.
#pragma once

#include <string>
#include <vector>

namespace refero::handover {

/// What a setup records, as far as a destination asks.
enum class Records { raw, pictures, clips };

/// One row of the table.
struct Destination {
    std::string id;                                    ///< "develop", as the command line names it
    std::string title;                                 ///< "Raw developer"
    std::vector<std::string> formats;                  ///< ids of handover::formats()
    std::string where;                                 ///< where the files go on this machine
    std::string next;                                  ///< the next step, one sentence
    bool raw = false, pictures = false, clips = false; ///< what it can serve
    std::string why_not;                               ///< said of what it cannot serve

    bool serves(Records records) const {
        return records == Records::raw ? raw : records == Records::pictures ? pictures : clips;
    }
};
/// In the order in which they are offered.
const std::vector<Destination>& destinations();
/// Throws Error(usage) listing them.
const Destination& destination_named(const std::string& id);
/// The one that a mode asks for: raw files are developed, clips are graded, pictures are printed.
const Destination& destination_for(Records records);

} // namespace refero::handover
