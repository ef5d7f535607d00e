// The shot list: what to shoot, in an order in which nothing is moved twice.
#include <cmath>
#include <sstream>

#include "chart/chart.hpp"
#include "frame/frame.hpp"
#include "plan/optics.hpp"
#include "plan/shot_list.hpp"
#include "shoot/board.hpp"
#include "shoot/evidence.hpp"

namespace refero::plan {

namespace {

std::string length(double mm) {
    return !std::isfinite(mm) ? "infinity"
           : mm < 995         ? formatted("{:.0f} cm", mm / 10)
                              : formatted("{:.2f} m", mm / 1000);
}

double luminance_of(const char* patch) {
    static const chart::Reference reference = chart::reference_of(chart::find_definition("grid24"));
    return reference.xyz.at(patch)[1];
}

} // namespace

Levels levels_of(const shoot::ModeRecord& mode, shoot::ExposureSchool school) {
    const frame::Encoding curve = frame::Encoding::named(mode.encoding);
    // What a perfect diffuser is in the curve's own scale: ITU-R BT.2408-7 puts it at 75 % of HLG and at 203 cd/m2 of
    // PQ, which is of the display: the reference OOTF's exponent of 1.2 stands between scene and display.
    const bool pq = mode.encoding == "pq";
    const double diffuser = mode.encoding == "hlg" ? curve.decode(1, 0.75) : pq ? 203.0 / 10000 : 1;
    const double over = school == shoot::ExposureSchool::one_over && mode.kind == shoot::ModeKind::video ? 2 : 1;
    const auto code = [&](double luminance) {
        const double wanted = std::pow(luminance * over, pq ? 1.2 : 1.0) * diffuser;
        double low = 0, high = 1;
        for (int i = 0; i < 50; ++i) (curve.decode(1, (low + high) / 2) < wanted ? low : high) = (low + high) / 2;
        return (low + high) / 2;
    };
    return {code(0.18), code(0.90), code(luminance_of("A2")), code(luminance_of("A1"))};
}

std::vector<std::string> cautions(shoot::LightKind kind) {
    switch (kind) {
    case shoot::LightKind::window:
        return {"Window light drifts with sun and clouds: shoot the chart again when it changes."};
    case shoot::LightKind::sun:
        return {"Chart and subject out of each other's shadow. Keep off the road, and never look into the sun through "
                "a lens."};
    case shoot::LightKind::shade:
        return {"Walls, trees and sky tint the shade: hold the chart exactly where the subject is."};
    case shoot::LightKind::tungsten:
        return {"Hot lamps and housings burn skin and scorch cloth: let them cool, keep their distance; weigh stands "
                "down, tape cables."};
    case shoot::LightKind::fluorescent:
        return {
            "Tubes flicker with the mains: expose for at least 1/50 s (50 Hz) or 1/60 s (60 Hz). Let them warm up."};
    case shoot::LightKind::led:
        return {"Dimmed panels may flicker and change colour: leave the dimmer alone between chart and subject. Weigh "
                "stands down, tape cables."};
    case shoot::LightKind::flash:
        return {"Never fire a flash near eyes, nor at photosensitive people or animals; let it recycle fully. The "
                "room's lamps must not show."};
    case shoot::LightKind::discharge:
        return {"Unfiltered discharge lamps give off ultraviolet: never without their glass. They take minutes to "
                "reach their colour."};
    case shoot::LightKind::candle:
        return {"Open flames: nothing that burns nearby, never unattended, water or an extinguisher at hand."};
    case shoot::LightKind::mixed:
        return {
            "Two lights of different colour: balance for the key light on the subject, note what else falls on it."};
    }
    return {};
}

std::vector<shoot::FallbackRecord> missing_fallbacks(const shoot::Shoot& shoot) {
    std::vector<shoot::FallbackRecord> all;
    for (const shoot::CameraRecord& c : shoot.cameras)
        for (const shoot::LightKind k : {shoot::LightKind::sun, shoot::LightKind::shade, shoot::LightKind::tungsten,
                                         shoot::LightKind::fluorescent, shoot::LightKind::flash}) {
            const bool there =
                std::any_of(shoot.fallbacks.begin(), shoot.fallbacks.end(), [&](const shoot::FallbackRecord& f) {
                    return f.camera == c.name && shoot::fallback_kind(f.kind) == k && !f.content.empty();
                });
            if (!there) all.push_back({0, "", c.name, k, "", ""});
        }
    return all;
}

namespace {

std::string chart_words(const shoot::CardRecord* card) {
    if (!card) return "no chart in the kit yet: any that covers a tenth of the frame";
    const bool own_size = card->width_mm > 0;
    return card->name + (own_size ? formatted(" ({:.0f} x {:.0f} mm)", card->width_mm, card->height_mm) : "");
}

void add_hints(PlannedShot& p, const shoot::Shoot& shoot, const shoot::SetupRecord& s) {
    const shoot::JobSettingsRecord& brief = shoot.brief();
    const shoot::ModeRecord* mode = shoot::record(shoot.modes, s.mode);
    const shoot::LightRecord* light = shoot::record(shoot.lights, s.light);
    if (p.holding.patch_px > 0) {
        const Holding& h = p.holding;
        p.hints.push_back(formatted("{:.0f} % of the frame, smallest patch {:.0f} px; sharp from {} to {} at f/{:g}",
                                    100 * h.share, h.patch_px, length(h.depth.near_mm), length(h.depth.far_mm),
                                    s.f_number) +
                          (h.largest_tilt_deg < 45 ? formatted(" (tilt at most {:.0f} deg)", h.largest_tilt_deg) : ""));
    }
    if (!mode) return;
    const bool flash = light && light->kind == shoot::LightKind::flash;
    std::string meter = flash                                  ? "Flash meter or test frames: "
                        : mode->kind == shoot::ModeKind::video ? "Waveform or zebra: "
                                                               : "Meter: ";
    try {
        const Levels l = levels_of(mode->kind == shoot::ModeKind::raw && mode->encoding == "linear"
                                       ? shoot::ModeRecord{0, "", shoot::ModeKind::raw, "srgb", ""}
                                       : *mode,
                                   brief.exposure_school);
        if (mode->kind == shoot::ModeKind::video) {
            const bool over = brief.exposure_school == shoot::ExposureSchool::one_over;
            meter += formatted("grey {:.0f} %, white {:.0f} %, light skin {:.0f} %, dark skin {:.0f} %", 100 * l.grey,
                               100 * l.white, 100 * l.light_skin, 100 * l.dark_skin) +
                     (over ? ", one stop over" : "");
        } else {
            meter += formatted("grey at {:.0f} % of the histogram, white below {:.0f} %, nothing clipped", 100 * l.grey,
                               100 * l.white);
        }
    } catch (const Error&) { meter += "the mode's curve is not known here; nothing clipped, black not drowned"; }
    p.hints.push_back(meter);
    const bool baked = mode->kind != shoot::ModeKind::raw;
    std::string balance;
    switch (brief.balance_school) {
    case shoot::BalanceSchool::custom: balance = "Balance on a grey or white card"; break;
    case shoot::BalanceSchool::preset:
        balance = light && light->kelvin > 0 ? formatted("Balance set to {:.0f} K", light->kelvin)
                                             : "Balance at the light's preset";
        break;
    case shoot::BalanceSchool::automatic:
        balance = baked ? "Balance on a card: automatic balance cannot be mended in " +
                              std::string(mode->kind == shoot::ModeKind::video ? "video" : "JPEG")
                        : "Automatic balance will do for raw, corrected from the chart";
        break;
    }
    if (flash && brief.balance_school == shoot::BalanceSchool::automatic)
        balance += " (it measures the room's lamps, not the flash)";
    if (baked) balance += ", before the chart: the recording keeps it";
    else if (brief.balance_school != shoot::BalanceSchool::automatic) balance += " (makes preview and histogram true)";
    p.hints.push_back(balance);
    if (s.balance_only)
        p.hints.push_back("Balance only: a card or the chart's greys. For finished JPEGs and same-day delivery the "
                          "balance is set in the camera");
}

} // namespace

ShotList shot_list(const shoot::Shoot& shoot) {
    ShotList list;
    const shoot::JobSettingsRecord& brief = shoot.brief();
    list.title = brief.title;
    list.date = brief.date;
    list.schools =
        std::string(brief.lens_school == shoot::LensSchool::each_lens ? "each lens its own chart shot"
                                                                      : "one chart shot a camera and light") +
        "; chart " +
        (brief.share_school == shoot::ShareSchool::fill ? "fills the frame" : "about a tenth of the frame") +
        "; balance " + shoot::name_of(brief.balance_school) + "; video " +
        (brief.exposure_school == shoot::ExposureSchool::one_over ? "one stop over" : "as metered") +
        "; chart at the " + (brief.stretch_school == shoot::StretchSchool::last ? "end" : "start") + " of each light";
    list.before = {"Chart clean, closed until needed, patches never touched. Clocks set, low ISO. Spot-meter a grey "
                   "card or measure incident light: averaging meters mislead.",
                   "Chart in the subject's own light, key-light side, facing the camera, no shadow, finger or glare on "
                   "it. Again whenever the light changes.",
                   "On the chart one lamp at 45 degrees, or even daylight. Sensor and chart parallel: use a level.",
                   "Raw: uncompressed, 14 bit, where the camera offers it."};
    const auto rows = shoot::rigs(shoot);
    // Lights of one place follow each other.
    std::vector<shoot::Id> lights;
    for (const shoot::Id first : shoot::lights_in_order(shoot)) {
        if (std::find(lights.begin(), lights.end(), first) != lights.end()) continue;
        const shoot::Id place = shoot::record(shoot.lights, first)->place;
        lights.push_back(first);
        for (const shoot::Id other : shoot::lights_in_order(shoot))
            if (place && shoot::record(shoot.lights, other)->place == place &&
                std::find(lights.begin(), lights.end(), other) == lights.end())
                lights.push_back(other);
    }
    for (const shoot::Id id : lights) {
        const shoot::LightRecord& light = *shoot::record(shoot.lights, id);
        LightGroup g;
        g.light = id;
        const std::string place = shoot::name_in(shoot.places, light.place);
        g.title = light.name + (place.empty() ? "" : ", " + place);
        g.about = shoot::words_for(light.kind);
        if (light.kelvin > 0) g.about += formatted(", {:.0f} K", light.kelvin);
        for (const std::string& s : {light.power, light.modifier})
            if (!s.empty()) g.about += ", " + s;
        if (!light.spill.empty()) g.about += "; also on the subject: " + light.spill;
        g.cautions = cautions(light.kind);
        for (const shoot::Rig& rig : rows) {
            const shoot::SetupRecord* s = shoot::setup_at(shoot, rig, id);
            if (!s) continue;
            PlannedShot p;
            p.setup = s->id;
            p.camera = shoot::name_in(shoot.cameras, s->camera);
            p.lens = s->lens ? shoot::name_in(shoot.lenses, s->lens) : "any lens";
            p.mode = shoot::name_in(shoot.modes, s->mode);
            p.balance_only = s->balance_only;
            p.done = shoot::evidence(shoot, s->id).shot != nullptr;
            const shoot::CardRecord* card = card_for(shoot, *s);
            p.chart = chart_words(card);
            const shoot::CameraRecord* camera = shoot::record(shoot.cameras, s->camera);
            const shoot::LensRecord* lens = shoot::record(shoot.lenses, s->lens);
            if (!lens)
                for (const shoot::LensRecord& l : shoot.lenses)
                    if (!lens) lens = &l;
            if (camera && lens && card && card->width_mm > 0) {
                p.holding = hold(*camera, *lens, *card, smallest_patch_mm(*card), s->f_number,
                                 wanted_share(*camera, *card, brief.share_school));
                p.hold = formatted("{} from the camera (sensor)", length(p.holding.from_sensor_mm));
                if (!s->lens) p.hold += formatted(" at {:.0f} mm", lens->focal_mm);
                if (p.holding.too_near)
                    p.hold += formatted(": as near as it focuses; a smaller share, {:.0f} %", 100 * p.holding.share);
                p.hold += ", beside the subject";
            } else {
                p.hold = std::string("beside the subject, ") +
                         (brief.share_school == shoot::ShareSchool::fill ? "filling the frame"
                                                                         : "about a tenth of the frame") +
                         (lens ? "" : "; its distance follows once a lens is given");
            }
            add_hints(p, shoot, *s);
            g.shots.push_back(std::move(p));
        }
        if (!g.shots.empty()) list.groups.push_back(std::move(g));
    }
    if (brief.matching)
        list.arrangement = {
            "Before all cameras, one after the other, unmoved: the chart, and beside it cloth or objects in saturated "
            "purple, red and green, and a hand or face.",
            "These are the colours in which cameras differ most; the match is judged on them, not only on the chart."};
    if (brief.fallbacks)
        for (const shoot::FallbackRecord& f : missing_fallbacks(shoot))
            list.fallbacks.push_back(
                f.camera + ", " +
                (f.kind == shoot::LightKind::sun ? std::string("daylight") : shoot::words_for(f.kind)));
    return list;
}

int ShotList::shots() const {
    int n = 0;
    for (const LightGroup& g : groups) n += static_cast<int>(g.shots.size());
    return n;
}

std::string as_text(const ShotList& list) {
    constexpr std::size_t width = 76;
    std::string out;
    const auto line = [&](const std::string& words, std::size_t indent, const std::string& first = {}) {
        std::istringstream in(words);
        std::string row = first + std::string(indent > first.size() ? indent - first.size() : 0, ' ');
        bool empty = true;
        for (std::string w; in >> w;) {
            if (!empty && row.size() + 1 + w.size() > width) {
                out += row + "\n";
                row = std::string(indent, ' ');
                empty = true;
            }
            row += (empty ? "" : " ") + w;
            empty = false;
        }
        out += row + "\n";
    };
    line("SHOT LIST  " + list.title + (list.date.empty() ? "" : "  " + list.date), 0);
    line(formatted("{} chart shots under {} lights; ", list.shots(), static_cast<int>(list.groups.size())) +
             list.schools,
         0);
    out += "\n";
    for (const std::string& b : list.before) line(b, 2, "-");
    for (const LightGroup& g : list.groups) {
        out += "\n" + g.title + "\n" + std::string(std::min(width, g.title.size()), '-') + "\n";
        line(g.about, 0);
        for (const std::string& c : g.cautions) line(c, 2, "!");
        for (const PlannedShot& p : g.shots) {
            line(p.camera + ", " + p.lens + ", " + p.mode + (p.balance_only ? " (balance only)" : ""), 4,
                 p.done ? "[x]" : "[ ]");
            line(p.chart + ": " + p.hold, 4);
            for (const std::string& h : p.hints) line(h, 6, "    -");
            out += "    note: ______________________________________________\n";
        }
    }
    if (!list.arrangement.empty()) {
        out += "\nFor the match\n-------------\n";
        for (const std::string& a : list.arrangement) line(a, 2, "-");
    }
    if (!list.fallbacks.empty()) {
        out += "\nFallbacks still missing\n-----------------------\n";
        std::string all;
        for (const std::string& f : list.fallbacks) all += (all.empty() ? "" : "; ") + f;
        line(all + ".", 0);
    }
    out += "\nFollow local rules; have mains work done by a qualified person. Weigh stands down and\ntape cables. "
           "Lights may be hot.\n";
    return out;
}

} // namespace refero::plan
