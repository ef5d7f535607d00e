// A delivery: the files of several setups, with their stretches and renderings, for one destination or some formats.
#pragma once

#include <functional>

#include "handover/destinations.hpp"
#include "operations/correct/renderings.hpp"

namespace refero::operations {

struct DeliveryRequest {
    std::vector<Chain> chains;                          ///< a stretch each; those without a correction are passed over
    const handover::Destination* destination = nullptr; ///< null: `formats`
    std::vector<std::string> formats;                   ///< ids of handover::formats()
    std::string rendering; ///< the one of this name; empty: the setups' own and all renderings that hold
    std::string name;      ///< inside the files; empty: proposed for each
    std::filesystem::path folder;
};
struct DeliveryFile {
    Chain chain;
    std::filesystem::path target; ///< the file; of a folder its first
    std::function<HandedOver()> write;
};
struct Delivery {
    std::vector<DeliveryFile> files;                             ///< and a note in words for each stretch
    std::vector<std::pair<std::string, std::string>> not_served; ///< setup, and why
    bool rendering_known = true;                                 ///< a setup has the rendering that was asked for
};
/// All files, before anything is written; names that would be equal get a number. Throws Error(usage) for an unknown
/// format.
Delivery plan_delivery(const shoot::Shoot& shoot, const DeliveryRequest& request);

/// A name that any file system takes: "Stills A, Window" is stills-a-window.
std::string file_stem(const std::string& title);
/// What a setup records, as destinations ask.
handover::Records records_of(const shoot::Shoot& shoot, const Chain& chain);
/// "Stills A, Window, 10:12": the setup, and its stretch where it has several.
std::string delivery_title(const Chain& chain);

} // namespace refero::operations
