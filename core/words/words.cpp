#include "words/words.hpp"

#include <cmath>

#include "base/base.hpp"

namespace refero::words {

Band band_of(double d) {
    return d <= max_unseen ? Band::unseen : d <= max_close ? Band::close : d <= max_near ? Band::near : Band::off;
}

std::string accuracy(double d) {
    switch (band_of(d)) {
    case Band::unseen: return "Colours land where they belong: most people see no difference.";
    case Band::close: return "Colours are close: a trained eye sees a difference side by side.";
    case Band::near: return "Colours are near: most people see a difference side by side.";
    case Band::off: break;
    }
    return "Colours are off: people see it at a glance. Check the chart shot first.";
}

std::string match(double d) {
    switch (band_of(d)) {
    case Band::unseen: return "Both cameras look alike: most people see no difference.";
    case Band::close: return "Both cameras are close: a trained eye sees a difference from cut to cut.";
    case Band::near: return "Both cameras are near: most people see a difference from cut to cut.";
    case Band::off: break;
    }
    return "The cameras differ at a glance. Check both chart shots first.";
}

std::string shot(const ShotFacts& f) {
    if (!f.there) return f.card ? "Photograph the card under this light." : "Photograph the chart under this light.";
    if (f.card) return "Click the card in the picture: that place becomes neutral.";
    if (!f.found) return "No chart was found here: set its corners, or shoot it again.";
    if (f.accepted) return "You have accepted this chart shot, whatever speaks against it.";
    if (f.refused || f.verdict == inspect::Status::reshoot) return "Shoot the chart again: this shot would mislead.";
    if (f.verdict == inspect::Status::caution) return "This chart shot can be used, with care.";
    return "This chart shot is good.";
}

std::string reading(int usable, int patches) {
    if (patches == 0) return "Nothing is read yet: the chart comes first.";
    if (usable == patches) return "Every patch of the chart is read.";
    if (2 * usable < patches) return "Most patches cannot be used: shoot the chart again.";
    return formatted("{} of {} patches are read; the others stay out of the fit.", usable, patches);
}

std::string balance(bool there, double kelvin) {
    if (!there) return "Greys are not neutral yet: choose a grey patch to balance on.";
    const char* light = kelvin <= 0     ? ""
                        : kelvin < 3500 ? " The light is warm, like a lamp's."
                        : kelvin < 4700 ? " The light lies between lamp and day."
                        : kelvin < 7500 ? " The light is like day."
                                        : " The light is cold, like open shade.";
    return std::string("Greys come out neutral.") + light;
}

std::string correction(bool there, bool stale, double d) {
    if (!there) return "Nothing is corrected yet: one press fits the correction.";
    if (stale) return "This correction no longer holds: see why, and fit it again.";
    return accuracy(d);
}

std::string proof(bool there, bool stale, double d) {
    if (!there) return "What the correction is worth is not known yet: one press checks it.";
    if (stale) return "This check is of an older correction: check again.";
    return accuracy(d);
}

std::string handover(bool correction, int files, bool stale) {
    if (!correction) return "There is nothing to hand over yet: fit a correction first.";
    if (files == 0) return "Hand the correction over to where the pictures are worked on.";
    if (stale) return "What was handed over is older than the correction: hand it over again.";
    return files == 1 ? "One file is with another program." : formatted("{} files are with other programs.", files);
}

std::vector<std::string> all() {
    using inspect::Status;
    std::vector<std::string> s;
    for (const double d : {0.5, 1.5, 3.0, 8.0}) {
        s.push_back(accuracy(d));
        s.push_back(match(d));
    }
    s.push_back(shot({}));
    s.push_back(shot({.card = true}));
    s.push_back(shot({.there = true, .card = true}));
    s.push_back(shot({.there = true}));
    s.push_back(shot({.there = true, .found = true, .accepted = true}));
    for (const Status v : {Status::pass, Status::caution, Status::reshoot})
        s.push_back(shot({.there = true, .found = true, .verdict = v}));
    for (const auto& [usable, patches] : {std::pair(0, 0), {24, 24}, {20, 24}, {4, 24}})
        s.push_back(reading(usable, patches));
    s.push_back(balance(false, 0));
    for (const double kelvin : {0.0, 2900.0, 4200.0, 5600.0, 9000.0}) s.push_back(balance(true, kelvin));
    s.push_back(correction(false, false, 0));
    s.push_back(correction(true, true, 0.5));
    s.push_back(proof(false, false, 0));
    s.push_back(proof(true, true, 0.5));
    s.push_back(handover(false, 0, false));
    for (const int files : {0, 1, 5}) s.push_back(handover(true, files, false));
    s.push_back(handover(true, 2, true));
    return s;
}

} // namespace refero::words
