#include "verb.hpp"

#include <charconv>
#include <cstdarg>
#include <sstream>

#include "operations/capture/footage.hpp"

namespace refero::cli {

int exit_code_of(ErrorKind kind) {
    switch (kind) {
    case ErrorKind::usage: return usage;
    case ErrorKind::input: return input;
    case ErrorKind::not_found: return not_found;
    case ErrorKind::internal:
    case ErrorKind::cancelled: break;
    }
    return failed;
}

static chart::Corners parse_corners(const std::string& text) {
    const auto wrong = [] {
        return Error(ErrorKind::usage, "the corners cannot be understood", {},
                     "Write --corners \"x,y x,y x,y x,y\" in pixels of the upright full-size image");
    };
    chart::Corners corners;
    std::istringstream points(text);
    std::string point;
    std::size_t i = 0;
    while (points >> point) {
        if (i == 4) throw wrong();
        const char* end = point.data() + point.size();
        double x = 0, y = 0;
        const auto first = std::from_chars(point.data(), end, x);
        if (first.ec != std::errc() || first.ptr == end || *first.ptr != ',') throw wrong();
        const auto second = std::from_chars(first.ptr + 1, end, y);
        if (second.ec != std::errc() || second.ptr != end || !std::isfinite(x + y)) throw wrong();
        corners[i++] = {x, y};
    }
    if (i != 4) throw wrong();
    return corners;
}

operations::ShotOptions ShotArguments::options() const {
    operations::ShotOptions o;
    o.chart = chart;
    o.position_s = at;
    o.clip_code = clip_code;
    if (!corners.empty()) o.corners = parse_corners(corners);
    if (!encoding.empty()) o.encoding = frame::Encoding::named(encoding);
    return o;
}

frame::Frame ShotArguments::frame(const std::string& image) const {
    return operations::frame_showing(image, options());
}

std::vector<std::filesystem::path> files_of(const std::vector<std::string>& named) {
    std::vector<std::filesystem::path> all;
    for (const std::string& name : named) {
        std::error_code ec;
        if (!std::filesystem::is_directory(name, ec)) {
            all.emplace_back(name);
            continue;
        }
        std::vector<std::filesystem::path> inside;
        for (const auto& entry : std::filesystem::directory_iterator(name, ec))
            if (entry.is_regular_file(ec) && frame::is_frame_name(entry.path()) && !frame::is_own_work(entry.path()))
                inside.push_back(entry.path());
        std::sort(inside.begin(), inside.end());
        all.insert(all.end(), inside.begin(), inside.end());
    }
    return all;
}

void note_failure(Result& r, const std::string& what, const Error& problem) {
    const int code = exit_code_of(problem.kind());
    r.json["failed"].push_back({{"file", what}, {"code", code}, {"message", problem.what()}});
    if (!r.json.contains("error"))
        r.json["error"] = {{"code", code}, {"message", problem.what()}, {"file", problem.file().string()}};
    const bool named = std::string(problem.what()).find(what) != std::string::npos;
    r.words += (named ? "" : what + ": ") + problem.what() + "\n";
    r.status = r.status == failed || (code != input && code != not_found) ? failed : input;
}

void Outputs::check(const std::vector<std::filesystem::path>& outputs,
                    const std::vector<std::filesystem::path>& inputs) const {
    std::vector<std::filesystem::path> named;
    for (const auto& file : outputs)
        if (!file.empty()) named.push_back(file);
    check_outputs(named, inputs, overwrite, "Use --overwrite to replace it");
}

Json json_of(const fit::Statistics& s) {
    return {{"mean", s.mean}, {"median", s.median}, {"p95", s.p95}, {"max", s.max}};
}

Json json_of(const chart::Corners& corners) {
    Json j = Json::array();
    for (const chart::Point& p : corners) j.push_back(Json::array({p.x(), p.y()}));
    return j;
}

static bool lines_to_errors = false;
void say_to_errors(bool on) { lines_to_errors = on; }
void say(const std::string& line) {
    std::FILE* to = lines_to_errors ? stderr : stdout;
    std::fprintf(to, "%s\n", line.c_str());
    std::fflush(to);
}

} // namespace refero::cli
