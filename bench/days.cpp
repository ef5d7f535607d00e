// Days with a camera or several and no plan, taken in as they come home on a card; docs/benchmarks.md.
//   refero-days-bench FOLDER [DAYS, default 20] [SEED, default 1]
#include <cstdlib>
#include <iostream>
#include <map>
#include <random>
#include <set>

#include "apply/apply.hpp"
#include "base/names.hpp"
#include "operations/capture/frames.hpp"
#include "operations/capture/intake.hpp"
#include "shoot/runs.hpp"
#include "shoot/stretches.hpp"
#include "shoot/time.hpp"
#include "simulate/simulate.hpp"
#include "store/document.hpp"

using namespace refero;
namespace fs = std::filesystem;

namespace {

constexpr double start_s = 1777885200; ///< 2026-05-04T09:00:00
constexpr int width = 540, height = 360;

struct Lamp {
    std::string json; ///< light of a scene
    double kelvin = 0;
    double stops = 0; ///< of light, against the first
    bool flash = false, drifts = false, forgotten = false;
    double from_s = 0, to_s = 0;
    std::vector<double> charts; ///< times, job's clock
};

struct Body {
    std::string camera, model, serial;
    double clock_s = 0; ///< what its clock is ahead
};

struct Truth {
    int body = 0, lamp = 0;
    bool chart = false;
    double at_s = 0;
    fs::path companion_of;
};

struct Score {
    int setups = 0, setups_right = 0, frames = 0, frames_right = 0, bodies_wrong = 0, companions_wrong = 0;
    int forgotten = 0, named = 0, false_ones = 0;
};

class Day {
public:
    Day(const fs::path& folder, std::uint64_t seed) : folder_(folder), random_(seed) {}

    void make(bool forgets, bool automatic) {
        automatic_ = automatic;
        static const char* const ids[] = {"stills-a", "stills-b", "cine-a", "cine-b"};
        const int bodies = whole(2, 4);
        for (int i = 0; i < bodies; ++i) {
            const int kind = i == 1 ? 0 : i; // the first two are alike
            bodies_.push_back({ids[kind], simulate::camera_named(ids[kind]).model,
                               formatted("{}{:04d}", kind, whole(0, 9999)), real(-90, 90)});
        }
        const int lamps = whole(3, 6);
        const int drifting = whole(0, lamps - 1);
        struct Kind {
            const char* json;
            double kelvin;
            bool flash;
        };
        std::vector<Kind> kinds{
            {R"({"planck":2850,"name":"tungsten"})", 2850, false}, {R"("flash")", 5500, true},
            {R"({"led":4200,"name":"led"})", 4200, false},         {R"({"led":3200,"name":"led"})", 3200, false},
            {R"({"daylight":7200,"name":"shade"})", 7200, false},  {R"({"daylight":5000,"name":"sun"})", 5000, false}};
        std::shuffle(kinds.begin(), kinds.end(), random_);
        double at = start_s;
        for (int i = 0; i < lamps; ++i) {
            const Kind& k = kinds[static_cast<std::size_t>(i)];
            Lamp lamp{.json = k.json, .kelvin = k.kelvin, .stops = real(-3, 3), .flash = k.flash, .from_s = at};
            const bool drifts = i == drifting && !k.flash;
            lamp.drifts = drifts;
            const int charts = drifts ? 3 : 1;
            const double length = drifts ? real(5400, 7200) : real(600, 2400);
            for (int c = 0; c < charts; ++c) lamp.charts.push_back(at + length * c / std::max(1, charts));
            lamp.to_s = at + length;
            at = lamp.to_s + real(900, 2400);
            lamps_.push_back(lamp);
        }
        if (forgets) {
            std::size_t which = static_cast<std::size_t>(whole(0, lamps - 1));
            if (lamps_[which].drifts) which = (which + 1) % lamps_.size();
            lamps_[which].forgotten = true;
        }
        shoot();
    }

    Score judge(const shoot::Shoot& job) const {
        Score s;
        std::map<std::string, std::set<int>> bodies_of; // camera name: bodies that it holds
        std::map<int, std::set<shoot::Id>> cameras_of;
        std::map<std::pair<int, int>, std::set<shoot::Id>> setups_of; // body and lamp
        std::map<shoot::Id, std::set<std::pair<int, int>>> lamps_of;
        std::map<shoot::Id, const shoot::FrameRecord*> by_id;
        for (const shoot::FrameRecord& f : job.frames) by_id[f.id] = &f;
        for (const shoot::FrameRecord& f : job.frames) {
            const Truth& t = truth_.at(f.path);
            cameras_of[t.body].insert(f.camera);
            const shoot::FrameRecord* lead = f.same_as ? by_id.at(f.same_as) : nullptr;
            if (t.companion_of.empty() != !lead || (lead && lead->path != t.companion_of)) ++s.companions_wrong;
            if (lead) continue;
            const bool forgotten = lamps_[static_cast<std::size_t>(t.lamp)].forgotten;
            if (!forgotten) setups_of[{t.body, t.lamp}].insert(f.setup);
            lamps_of[f.setup].insert({t.body, t.lamp});
            if (forgotten || t.chart) continue;
            ++s.frames;
            const shoot::SetupRecord* setup = shoot::record(job.setups, f.setup);
            if (!setup) continue;
            const auto all = shoot::stretches(job, setup->id);
            const std::size_t at = shoot::stretch_at(all, shoot::time_in_job(job, f));
            if (all.empty()) continue;
            const shoot::ChartShotRecord* shot = shoot::record(job.chart_shots, all[at].key);
            const Truth& of = truth_.at(by_id.at(shot->frame)->path);
            const auto& charts = lamps_[static_cast<std::size_t>(t.lamp)].charts;
            double last = charts.front(); // the school is first
            for (const double c : charts)
                if (c <= t.at_s) last = c;
            s.frames_right += of.lamp == t.lamp && of.body == t.body && std::abs(of.at_s - last) < 120;
        }
        std::set<shoot::Id> seen;
        for (const auto& [body, cameras] : cameras_of) {
            bool wrong = cameras.size() != 1;
            for (const shoot::Id c : cameras) wrong = wrong || !seen.insert(c).second;
            s.bodies_wrong += wrong;
        }
        for (const auto& [key, setups] : setups_of) {
            ++s.setups;
            const bool right = setups.size() == 1 && *setups.begin() && lamps_of[*setups.begin()].size() == 1;
            s.setups_right += right;
            if (!right)
                std::cout << formatted("    {}, lamp {}{}: {} setups, holding {} lamps\n",
                                       bodies_[static_cast<std::size_t>(key.first)].camera, key.second,
                                       lamps_[static_cast<std::size_t>(key.second)].drifts ? " (drifts)" : "",
                                       setups.size(), lamps_of[*setups.begin()].size());
        }
        for (const shoot::Forgotten& f : shoot::forgotten(job)) {
            bool right = false;
            for (const shoot::Id id : f.frames)
                right = right || lamps_[static_cast<std::size_t>(truth_.at(by_id.at(id)->path).lamp)].forgotten;
            if (right) s.named = 1;
            else ++s.false_ones;
            std::cout << "    forgotten" << (right ? "" : " (wrongly)") << ": " << f.frames.size() << " frames, "
                      << f.reason << "\n";
        }
        for (const Lamp& l : lamps_) s.forgotten += l.forgotten;
        return s;
    }

private:
    double real(double low, double high) { return std::uniform_real_distribution(low, high)(random_); }
    int whole(int low, int high) { return std::uniform_int_distribution(low, high)(random_); }

    void shoot() {
        for (std::size_t b = 0; b < bodies_.size(); ++b) {
            const double preset_k = 5200;
            int number = whole(100, 5000);
            fs::create_directories(folder_ / formatted("BODY{}", b));
            const bool companions = whole(0, 1) == 1;
            for (std::size_t l = 0; l < lamps_.size(); ++l) {
                const Lamp& lamp = lamps_[l];
                std::vector<std::pair<double, bool>> shots;
                for (const double c : lamp.charts)
                    if (!lamp.forgotten) shots.emplace_back(c + real(0, 80), true);
                const int frames = whole(4, 8) * static_cast<int>(lamp.charts.size());
                for (int i = 0; i < frames; ++i)
                    shots.emplace_back(
                        lamp.from_s + 90 + (lamp.to_s - lamp.from_s - 90) * (i + real(0.1, 0.9)) / frames, false);
                std::sort(shots.begin(), shots.end());
                for (const auto& [at, chart] : shots)
                    write(static_cast<int>(b), static_cast<int>(l), at, chart, number++, preset_k, companions);
            }
        }
    }

    void write(int b, int l, double at, bool chart, int number, double preset_k, bool companion) {
        const Body& body = bodies_[static_cast<std::size_t>(b)];
        const Lamp& lamp = lamps_[static_cast<std::size_t>(l)];
        const double share = (at - lamp.from_s) / (lamp.to_s - lamp.from_s);
        double kelvin = lamp.kelvin;
        std::string light = lamp.json;
        if (lamp.drifts && kelvin >= 4000) { // by 30 mired in all
            kelvin = 1e6 / (1e6 / kelvin + 30 * share);
            light = formatted(R"({{"daylight":{:.0f},"name":"drift"}})", std::max(4000.0, kelvin));
        }
        const double balance = automatic_ ? kelvin + real(-200, 200) : preset_k;
        const double stops = std::round(3 * (lamp.stops + real(-0.3, 0.3))) / 3;
        const std::string text = formatted(
            R"({{"refero_scene":1,"size":[{},{}],"camera":"{}","light":{},"white":0.75,"seed":{},"balance_k":{:.0f},)"
            R"("exposure_s":{:.6f},"f_number":8,"taken":"{}","background":{{"surface":[55,{},{}],"texture":0.2}}{}}})",
            width, height, body.camera, light, number, balance, 0.01 * std::exp2(lamp.flash ? 0 : -stops),
            shoot::time_of(at + body.clock_s), whole(-20, 20), whole(-20, 20),
            chart ? R"(,"charts":[{"id":"grid24","at":[0.5,0.5],"width":0.5}])" : "");
        simulate::Scene scene = simulate::parse_scene(text, "days");
        scene.camera.serial_number = body.serial;
        const fs::path file = folder_ / formatted("BODY{}", b) / formatted("IMG_{:04d}.dng", number);
        simulate::write(simulate::render(scene), file);
        fs::remove(fs::path(file).replace_extension(".truth.json"));
        truth_[file.string()] = {b, l, chart, at, {}};
        if (!companion) return;
        fs::path picture = fs::path(file).replace_extension(".jpg");
        // A finished picture with the same notes; what it shows does not matter here.
        write_companion(scene, picture);
        truth_[picture.string()] = {b, l, chart, at, file};
    }

    static void write_companion(const simulate::Scene& scene, const fs::path& picture);

    fs::path folder_;
    std::mt19937_64 random_;
    bool automatic_ = false;
    std::vector<Body> bodies_;
    std::vector<Lamp> lamps_;
    std::map<std::string, Truth> truth_;
};

void Day::write_companion(const simulate::Scene& scene, const fs::path& picture) {
    apply::Picture p;
    p.space = "srgb";
    p.width = 96;
    p.height = 64;
    p.rgb.assign(96 * 64 * 3, 0.2f);
    frame::Metadata m;
    m.make = scene.camera.make;
    m.model = scene.camera.model;
    m.serial_number = scene.camera.serial_number;
    m.taken = scene.taken;
    m.exposure_s = scene.exposure_s;
    m.f_number = scene.f_number;
    m.iso = scene.iso;
    m.flash = scene.light_name == "flash";
    apply::write(apply::strips_of(p), picture, apply::Format::jpeg, m, Existing::replace);
    // Whatever wrote it: here it is a camera's.
    std::string bytes = read_file(picture);
    const std::string software = frame::software_name();
    for (std::size_t at = bytes.find(software); at != std::string::npos; at = bytes.find(software, at))
        bytes.replace(at, 6, "Camera");
    write_whole(picture, bytes, Existing::replace);
}

} // namespace

int main(int argc, char** argv) try {
    if (argc < 2) {
        std::cerr << "usage: refero-days-bench FOLDER [DAYS] [SEED]\n";
        return 2;
    }
    const fs::path folder = argv[1];
    const int days = argc > 2 ? std::atoi(argv[2]) : 20, seed = argc > 3 ? std::atoi(argv[3]) : 1;
    Score sum;
    int forgetting = 0, named = 0;
    for (int d = 0; d < days; ++d) {
        const fs::path place = folder / formatted("day-{}", d);
        fs::create_directories(place);
        Day day(place, static_cast<std::uint64_t>(seed) * 1000 + static_cast<std::uint64_t>(d));
        day.make(d % 4 != 3, d % 2 == 0);
        store::JobFile job(place / "day.refero", store::JobFile::Open::create);
        job.change("School", [&](auto& e) {
            shoot::JobSettingsRecord b = job.content().brief();
            b.stretch_school = shoot::StretchSchool::first;
            e.update(b);
        });
        std::vector<fs::path> files;
        for (const auto& entry : fs::recursive_directory_iterator(place))
            if (entry.is_regular_file() && frame::is_frame_name(entry.path())) files.push_back(entry.path());
        files = operations::in_order_of_time(files);
        const std::vector<operations::LookedAt> looked =
            operations::look_at_all(files, operations::limits_of(job.content().brief()));
        for (const operations::LookedAt& l : looked) {
            if (l.failed) throw Error(*l.failed);
            const operations::Taken t = operations::take_in(job.content(), {}, l.arrival, {.by_hand = true});
            if (!t.rows.empty()) job.change(t.rows);
        }
        if (const shoot::Change c = operations::place_frames(job.content()); !c.empty()) job.change(c);
        const Score s = day.judge(job.content());
        std::cout << formatted(
                         "day {}: setups {} of {}, frames {} of {}, bodies wrong {}, companions wrong {}, forgotten {} "
                         "named {}, wrongly {}\n",
                         d, s.setups_right, s.setups, s.frames_right, s.frames, s.bodies_wrong, s.companions_wrong,
                         s.forgotten, s.named, s.false_ones)
                  << std::flush;
        sum.setups += s.setups;
        sum.setups_right += s.setups_right;
        sum.frames += s.frames;
        sum.frames_right += s.frames_right;
        sum.bodies_wrong += s.bodies_wrong;
        sum.companions_wrong += s.companions_wrong;
        sum.false_ones += s.false_ones;
        forgetting += s.forgotten;
        named += s.forgotten && s.named;
        fs::remove_all(place);
    }
    std::cout << formatted(
        "setups right {:.1f} %, frames in the right stretch {:.1f} %, bodies wrong {}, companions wrong {}, "
        "forgotten lights named {} of {}, named wrongly {}\n",
        100.0 * sum.setups_right / sum.setups, 100.0 * sum.frames_right / sum.frames, sum.bodies_wrong,
        sum.companions_wrong, named, forgetting, sum.false_ones);
    return 0;
} catch (const std::exception& e) {
    std::cerr << e.what() << "\n";
    return 1;
}
