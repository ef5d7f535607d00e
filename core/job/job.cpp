#include "job/job.hpp"

#include <algorithm>

#include <nlohmann/json.hpp>

#include "simulate/simulate.hpp"

namespace refero::job {

namespace fs = std::filesystem;
using nlohmann::json;

int Job::setup_at(std::size_t camera, std::size_t light) const {
    const auto at = std::find_if(setups.begin(), setups.end(), [&](const Setup& s) { return s.camera == camera && s.light == light; });
    return at == setups.end() ? -1 : static_cast<int>(at - setups.begin());
}

Demo load_demo(const fs::path& description, const fs::path& folder) {
    Demo demo;
    std::vector<DemoFrame> ordinary;
    try {
        const json j = json::parse(read_file(description, 1 << 20));
        if (j.at("refero_demo") != 1) throw Error(ErrorKind::input, "this version of the demo format is not known", description);
        demo.job.title = j.at("title");
        for (const json& c : j.at("cameras")) demo.job.cameras.push_back({c.at("name"), c.at("lens"), c.at("mode")});
        for (const json& l : j.at("lights")) demo.job.lights.push_back({l.at("name"), l.at("place")});
        const auto frame = [&](const json& f) {
            return DemoFrame{description.parent_path() / f.at("scene").get<std::string>(), f.at("changes").dump(), folder / f.at("file").get<std::string>()};
        };
        for (const json& s : j.at("setups")) {
            Setup setup{s.at("camera"), s.at("light"), {}, {}};
            if (setup.camera >= demo.job.cameras.size() || setup.light >= demo.job.lights.size())
                throw Error(ErrorKind::input, "a setup names a camera or light that is not there", description);
            demo.frames.push_back(frame(s.at("chart_shot")));
            setup.chart_shot = demo.frames.back().file;
            for (const json& f : s.at("frames")) {
                ordinary.push_back(frame(f));
                setup.frames.push_back(ordinary.back().file);
            }
            demo.job.setups.push_back(std::move(setup));
        }
    } catch (const json::exception& problem) {
        throw Error(ErrorKind::input, std::string("this is not a demo description: ") + problem.what(), description, "See docs/formats.md, Demo");
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
        const std::string key = std::string(program_version()) + read_file(frame.scene) + frame.changes;
        kept = cache / (frame.file.stem().string() + "-" + std::to_string(std::hash<std::string>{}(key)) + ".dng");
        if (fs::exists(kept, ec)) {
            write_whole(frame.file, [&](const fs::path& temporary) { fs::copy_file(kept, temporary); });
            return;
        }
    }
    const auto rendering = simulate::render(simulate::load_scene(frame.scene, frame.changes), stop);
    throw_if_stopped(stop);
    simulate::write(rendering, frame.file);
    if (!kept.empty()) write_whole(kept, [&](const fs::path& temporary) { fs::copy_file(frame.file, temporary); });
}

} // namespace refero::job
