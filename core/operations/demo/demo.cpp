#include "operations/demo/demo.hpp"

#include <nlohmann/json.hpp>

#include "shoot/settings.hpp"
#include "simulate/clip.hpp"

namespace refero::operations {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

using namespace shoot;

template<class E>
E choice(const json& j, const char* key) {
    return named<E>(j.value(key, std::string()));
}

CameraRecord camera_from(const json& j, int position) {
    CameraRecord c{.uid = new_uid(),
                   .name = j.at("name"),
                   .model = j.value("model", ""),
                   .serial_number = j.value("serial_number", ""),
                   .firmware = j.value("firmware", "")};
    if (j.contains("sensor_mm")) {
        c.sensor_width_mm = j["sensor_mm"].at(0);
        c.sensor_height_mm = j["sensor_mm"].at(1);
    }
    if (j.contains("px")) {
        c.width_px = j["px"].at(0);
        c.height_px = j["px"].at(1);
    }
    c.clock_offset_s = j.value("clock_offset_s", 0.0);
    c.position = position;
    return c;
}

LightRecord light_from(const json& j, int position) {
    return {.uid = new_uid(),
            .name = j.at("name"),
            .kind = choice<LightKind>(j, "kind"),
            .kelvin = j.value("kelvin", 0.0),
            .power = j.value("power", ""),
            .modifier = j.value("modifier", ""),
            .age_years = j.value("age_years", 0.0),
            .spill = j.value("spill", ""),
            .position = position};
}

CardRecord card_from(const json& j) {
    return {.uid = new_uid(),
            .name = j.at("name"),
            .kind = choice<CardKind>(j, "kind"),
            .definition = j.value("definition", ""),
            .width_mm = j.at("size_mm").at(0),
            .height_mm = j.at("size_mm").at(1),
            .bought = j.value("bought", ""),
            .first_used = j.value("first_used", ""),
            .compared = j.value("compared", ""),
            .light_hours = j.value("light_hours", 0.0),
            .condition = j.value("condition", "")};
}

} // namespace

namespace {

/// A demo's description on its way into kit and job.
struct Telling {
    const json& j;
    const fs::path &description, &folder;
    std::vector<CameraRecord> cameras;
    std::vector<LightRecord> lights;
    std::vector<CardRecord> cards;

    void fill_kit(store::Edit& e) const;
    void fill_job(store::Edit& e, JobSettingsRecord brief, Demo& demo, std::vector<DemoFrame>& ordinary) const;
    /// A frame of a setup, `s` as it is described.
    DemoFrame frame_from(const json& f, const json& s, Id setup, bool chart) const;
};

void Telling::fill_kit(store::Edit& e) const {
    std::vector<Id> camera_ids;
    for (CameraRecord c : cameras) {
        c.clock_offset_s = 0;
        camera_ids.push_back(e.add(c));
    }
    for (std::size_t i = 0; i < lights.size(); ++i) {
        const Id light = e.add(lights[i]);
        for (const json& h : j.at("lights")[i].value("history", json::array()))
            e.add(LightReadingRecord{.light = light,
                                     .at = h.at(0),
                                     .kelvin = h.at(1),
                                     .duv = h.at(2),
                                     .power = h.size() > 3 ? h[3] : json(lights[i].power),
                                     .modifier = h.size() > 4 ? h[4] : json(lights[i].modifier),
                                     .source = "meter"});
    }
    for (const CardRecord& c : cards) e.add(c);
    for (const json& m : j.value("monitors", json::array()))
        e.add(MonitorRecord{.name = m.at("name"),
                            .calibrated = m.value("calibrated", ""),
                            .before_each_project = m.value("before_each_project", false),
                            .interval_days = m.value("interval_days", 30.0)});
    for (const json& w : j.value("warmths", json::array()))
        e.add(WarmthRecord{.name = w.at("name"), .mired = w.at("mired"), .tint = w.at("tint")});
    for (const json& b : j.value("balances", json::array()))
        for (std::size_t i = 0; i < cameras.size(); ++i)
            if (cameras[i].name == b.at(0).get<std::string>())
                e.add(StoredBalanceRecord{.camera = camera_ids[i],
                                          .name = b.at(1),
                                          .at = j.value("date", "") + "T08:30:00",
                                          .kelvin = b.at(2),
                                          .tint = b.at(3)});
}

DemoFrame Telling::frame_from(const json& f, const json& s, Id setup, bool chart) const {
    DemoFrame d{description.parent_path() / f.at("scene").get<std::string>(), f.at("changes").dump(),
                folder / f.at("file").get<std::string>()};
    for (const json& part : f.value("clip", json::array())) d.clip.push_back({part.at(0), part.at(1).dump()});
    d.setup = setup;
    d.chart = chart;
    d.refused = f.value("refused", "");
    if (f.contains("card")) {
        const CameraRecord& c = cameras.at(s.at("camera").get<std::size_t>());
        d.card = shoot::text_of(balance::square_about(
            c.width_px, c.height_px, chart::Point(f["card"].at(0).get<double>(), f["card"].at(1).get<double>())));
    }
    return d;
}

void Telling::fill_job(store::Edit& e, JobSettingsRecord brief, Demo& demo, std::vector<DemoFrame>& ordinary) const {
    brief.title = j.at("title");
    brief.client = j.value("client", "");
    brief.date = j.value("date", "");
    const json& b = j.value("brief", json::object());
    brief.lens_school = choice<LensSchool>(b, "lens_school");
    brief.share_school = choice<ShareSchool>(b, "share_school");
    brief.matching = b.value("matching", false);
    e.update(brief);
    std::vector<Id> places, camera_ids, lenses, modes, light_ids, card_ids, setups;
    for (const json& p : j.at("places")) places.push_back(e.add(PlaceRecord{.name = p}));
    for (const CameraRecord& c : cameras) camera_ids.push_back(e.add(c));
    for (const json& l : j.at("lenses"))
        lenses.push_back(e.add(LensRecord{.uid = new_uid(),
                                          .name = l.at("name"),
                                          .focal_mm = l.at("focal_mm"),
                                          .focal_max_mm = l.value("focal_max_mm", l.at("focal_mm").get<double>()),
                                          .f_number = l.value("f_number", 2.8),
                                          .nearest_m = l.value("nearest_m", 0.45)}));
    for (const json& m : j.at("modes"))
        modes.push_back(e.add(ModeRecord{.name = m.at("name"),
                                         .kind = choice<ModeKind>(m, "kind"),
                                         .encoding = m.value("encoding", "linear"),
                                         .sub_settings = m.value("sub_settings", "")}));
    for (std::size_t i = 0; i < lights.size(); ++i) {
        LightRecord l = lights[i];
        l.place = places.at(j.at("lights")[i].value("place", 0u));
        if (j.contains("relit") && j["relit"].at("light") == i) l.changed = j["relit"].at("at");
        light_ids.push_back(e.add(l));
    }
    for (const CardRecord& c : cards) card_ids.push_back(e.add(c));
    for (const json& f : j.value("fallbacks", json::array()))
        e.add(
            FallbackRecord{.uid = new_uid(), .camera = f.at(0), .kind = named<LightKind>(f.at(1).get<std::string>())});
    for (const json& s : j.at("setups")) {
        const auto pick = [&](const char* key, const std::vector<Id>& from) {
            return from.at(s.at(key).get<std::size_t>());
        };
        setups.push_back(e.add(shoot::SetupRecord{.camera = pick("camera", camera_ids),
                                                  .lens = pick("lens", lenses),
                                                  .mode = pick("mode", modes),
                                                  .light = pick("light", light_ids),
                                                  .card = pick("card", card_ids),
                                                  .balance_only = s.value("balance_only", false)}));
        for (const json& f : s.value("chart_shots", json::array()))
            demo.frames.push_back(frame_from(f, s, setups.back(), true));
        for (const json& f : s.value("frames", json::array()))
            ordinary.push_back(frame_from(f, s, setups.back(), false));
        demo.goals.push_back(
            {setups.back(), s.value("goal", "read"), s.contains("from") ? setups.at(s["from"].get<std::size_t>()) : 0});
    }
}

} // namespace

Demo start_demo(const fs::path& description, const fs::path& folder, store::JobFile& job, store::KitFile& kit) {
    Demo demo;
    std::vector<DemoFrame> ordinary;
    try {
        const json j = json::parse(read_file(description, 1 << 20));
        if (j.at("refero_demo") != 2)
            throw Error(ErrorKind::input, "this version of the demo format is not known", description);
        Telling told{j, description, folder, {}, {}, {}};
        for (const json& c : j.at("cameras"))
            told.cameras.push_back(camera_from(c, static_cast<int>(told.cameras.size())));
        for (const json& l : j.at("lights")) told.lights.push_back(light_from(l, static_cast<int>(told.lights.size())));
        for (const json& c : j.at("cards")) told.cards.push_back(card_from(c));
        kit.change("The demo's kit", [&](store::Edit& e) { told.fill_kit(e); });
        job.change("The demo job", [&](store::Edit& e) {
            told.fill_job(e, job.content().brief(), demo, ordinary);
            for (const json& l : j.value("log", json::array())) job.store().note(l.at(1), l.at(2), l.at(0));
        });
    } catch (const json::exception& problem) {
        throw Error(ErrorKind::input, std::string("this is not a demo description: ") + problem.what(), description,
                    "See docs/formats.md, Demo");
    } catch (const std::out_of_range&) {
        throw Error(ErrorKind::input, "a setup names a camera, lens, mode, light or card that is not there",
                    description, "See docs/formats.md, Demo");
    }
    demo.frames.insert(demo.frames.end(), ordinary.begin(), ordinary.end());
    return demo;
}

void make(const DemoFrame& frame, const fs::path& cache, std::stop_token stop) {
    std::error_code ec;
    if (fs::exists(frame.file, ec)) return;
    fs::create_directories(frame.file.parent_path(), ec);
    fs::path kept;
    if (!cache.empty() && (fs::create_directories(cache, ec), fs::is_directory(cache, ec))) {
        std::string key = std::string(program_version()) + read_file(frame.scene) + frame.changes;
        for (const DemoFrame::Part& p : frame.clip) key += formatted("|{:g}", p.seconds) + p.changes;
        kept = cache /
               (frame.file.stem().string() + "-" + sha256_of_text(key).substr(0, 16) + frame.file.extension().string());
        if (fs::exists(kept, ec)) {
            write_whole(frame.file, [&](const fs::path& temporary) { fs::copy_file(kept, temporary); });
            return;
        }
    }
    if (frame.clip.empty()) {
        const auto rendering = simulate::render(simulate::load_scene(frame.scene, frame.changes), stop);
        throw_if_stopped(stop);
        simulate::write(rendering, frame.file);
    } else {
        constexpr double frames_per_second = 5; // it stands still, so few are enough
        std::vector<simulate::Rendering> parts;
        std::vector<simulate::Shown> shown;
        for (const DemoFrame::Part& p : frame.clip) {
            json changes = json::parse(frame.changes);
            changes.merge_patch(json::parse(p.changes));
            parts.push_back(simulate::render(simulate::load_scene(frame.scene, changes.dump()), stop));
            throw_if_stopped(stop);
        }
        for (std::size_t i = 0; i < parts.size(); ++i) shown.push_back({&parts[i], frame.clip[i].seconds});
        simulate::write_clip(shown, colour::Transfer::bt709, frames_per_second, frame.file);
    }
    if (!kept.empty()) write_whole(kept, [&](const fs::path& temporary) { fs::copy_file(frame.file, temporary); });
}

} // namespace refero::operations
