// Tasks by seed: scenes with known faults, about as far beyond the gate's limits as the level says.
#include <cmath>
#include <random>

#include "base/base.hpp"
#include "practice/practice.hpp"

namespace refero::practice {

using simulate::Scene;

namespace {

constexpr int width = 1200, height = 800; ///< of a task's frames
constexpr const char* lamp_caution =
    "Lamps and their housings get hot; secure stands with sandbags and cables with tape. Follow local rules, and have "
    "mains work done by a qualified person.";

struct Random {
    std::mt19937_64 engine;
    double uniform(double low, double high) {
        return low + (high - low) * (static_cast<double>(engine() >> 11) * 0x1p-53);
    }
    int below(int n) { return std::min(n - 1, static_cast<int>(uniform(0, n))); }
    template<class T>
    const T& pick(const std::vector<T>& all) {
        return all[static_cast<std::size_t>(below(static_cast<int>(all.size())))];
    }
};

/// A chart shot that the gate passes: frontal, sharp, even, well exposed.
Scene good_scene(Random& random) {
    Scene s = simulate::load_scene(shipped("demo/chart.json"));
    s.width = width;
    s.height = height;
    s.camera = simulate::camera_named(random.pick(std::vector<std::string>{"stills-a", "stills-b", "cine-a"}));
    s.light_name = random.pick(std::vector<std::string>{"window", "tungsten", "flash"});
    s.light = simulate::light_named(s.light_name);
    s.seed = static_cast<std::uint64_t>(random.below(1 << 30));
    s.blur_px = 0.5;
    s.vignetting_stops = 0.1;
    s.white = random.uniform(0.6, 0.8);
    simulate::ChartInScene& c = s.charts.front();
    c.width = random.uniform(0.36, 0.5);
    c.x = random.uniform(0.45, 0.55);
    c.y = random.uniform(0.45, 0.55);
    c.tilt_deg = random.uniform(0, 6);
    c.tilt_axis_deg = random.uniform(0, 180);
    c.rotation_deg = random.uniform(-6, 6);
    return s;
}

/// A fault: how a scene is spoilt, how much of it there is at each level (beyond the gate's limit in all), and what is
/// done about it.
struct Fault {
    inspect::Check check;
    const char *words, *remedy;
    void (*spoil)(Scene&, double amount, Random&);
    std::array<double, highest_level> amount; ///< by level: plain at first, then near the limit
};

const std::vector<Fault>& faults() {
    static const std::vector<Fault> all{
        {inspect::Check::tilt,
         "The chart is turned away",
         "Turn the chart to the camera until both are parallel",
         [](Scene& s, double a, Random& r) {
             s.charts.front().tilt_deg = a;
             s.charts.front().tilt_axis_deg = r.uniform(0, 180);
         },
         {52, 46, 42, 38}},
        {inspect::Check::size,
         "The chart is too small",
         "Go nearer with the camera, or use a longer lens",
         [](Scene& s, double a, Random&) { s.charts.front().width = a; },
         {0.05, 0.055, 0.06, 0.065}},
        {inspect::Check::focus,
         "The chart is out of focus",
         "Focus on the chart, then shoot again",
         [](Scene& s, double a, Random&) { s.blur_px = a * s.charts.front().width; },
         {22, 19, 16.5, 14.5}},
        {inspect::Check::clipping,
         "Patches are clipped",
         "Give less light: a stop less, and look at the white again",
         [](Scene& s, double a, Random&) { s.white = a; },
         {2.4, 1.9, 1.6, 1.45}},
        {inspect::Check::underexposure,
         "It is far too dark",
         "Give more light, or a longer exposure",
         [](Scene& s, double a, Random&) { s.white = 0.9 * std::exp2(-a); },
         {6.5, 5.8, 5.2, 4.7}},
        {inspect::Check::evenness,
         "The light falls off across the chart",
         "Move the lamp back, or even it out with a reflector",
         [](Scene& s, double a, Random& r) {
             // Across the whole frame: the chart is about half of it.
             s.falloff_stops = a / s.charts.front().width;
             s.falloff_deg = r.uniform(0, 360);
         },
         {1.5, 1.2, 1.0, 0.85}},
        {inspect::Check::shadow,
         "A shadow lies on the chart",
         "Move what throws it: a hand, a stand, the camera",
         [](Scene& s, double a, Random& r) {
             const simulate::ChartInScene& c = s.charts.front();
             s.shadows.push_back({c.x + r.uniform(-0.06, 0.06), c.y + r.uniform(-0.04, 0.04), r.uniform(0, 360), a, 8});
         },
         {2.0, 1.5, 1.1, 0.9}},
        {inspect::Check::mirrored,
         "The chart is mirrored",
         "Turn off the mirroring, or take the frame from another tool",
         [](Scene& s, double, Random&) { s.charts.front().mirrored = true; },
         {1, 1, 1, 1}},
        {inspect::Check::occlusion,
         "A finger is on the chart",
         "Hold the chart by its edge, and shoot again",
         [](Scene& s, double a, Random& r) {
             const simulate::ChartInScene& c = s.charts.front();
             simulate::Object finger;
             finger.shape = simulate::Object::Shape::ellipse;
             finger.in_front = true;
             finger.x = c.x + (r.below(2) ? 0.42 : -0.42) * c.width;
             finger.y = c.y + r.uniform(-0.05, 0.05);
             finger.width = a * c.width;
             finger.height = 0.13 * c.width;
             finger.rotation_deg = r.uniform(-15, 15);
             finger.reflectance = colour::smooth_reflectance(colour::xyz_from_lab({66, 18, 18})); // skin
             s.objects.push_back(finger);
         },
         {0.42, 0.36, 0.32, 0.28}},
        {inspect::Check::glare,
         "Stray light veils the chart",
         "Shade the lens, and keep the lamp out of its view",
         [](Scene& s, double a, Random&) {
             s.veil = a;
             s.white *= 0.85;
         },
         {0.12, 0.09, 0.07, 0.055}},
        {inspect::Check::mixed_light,
         "Two lights of different colour fall on it",
         "Switch one of them off, or flag it from the chart",
         [](Scene& s, double a, Random& r) {
             const bool warm = s.light_name == "tungsten";
             s.second_light = simulate::SecondLight{
                 warm ? simulate::light_named("window") : simulate::light_named("tungsten"), a, r.uniform(0, 360)};
         },
         {1.0, 0.85, 0.75, 0.65}},
    };
    return all;
}

const Fault& fault_named(const std::string& check) {
    for (const Fault& f : faults())
        if (check == inspect::name_of(f.check)) return f;
    throw Error(ErrorKind::usage, "there is no fault '" + check + "' to practise");
}

Shot spoilt(Random& random, const Fault* fault, int level) {
    Shot shot{good_scene(random), fault ? std::optional(fault->check) : std::nullopt};
    if (fault) fault->spoil(shot.scene, fault->amount[static_cast<std::size_t>(level - 1)], random);
    return shot;
}

/// Some of the others, for wrong answers.
std::vector<const Fault*> others(Random& random, const Fault& but, int n) {
    std::vector<const Fault*> rest;
    for (const Fault& f : faults())
        if (f.check != but.check) rest.push_back(&f);
    std::shuffle(rest.begin(), rest.end(), random.engine);
    rest.resize(static_cast<std::size_t>(n));
    return rest;
}

Task what_wrong(Random& random, int level, const std::string& about) {
    const Fault& f = about.empty() ? faults()[static_cast<std::size_t>(random.below(static_cast<int>(faults().size())))]
                                   : fault_named(about);
    Task t;
    t.about = inspect::name_of(f.check);
    t.question = "What is wrong here, and what do you do?";
    t.shots.push_back(spoilt(random, &f, level));
    std::vector<const Fault*> all = others(random, f, level < 3 ? 3 : 4);
    all.insert(all.begin() + random.below(static_cast<int>(all.size()) + 1), &f);
    for (const Fault* a : all) {
        if (a == &f) t.right = {static_cast<int>(t.answers.size())};
        t.answers.push_back(std::string(a->words) + ". " + a->remedy + ".");
    }
    t.reason = std::string(f.words) + ": " + f.remedy + ".";
    t.guide = "chart.md#what-the-gate-asks";
    return t;
}

Task keep_which(Random& random, int level, const std::string& about) {
    constexpr int frames = 6;
    Task t;
    t.about = about.empty()
                  ? inspect::name_of(
                        faults()[static_cast<std::size_t>(random.below(static_cast<int>(faults().size())))].check)
                  : about;
    t.question = "Which of these six would you keep?";
    const int good = 1 + random.below(3);
    std::vector<const Fault*> spoil{&fault_named(t.about)};
    for (const Fault* f : others(random, *spoil[0], frames - 1 - good)) spoil.push_back(f);
    spoil.resize(frames, nullptr);
    std::shuffle(spoil.begin(), spoil.end(), random.engine);
    for (int i = 0; i < frames; ++i) {
        t.shots.push_back(spoilt(random, spoil[static_cast<std::size_t>(i)], level));
        t.answers.push_back(std::string(1, static_cast<char>('A' + i)));
        if (!spoil[static_cast<std::size_t>(i)]) t.right.push_back(i);
        else t.reason += formatted("{}: {}. ", t.answers.back(), spoil[static_cast<std::size_t>(i)]->words);
    }
    t.guide = "chart.md#what-the-gate-asks";
    return t;
}

/// Neutrals of grid24 and what may be said of each as a thing to balance on.
Task which_patch(Random& random, int level, const std::string& about) {
    Task t;
    t.about = about.empty() ? random.pick(themes(Kind::which_patch)) : about;
    t.question = "Which patch do you balance on?";
    Shot shot{good_scene(random), {}};
    const bool clipped = t.about == "white clipped", dark = t.about == "dark";
    if (clipped) { // the white has lost a channel
        shot.scene.white = 1.12 + 0.25 * (highest_level - level) / highest_level;
        shot.fault = inspect::Check::clipping;
    }
    if (dark) { // far under: dark greys are noise
        shot.scene.white = 0.05 + 0.02 * (highest_level - level);
        shot.fault = inspect::Check::underexposure;
    }
    t.shots.push_back(shot);
    // D1 white, D2 and D3 light and middle greys, D5 and D6 dark ones (grid24, published order).
    std::vector<std::pair<std::string, bool>> all{{"D1, the white", false},
                                                  {dark ? "D2, the lightest grey" : "D3, a middle grey", true},
                                                  {"D6, the black", false}};
    if (level > 1) all.emplace_back("A1, the dark skin", false);
    if (level > 2) all.emplace_back("D5, a dark grey", false);
    std::shuffle(all.begin(), all.end(), random.engine);
    for (const auto& [name, right] : all) {
        if (right) t.right = {static_cast<int>(t.answers.size())};
        t.answers.push_back(name);
    }
    t.reason =
        clipped ? "The white is clipped in one channel: a balance on it cannot neutralise. A light or middle grey is "
                  "below clipping and above the noise."
        : dark  ? "The frame is dark: the dark greys drown in noise, and the lightest grey is the cleanest that is not "
                  "near clipping."
                : "A light or middle grey: a white may clip, a black is noise, and a skin is no grey.";
    t.guide = "correct.md#what-to-balance-on";
    return t;
}

Task how_much(Random& random, int level, const std::string& about) {
    Task t;
    t.about = about.empty() ? random.pick(themes(Kind::how_much)) : about;
    Shot shot{good_scene(random), {}};
    const int way = random.below(3) - 1; // too little, right, too much
    const double step[] = {1.6, 1.1, 0.8, 0.55};
    const double amount = way * step[level - 1];
    if (t.about == "stops") {
        t.question = "Is the exposure right, is there too much light, or too little?";
        t.answers = {"Too little light", "Right", "Too much light"};
        shot.scene.white = 0.42 * std::exp2(amount);
        t.reason = amount == 0
                       ? std::string("It is right: white stands a little under the top.")
                       : formatted("There are {:.1f} stops too {}.", std::abs(amount), amount > 0 ? "many" : "few");
    } else {
        t.question = "Is the balance right, too warm, or too cold?";
        t.answers = {"Too cold", "Right", "Too warm"};
        const double mired = 34 * amount; // seen as it was shot under a light off the balance
        shot.scene.light = colour::daylight(1e6 / (1e6 / 5600 + mired));
        shot.scene.light_name = "daylight";
        t.reason = amount == 0 ? std::string("It is neutral.")
                               : formatted("It is {:.0f} mired too {}.", std::abs(mired), mired > 0 ? "warm" : "cold");
    }
    t.right = {way + 1};
    t.shots.push_back(shot);
    t.guide = "correct.md#exposure-and-the-finish";
    return t;
}

Task plan_it(Random& random, int level, const std::string& about) {
    Task t;
    t.about = about.empty() ? random.pick(themes(Kind::plan_it)) : about;
    const int cameras = 1 + random.below(level > 1 ? 3 : 2), lights = 2 + random.below(level > 2 ? 3 : 2),
              lenses = 1 + random.below(level > 1 ? 3 : 2);
    const bool strict = t.about == "strict school";
    const bool relit = t.about == "a light that changes";
    const int skipped = level > 2 && cameras > 1 ? 1 : 0; // one camera works under one light less
    const int rigs = cameras * (strict ? lenses : 1);
    const int count = rigs * lights - skipped * (strict ? lenses : 1) + (relit ? rigs : 0);
    t.question = formatted(
        "{} camera{} with {} lens{} each, under {} lights{}. {} {}How many chart shots are the fewest that hold?",
        cameras, cameras > 1 ? "s" : "", lenses, lenses > 1 ? "es" : "", lights,
        skipped ? "; one of the cameras leaves out one light" : "",
        strict ? "The strict school: lenses differ." : "The common school: lenses of one camera are alike.",
        relit ? "At noon one of the lights that all cameras work under is re-lit. " : "");
    std::vector<int> numbers{count};
    for (const int other : {rigs * lights, cameras * lights * lenses, cameras + lights, lights, count + rigs, count + 1,
                            count + 2, count + 3})
        if (numbers.size() < 4 && std::find(numbers.begin(), numbers.end(), other) == numbers.end())
            numbers.push_back(other);
    std::sort(numbers.begin(), numbers.end());
    for (const int n : numbers) {
        if (n == count) t.right = {static_cast<int>(t.answers.size())};
        t.answers.push_back(std::to_string(n));
    }
    t.reason = formatted("One for each camera{} and light: {}{}{}.", strict ? ", lens" : "", rigs * lights,
                         skipped ? formatted(", less {} that is not needed", strict ? lenses : 1) : std::string(),
                         relit ? formatted(", and {} again when the light was changed", rigs) : std::string());
    t.guide = "plan.md#plan-key-2";
    return t;
}

Task light_it(Random& random, int level) {
    Task t;
    t.about = "light it";
    t.question = level < 2 ? "Move the lamp until the gate passes."
                           : "Move the lamp, the card and the camera's exposure until the gate passes.";
    t.caution = lamp_caution;
    simulate::Studio studio;
    // Too near, from too far aside, or in the chart's mirror.
    studio.lamps.front().at = {random.uniform(-0.9, -0.6), random.uniform(-0.1, 0.3), random.uniform(0.15, 0.5)};
    studio.lamps.front().strength = 1.4;
    t.shots.push_back({studio_scene(studio, level > 2 ? -1.5 : 0, level > 1 ? 22 : 0, level > 2 ? 0.012 : 0.09), {}});
    t.reason = "One light at 45 degrees, so far away that it falls evenly, and no reflection of it in the chart.";
    t.guide = "chart.md#what-the-gate-asks";
    return t;
}

} // namespace

std::vector<std::string> themes(Kind kind) {
    std::vector<std::string> all;
    switch (kind) {
    case Kind::what_wrong:
    case Kind::keep_which:
        for (const Fault& f : faults()) all.push_back(inspect::name_of(f.check));
        return all;
    case Kind::which_patch: return {"white clipped", "dark", "plain"};
    case Kind::how_much: return {"stops", "cast"};
    case Kind::plan_it: return {"strict school", "common school", "a light that changes"};
    case Kind::light_it: return {"light it"};
    }
    return all;
}

Scene studio_scene(const simulate::Studio& studio, double stops, double turn_deg, double share) {
    Random random{std::mt19937_64(7)};
    Scene s = good_scene(random);
    s.camera = simulate::camera_named("stills-a");
    s.light_name = "tungsten";
    s.light = simulate::light_named("tungsten");
    simulate::ChartInScene& c = s.charts.front();
    c.x = c.y = 0.5;
    c.rotation_deg = 0;
    c.tilt_deg = turn_deg;
    c.tilt_axis_deg = 90;
    const chart::Definition& d = c.definition;
    c.width = std::min(0.9, std::sqrt(share * s.height / s.width * d.width_mm / d.height_mm));
    s.studio = studio;
    s.studio->chart_turn_deg = turn_deg;
    s.white = 1.6 * std::exp2(stops); // of irradiance 1; a lamp at 45 degrees and 1.5 m gives about a third
    return s;
}

Task make(Kind kind, int level, std::uint64_t seed, const std::string& about) {
    level = std::clamp(level, 1, highest_level);
    Random random{
        std::mt19937_64(seed * 977 + static_cast<std::uint64_t>(kind) * 31 + static_cast<std::uint64_t>(level))};
    Task t;
    switch (kind) {
    case Kind::light_it: t = light_it(random, level); break;
    case Kind::keep_which: t = keep_which(random, level, about); break;
    case Kind::what_wrong: t = what_wrong(random, level, about); break;
    case Kind::which_patch: t = which_patch(random, level, about); break;
    case Kind::how_much: t = how_much(random, level, about); break;
    case Kind::plan_it: t = plan_it(random, level, about); break;
    }
    t.kind = kind;
    t.level = level;
    return t;
}

} // namespace refero::practice
