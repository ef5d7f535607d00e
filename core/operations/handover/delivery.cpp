#include "operations/handover/delivery.hpp"

#include <set>

#include "operations/capture/files.hpp"
#include "operations/handover/report.hpp"

namespace refero::operations {

namespace fs = std::filesystem;

handover::Records records_of(const shoot::Shoot& shoot, const Chain& c) {
    const shoot::ModeRecord* mode = shoot::record(shoot.modes, c.row.mode);
    return !mode || mode->kind == shoot::ModeKind::raw ? handover::Records::raw
           : mode->kind == shoot::ModeKind::video      ? handover::Records::clips
                                                       : handover::Records::pictures;
}

std::string file_stem(const std::string& title) {
    std::string name;
    for (const char c : to_lower(title))
        if (std::isalnum(static_cast<unsigned char>(c)) || static_cast<unsigned char>(c) >= 0x80) name += c;
        else if (!name.empty() && name.back() != '-') name += '-';
    while (name.ends_with('-')) name.pop_back();
    return name.empty() ? "setup" : name;
}

std::string delivery_title(const Chain& c) {
    const std::string id = c.stretch_id();
    return id.empty() ? c.title : c.title + ", " + id;
}

namespace {

/// Of those in force: all, or the one that is named.
std::vector<InForce> wanted(const shoot::Shoot& shoot, const Chain& c, const std::string& rendering) {
    std::vector<InForce> all = in_force(shoot, c);
    if (!rendering.empty()) std::erase_if(all, [&](const InForce& f) { return f.rendering != rendering; });
    return all;
}

} // namespace

Delivery plan_delivery(const shoot::Shoot& shoot, const DeliveryRequest& request) {
    Delivery d;
    d.rendering_known = request.rendering.empty();
    const std::vector<std::string>& formats = request.destination ? request.destination->formats : request.formats;
    std::set<std::string> taken; // names: equal ones are told apart
    const auto free_target = [&](const std::string& stem, const std::string& ending) {
        fs::path target = request.folder / (stem + ending);
        for (int n = 2; !taken.insert(to_lower(target.filename().string())).second; ++n)
            target.replace_filename(formatted("{}-{}{}", stem, n, ending));
        return target;
    };
    for (const Chain& c : request.chains) {
        if (!c.correction) continue;
        if (request.destination && !request.destination->serves(records_of(shoot, c))) {
            d.not_served.emplace_back(c.title, request.destination->why_not);
            continue;
        }
        const std::vector<InForce> renderings = wanted(shoot, c, request.rendering);
        if (renderings.empty()) continue;
        d.rendering_known = true;
        std::vector<std::string> lines;
        for (const InForce& by : renderings)
            for (const std::string& name : formats) {
                const handover::Format& format = handover::format_named(name);
                const fs::path target = free_target(file_stem(with_rendering(delivery_title(c), by.rendering)) +
                                                        (format.extension == ".json" ? "-" + format.id : ""),
                                                    format.extension);
                lines.push_back(target.filename().string() + ": " + format.title + ". " + format.what + " " +
                                handover::sentence_of(*by.correction, format, {}));
                handover::Options options;
                if (!request.name.empty()) // one name for many would read alike
                    options.name = request.chains.size() * renderings.size() == 1
                                       ? request.name
                                       : request.name + ", " + proposed_name(by);
                d.files.push_back({c, format.first_of(target),
                                   [=, id = format.id] { return write_rendering(by, id, options, target); }});
            }
        const fs::path note = free_target(file_stem(delivery_title(c)), "-note.txt");
        if (request.destination)
            lines.push_back("Next: " + request.destination->next + " Put them into " + request.destination->where +
                            ".");
        d.files.push_back({c, note, [note, text = note_of(shoot, c, lines)] {
                               write_whole(note, text);
                               return recorded({note, "note", "what is what, in words"});
                           }});
    }
    return d;
}

} // namespace refero::operations
