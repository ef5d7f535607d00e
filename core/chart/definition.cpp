#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <optional>
#include <set>

#include <nlohmann/json.hpp>

#include "chart/chart.hpp"

namespace refero::chart {

namespace fs = std::filesystem;
using nlohmann::json;

int Definition::index_of(std::string_view patch_id) const {
    for (std::size_t i = 0; i < patches.size(); ++i)
        if (patches[i].id == patch_id) return static_cast<int>(i);
    return -1;
}

namespace {

constexpr double tolerance_mm = 1e-6;
constexpr std::size_t most_patches = 2000;

[[noreturn]] void invalid(const fs::path& file, const std::string& what) {
    throw Error(ErrorKind::input, what, file, "See docs/formats.md, Chart definition");
}

double millimetres(const json& value, const fs::path& file, const std::string& place) {
    if (!value.is_number() || !std::isfinite(value.get<double>()) || std::abs(value.get<double>()) > 1e5)
        invalid(file, place + " must be a length in millimetres");
    return value.get<double>();
}

Patch parse_patch(const json& p, const Definition& d, const fs::path& file, std::size_t index) {
    const std::string place = "patches[" + std::to_string(index) + "]";
    if (!p.is_object() || !p.contains("id") || !p["id"].is_string() || p["id"].get<std::string>().empty())
        invalid(file, place + " needs an \"id\"");
    if (!p.contains("rect_mm") || !p["rect_mm"].is_array() || p["rect_mm"].size() != 4)
        invalid(file, place + " needs \"rect_mm\": [x, y, width, height]");
    Patch patch;
    patch.id = p["id"].get<std::string>();
    const json& r = p["rect_mm"];
    patch.x_mm = millimetres(r[0], file, place + ".rect_mm");
    patch.y_mm = millimetres(r[1], file, place + ".rect_mm");
    patch.w_mm = millimetres(r[2], file, place + ".rect_mm");
    patch.h_mm = millimetres(r[3], file, place + ".rect_mm");
    if (!(patch.w_mm > 0 && patch.h_mm > 0)) invalid(file, "patch " + patch.id + " has no area");
    if (patch.x_mm < -tolerance_mm || patch.y_mm < -tolerance_mm ||
        patch.x_mm + patch.w_mm > d.width_mm + tolerance_mm || patch.y_mm + patch.h_mm > d.height_mm + tolerance_mm)
        invalid(file, "patch " + patch.id + " reaches outside \"size_mm\"");
    if (p.contains("role") && !p["role"].is_string()) invalid(file, place + ".role must be a text");
    patch.role = p.value("role", "other");
    static const std::set<std::string> roles{"neutral",   "skin", "sky",  "foliage", "primary",
                                             "secondary", "hue",  "warm", "cool",    "other"};
    if (!roles.contains(patch.role)) invalid(file, "patch " + patch.id + " has the unknown role '" + patch.role + "'");
    return patch;
}

bool overlap(const Patch& a, const Patch& b) {
    return a.x_mm + a.w_mm > b.x_mm + tolerance_mm && b.x_mm + b.w_mm > a.x_mm + tolerance_mm &&
           a.y_mm + a.h_mm > b.y_mm + tolerance_mm && b.y_mm + b.h_mm > a.y_mm + tolerance_mm;
}

void check_layout(const Definition& d) {
    std::set<std::string> ids;
    for (const Patch& patch : d.patches)
        if (!ids.insert(patch.id).second) invalid(d.file, "patch id " + patch.id + " stands twice");
    for (std::size_t i = 0; i < d.patches.size(); ++i)
        for (std::size_t k = i + 1; k < d.patches.size(); ++k)
            if (overlap(d.patches[i], d.patches[k]))
                invalid(d.file, "patches " + d.patches[i].id + " and " + d.patches[k].id + " overlap");
}

} // namespace

Definition load_definition(const fs::path& file) { return parse_definition(read_file(file, 4 << 20), file); }

Definition parse_definition(const std::string& text, const fs::path& file) {
    json j;
    try {
        j = json::parse(text);
    } catch (const json::exception& problem) {
        throw Error(ErrorKind::input, std::string("this is not JSON: ") + problem.what(), file,
                    "Name a chart definition");
    }
    if (!j.is_object() || !j.contains("refero_chart")) invalid(file, "this is not a chart definition");
    if (j["refero_chart"] != 1) invalid(file, "this version of the chart format is not known");
    Definition d;
    d.file = file;
    if (!j.contains("id") || !j["id"].is_string() || j["id"].get<std::string>().empty())
        invalid(file, "\"id\" is missing");
    d.id = j["id"].get<std::string>();
    d.title = j.contains("title") && j["title"].is_string() ? j["title"].get<std::string>() : d.id;
    if (!j.contains("size_mm") || !j["size_mm"].is_array() || j["size_mm"].size() != 2)
        invalid(file, "\"size_mm\": [width, height] is missing");
    d.width_mm = millimetres(j["size_mm"][0], file, "size_mm");
    d.height_mm = millimetres(j["size_mm"][1], file, "size_mm");
    if (!(d.width_mm > 0 && d.height_mm > 0)) invalid(file, "\"size_mm\" has no area");
    if (!j.contains("patches") || !j["patches"].is_array() || j["patches"].empty())
        invalid(file, "the chart has no \"patches\"");
    if (j["patches"].size() > most_patches)
        invalid(file, "the chart has more than " + std::to_string(most_patches) + " patches");
    for (std::size_t i = 0; i < j["patches"].size(); ++i) d.patches.push_back(parse_patch(j["patches"][i], d, file, i));
    check_layout(d);
    if (j.contains("values")) {
        if (j["values"] != "nominal" && j["values"] != "measured")
            invalid(file, "\"values\" is \"nominal\" or \"measured\"");
        d.nominal = j["values"] == "nominal";
    }
    if (j.contains("variant_of")) {
        if (!j["variant_of"].is_string()) invalid(file, "\"variant_of\" must name a chart");
        d.variant_of = j["variant_of"].get<std::string>();
    }
    if (j.contains("reference")) {
        if (!j["reference"].is_string()) invalid(file, "\"reference\" must name a CGATS file");
        d.reference_file = file.parent_path() / j["reference"].get<std::string>();
    }
    return d;
}

namespace {

/// A definition file, parsed anew only when it has changed: the window asks many times a second.
std::optional<Definition> parsed(const fs::directory_entry& entry) {
    struct Known {
        fs::file_time_type changed;
        std::uintmax_t size = 0;
        std::optional<Definition> definition; ///< none: it is no definition
    };
    static std::mutex lock;
    static std::map<fs::path, Known> known;
    std::error_code ec;
    const auto changed = entry.last_write_time(ec);
    const std::uintmax_t size = ec ? 0 : entry.file_size(ec);
    const std::lock_guard guard(lock);
    if (const auto at = known.find(entry.path());
        !ec && at != known.end() && at->second.changed == changed && at->second.size == size)
        return at->second.definition;
    Known now{changed, size, std::nullopt};
    try {
        now.definition = load_definition(entry.path());
    } catch (const Error&) {}
    return (known[entry.path()] = now).definition;
}

} // namespace

bool is_balance_page(const Definition& d) {
    constexpr std::ptrdiff_t fewest_steps = 4;
    return std::count_if(d.patches.begin(), d.patches.end(),
                         [](const Patch& p) { return p.role == "warm" || p.role == "cool"; }) >= fewest_steps;
}

int colours_of(const Definition& d) {
    return static_cast<int>(std::count_if(d.patches.begin(), d.patches.end(), [](const Patch& p) {
        return p.role != "neutral" && p.role != "warm" && p.role != "cool";
    }));
}

std::vector<Definition> installed() {
    std::map<std::string, Definition> by_id;
    for (const fs::path& folder : {shipped("charts"), user_data_dir() / "charts"}) {
        std::error_code ec;
        for (const auto& entry : fs::directory_iterator(folder, ec)) {
            if (entry.path().extension() != ".json") continue;
            if (auto d = parsed(entry)) by_id[d->id] = std::move(*d); // the user's own wins
        }
    }
    std::vector<Definition> all;
    for (auto& [id, definition] : by_id) all.push_back(std::move(definition));
    return all;
}

std::optional<fs::path> installed_by_user(const std::string& id) {
    std::error_code ec;
    for (fs::directory_iterator it(user_data_dir() / "charts", ec), end; !ec && it != end; it.increment(ec))
        if (it->path().extension() == ".json")
            if (const auto d = parsed(*it); d && d->id == id) return it->path();
    return std::nullopt;
}

Definition install(const Definition& definition, const Reference& reference) {
    const fs::path folder = user_data_dir() / "charts";
    std::error_code ec;
    fs::create_directories(folder, ec);
    if (!fs::is_directory(folder, ec))
        throw Error(ErrorKind::internal, "the folder for charts cannot be made", folder, "Check its permissions");
    std::string name;
    for (const char c : definition.id)
        name += std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '_' || c == '.' ? c : '_';
    fs::path file = folder / (name + ".json");
    if (const auto known = installed_by_user(definition.id)) file = *known;
    else // a name that another id's file bears
        for (int n = 2; fs::exists(file, ec); ++n) file = folder / (name + "-" + std::to_string(n) + ".json");
    return save_definition(definition, reference, file);
}

Definition find_definition(const std::string& id_or_file) {
    std::string ids;
    for (Definition& d : installed()) {
        if (d.id == id_or_file) return d;
        ids += (ids.empty() ? "" : " ") + d.id;
    }
    const bool plain = id_or_file.find_first_of("/.") == std::string::npos; // old readings and jobs name these
    const fs::path earlier = shipped("charts") / "withdrawn" / (id_or_file + ".json");
    std::error_code ec;
    if (plain && fs::is_regular_file(earlier, ec)) return load_definition(earlier);
    if (id_or_file.find('/') != std::string::npos || id_or_file.ends_with(".json")) return load_definition(id_or_file);
    throw Error(ErrorKind::usage, "unknown chart '" + id_or_file + "'", {},
                "Known: " + ids + "; or name a definition file");
}

} // namespace refero::chart
