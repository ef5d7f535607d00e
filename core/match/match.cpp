#include "match/match.hpp"

#include <cmath>

#include <Eigen/LU>
#include <tbb/parallel_for.h>

#include "colour/rgb.hpp"

namespace refero::match {

using colour::Vec3;

namespace {

constexpr std::size_t fewest_patches = 8;
/// What parts two cameras on other colours, over what parts them on patches left out: a chart's are less strong than
/// most (docs/benchmarks.md, Matching).
constexpr double harder_elsewhere = 1.35;

fit::Statistics elsewhere(const fit::Statistics& left_out) {
    return {harder_elsewhere * left_out.mean, harder_elsewhere * left_out.median, harder_elsewhere * left_out.p95,
            harder_elsewhere * left_out.max};
}

fit::Statistics between(const chart::Reference& a, const chart::Reference& b) {
    std::vector<double> off;
    for (const auto& [id, xyz] : a.xyz)
        if (const auto other = b.xyz.find(id); other != b.xyz.end())
            off.push_back(colour::delta_e_2000(colour::lab_from_xyz(xyz), colour::lab_from_xyz(other->second)));
    return fit::statistics(off);
}

/// Only the patches that both know.
read::Reading common(const read::Reading& reading, const chart::Reference& target) {
    read::Reading both;
    both.chart = reading.chart;
    for (const read::PatchReading& p : reading.patches)
        if (target.xyz.contains(p.id)) both.patches.push_back(p);
    return both;
}

fit::Settings settings_for(const Settings& s, const std::optional<fit::Model>& model) {
    fit::Settings f;
    f.model = model;
    f.finished = s.finished;
    return f;
}

/// The other's own correction, as far as it agrees with the lead's rendering.
std::pair<Candidate, fit::Correction> through_reference(const read::Reading& other, const chart::Reference& target,
                                                        const chart::Reference& reference,
                                                        const chart::Definition* definition, const Settings& settings,
                                                        const std::stop_token& stop) {
    const fit::Correction c = fit::build(other, reference, definition, settings_for(settings, settings.model), stop);
    Candidate k{Way::reference, c.model, between(rendering_of(c, other), target), {}};
    std::vector<double> off(other.patches.size(), NAN);
    tbb::parallel_for(std::size_t{0}, off.size(), [&](std::size_t i) {
        const read::PatchReading& p = other.patches[i];
        const auto wanted = target.xyz.find(p.id);
        if (stop.stop_requested() || !p.usable() || wanted == target.xyz.end() || p.id == c.balance.white_patch) return;
        fit::Settings without = settings_for(settings, c.model);
        without.alone = without.untested = true;
        without.white = c.balance.white_patch;
        without.without = c.odd;
        without.without.push_back(p.id);
        try {
            const fit::Correction blind = fit::build(other, reference, definition, without, stop);
            const Vec3 made = blind(Vec3(p.mean[0], p.mean[1], p.mean[2]));
            off[i] = colour::delta_e_2000(colour::lab_from_xyz(made), colour::lab_from_xyz(wanted->second));
        } catch (const Error&) {} // too few are left without it
    });
    throw_if_stopped(stop);
    std::erase_if(off, [](double d) { return std::isnan(d); });
    k.cross_validated = fit::statistics(off);
    return {k, c};
}

} // namespace

std::string name_of(Way way) { return way == Way::direct ? "direct" : "reference"; }

std::optional<Way> way_named(const std::string& name) {
    if (name == "auto") return std::nullopt;
    if (name == "direct") return Way::direct;
    if (name == "reference") return Way::reference;
    throw Error(ErrorKind::usage, "unknown way '" + name + "'", {}, "Known: auto direct reference");
}

bool is_better(const fit::Statistics& direct, const fit::Statistics& reference) {
    return direct.mean <= reference.mean;
}

chart::Reference rendering_of(const fit::Correction& c, const read::Reading& reading) {
    const colour::Mat3 finish = look::matrix_of(c.finish, c.light);
    chart::Reference r;
    for (const read::PatchReading& p : reading.patches)
        if (p.usable()) r.xyz[p.id] = finish * c(Vec3(p.mean[0], p.mean[1], p.mean[2]));
    return r;
}

chart::Reference picture_of(const read::Reading& reading, const colour::Mat3& xyz_from_rgb) {
    chart::Reference r;
    for (const read::PatchReading& p : reading.patches)
        if (p.usable()) r.xyz[p.id] = xyz_from_rgb * Vec3(p.mean[0], p.mean[1], p.mean[2]);
    return r;
}

ByHand by_hand(const read::Reading& other, const chart::Reference& target, const chart::Definition* definition,
               const fit::Correction& match, const std::function<colour::Mat3(const balance::Balance&)>& own_colours) {
    const balance::Balance& balance = match.balance;
    const colour::Mat3 own = own_colours(balance), to_rgb = colour::rgb_space("linear-bt709").to_xyz_d50().inverse();
    chart::Reference alone;
    std::map<std::string, Vec3> recorded, balanced;
    for (const read::PatchReading& p : other.patches) {
        if (!p.usable() || !target.xyz.contains(p.id)) continue;
        const Vec3 rgb(p.mean[0], p.mean[1], p.mean[2]);
        alone.xyz[p.id] = own * balance(rgb);
        balanced[p.id] = to_rgb * alone.xyz[p.id];
        recorded[p.id] = to_rgb * own * (balance.exposure * rgb);
    }
    // Colours that the chart lacks, evenly taken from the plausible ones.
    constexpr std::size_t most = 160;
    std::vector<Between> lacking;
    const std::vector<Vec3> seen = fit::plausible_colours(match);
    const std::size_t step = std::max<std::size_t>(1, seen.size() / most);
    for (std::size_t i = 0; i < seen.size(); i += step)
        lacking.push_back({to_rgb * own * balance(seen[i]), match(seen[i])});
    return {between(alone, target), recipe_of(recorded, balanced, target, definition, balance, match.light, lacking)};
}

Match match(const read::Reading& reading, const chart::Reference& target, const chart::Reference& reference,
            const chart::Definition* definition,
            const std::function<colour::Mat3(const balance::Balance&)>& own_colours, const Settings& settings,
            std::stop_token stop) {
    const read::Reading other = common(reading, target);
    if (other.patches.size() < fewest_patches)
        throw Error(ErrorKind::input, formatted("both cameras can be read on {} patches only", other.patches.size()),
                    {}, "Shoot one chart with both, unclipped and sharp");
    if (settings.tone) {
        Settings rest = settings;
        rest.tone = false;
        rest.way = Way::direct; // the reference knows nothing of the picture's tone
        const balance::Balance balance = balance::balanced_on(other, target, definition, {});
        std::optional<Tone> tone = tone_of(other, target, definition, balance);
        if (!tone)
            throw Error(ErrorKind::input, "there are too few greys to tell the picture's tone curve", {},
                        "Shoot a chart with four greys and more, or match without the tone apart");
        Match m = match(other, without_tone(target, *tone), reference, definition, own_colours, rest, stop);
        chart::Reference alone, toned, shown;
        const colour::Mat3 own = own_colours(balance);
        m.correction.look = {.name = "the camera's own tone", .curve = tone->curve};
        look::Look only = m.correction.look;
        for (const read::PatchReading& p : other.patches) {
            if (!p.usable()) continue;
            const Vec3 rgb(p.mean[0], p.mean[1], p.mean[2]);
            alone.xyz[p.id] = own * balance(rgb);
            toned.xyz[p.id] = look::looked_xyz(only, alone.xyz[p.id]);
            shown.xyz[p.id] = m.correction.shown(rgb);
        }
        m.before = between(alone, target);
        tone->toned = between(toned, target);
        m.fit = between(shown, target);
        m.tone = std::move(tone);
        m.correction.choice += "; the picture's tone curve is the curve of its look";
        return m;
    }
    bool valued = true; // every patch has a reference value
    for (const read::PatchReading& p : other.patches) valued = valued && reference.xyz.contains(p.id);
    if (settings.way == Way::reference && !valued)
        throw Error(ErrorKind::usage, "without reference values there is only the direct way", {}, "Give --reference");
    Match m;
    std::optional<fit::Correction> direct, through;
    std::vector<std::pair<Candidate, const fit::Correction*>> all;
    if (settings.way != Way::reference) {
        fit::Settings straight = settings_for(settings, settings.model);
        if (settings.lead && valued)
            straight.lead = std::make_shared<const fit::Lead>(fit::Lead{settings.lead, reference});
        direct = fit::build(other, target, definition, straight, stop);
        for (const fit::Candidate& c : direct->candidates)
            if (c.withdrawn.empty() || c.model == direct->model)
                all.push_back(
                    {{Way::direct, c.model, c.fit, c.cross_validated}, c.model == direct->model ? &*direct : nullptr});
        if (direct->candidates.empty())
            all.push_back({{Way::direct, direct->model, direct->fit, direct->cross_validated}, &*direct});
    }
    if (settings.way != Way::direct && valued) {
        auto [candidate, correction] = through_reference(other, target, reference, definition, settings, stop);
        through = std::move(correction);
        all.push_back({candidate, &*through});
    }
    // Left-out patches decide between what each way chose; its other models are told.
    const std::pair<Candidate, const fit::Correction*>* best = nullptr;
    for (const auto& entry : all)
        if (entry.second && (!best || entry.first.cross_validated.mean < best->first.cross_validated.mean))
            best = &entry;
    m.correction = *best->second;
    m.way = best->first.way;
    m.fit = best->first.fit;
    m.cross_validated = best->first.cross_validated;
    m.correction.unseen = elsewhere(m.cross_validated);
    // What each way takes comes first: a model with a smaller figure may not be surely better, and is not taken.
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
        return std::pair(!a.second, a.first.cross_validated.mean) < std::pair(!b.second, b.first.cross_validated.mean);
    });
    for (const auto& entry : all) m.candidates.push_back(entry.first);
    m.correction.choice = formatted("match, {}: {:.2f} CIEDE2000 between both cameras on patches held out",
                                    m.way == Way::direct ? "straight to the lead's rendering" : "through the reference",
                                    m.cross_validated.mean);
    ByHand hand = by_hand(other, target, definition, m.correction, own_colours);
    m.before = hand.before;
    m.recipe = std::move(hand.recipe);
    return m;
}

Delivered verify(const chart::Reference& master, const chart::Reference& delivered) {
    Delivered d;
    std::vector<double> off;
    double lightness = 0, chroma = 0, a = 0, b = 0;
    int coloured = 0;
    for (const auto& [id, xyz] : master.xyz) {
        const auto other = delivered.xyz.find(id);
        if (other == delivered.xyz.end()) continue;
        const Vec3 was = colour::lab_from_xyz(xyz), is = colour::lab_from_xyz(other->second);
        const Vec3 was_lch = colour::lch_from(was), is_lch = colour::lch_from(is);
        d.patches.push_back({id, colour::delta_e_2000(was, is), is[0] - was[0], is_lch[1] - was_lch[1],
                             std::remainder(is_lch[2] - was_lch[2], 360.0)});
        off.push_back(d.patches.back().delta_e_2000);
        lightness += is[0] - was[0];
        a += is[1] - was[1];
        b += is[2] - was[2];
        if (was_lch[1] > 15) {
            chroma += (is_lch[1] - was_lch[1]) / was_lch[1];
            ++coloured;
        }
    }
    if (off.empty())
        throw Error(ErrorKind::input, "master and delivered picture share no patch that can be read", {},
                    "Keep the chart in both pictures, unclipped");
    const auto n = static_cast<double>(off.size());
    d.delta_e_2000 = fit::statistics(off);
    std::vector<std::string> told;
    if (std::abs(lightness / n) > 0.7)
        told.push_back(formatted("{} by {:.1f} L*", lightness > 0 ? "lighter" : "darker", std::abs(lightness / n)));
    if (std::abs(b / n) > 0.7)
        told.push_back(formatted("{} by {:.1f} b*", b > 0 ? "yellower" : "bluer", std::abs(b / n)));
    if (std::abs(a / n) > 0.7)
        told.push_back(formatted("{} by {:.1f} a*", a > 0 ? "redder" : "greener", std::abs(a / n)));
    if (coloured && std::abs(chroma / coloured) > 0.02)
        told.push_back(
            formatted("{} saturated by {:.0f} %", chroma > 0 ? "more" : "less", 100 * std::abs(chroma / coloured)));
    std::string list;
    for (const std::string& t : told) list += (list.empty() ? "" : ", ") + t;
    d.words = formatted("CIEDE2000 {:.2f} on average, {:.2f} at most: {}", d.delta_e_2000.mean, d.delta_e_2000.max,
                        d.delta_e_2000.mean < 1   ? "the delivered picture shows the master's colours"
                        : d.delta_e_2000.mean < 3 ? "small changes that show side by side"
                                                  : "the colours changed on the way");
    if (!list.empty()) d.words += "; it is " + list;
    if (d.delta_e_2000.mean >= 3) d.words += ". Check its profile, its colour space and what the host did to it";
    return d;
}

} // namespace refero::match
