#include "shoot/settings.hpp"

#include <cmath>
#include <cstdio>
#include <sstream>

#include <nlohmann/json.hpp>

namespace refero::shoot {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

// Each kind of setting as JSON and back: one pair a kind.

json json_of(const std::string& v) { return v; }
json json_of(bool v) { return v; }
json json_of(double v) { return v; }
json json_of(const fs::path& v) { return v.string(); }
json json_of(const std::optional<fit::Model>& v) { return v ? fit::name_of(*v) : std::string(); }
/// Under the names of the first job files: corrections are compared with how they were kept.
json json_of(fit::Intent v) {
    switch (v) {
    case fit::Intent::even: return "colorimetric";
    case fit::Intent::people: return "skin";
    case fit::Intent::textiles: return "chroma";
    default: return fit::name_of(v);
    }
}
json json_of(const fit::Weights& v) { return fit::text_of(v); }
json json_of(const std::optional<chart::Corners>& v) { return text_of(v); }
json json_of(const std::vector<prove::Named>& v) { return prove::text_of(v); }
json json_of(const look::Look& v) { return v.changes_nothing() ? std::string() : look::to_json(v); }
template<class T>
json json_of(const std::vector<T>& lines) {
    std::string text;
    for (const T& line : lines) text += json_of(line).template get<std::string>() + "\n";
    return text;
}

void take(const json& j, std::string& v) { v = j; }
void take(const json& j, bool& v) { v = j; }
void take(const json& j, double& v) { v = j; }
void take(const json& j, fs::path& v) { v = j.get<std::string>(); }
void take(const json& j, std::optional<fit::Model>& v) {
    if (const std::string name = j; !name.empty()) v = fit::model_named(name);
}
void take(const json& j, fit::Intent& v) {
    if (const std::string name = j; !name.empty()) v = fit::intent_named(name);
}
void take(const json& j, fit::Weights& v) { v = fit::weights_from(j); }
void take(const json& j, std::optional<chart::Corners>& v) { v = corners_from(j); }
void take(const json& j, std::vector<prove::Named>& v) { v = prove::named_from(j); }
void take(const json& j, look::Look& v) {
    if (const std::string text = j; !text.empty()) v = look::look_from_json(text);
}
template<class T>
void take(const json& j, std::vector<T>& v) {
    v.clear();
    std::istringstream lines(j.get<std::string>());
    for (std::string line; std::getline(lines, line);)
        if (!line.empty()) v.emplace_back(line);
}

std::string dump(const json& j) { return j.dump(-1, ' ', false, json::error_handler_t::replace); }

/// The key as it was kept before settings were one text.
std::string earlier_key(const SetupSettings& s) {
    const auto text = [](const auto& v) { return json_of(v).template get<std::string>(); };
    return s.white + "|" + text(s.model) + "|" + text(s.intent) + "|" + s.reference.string() + "|" + s.chart + "|" +
           text_of(s.corners) + (s.weights.empty() ? "" : "|weights " + text(s.weights)) + (s.curves ? "|curves" : "") +
           (s.average ? "|average" : "") + (s.samples.empty() ? "" : "|samples " + text(s.samples));
}

} // namespace

std::string text_of(const std::optional<chart::Corners>& corners) {
    std::string text;
    if (corners)
        for (const chart::Point& p : *corners)
            text += formatted("{}{:.10g},{:.10g}", text.empty() ? "" : " ", p.x(), p.y());
    return text;
}

std::optional<chart::Corners> corners_from(const std::string& text) {
    chart::Corners c;
    std::istringstream in(text);
    in.imbue(std::locale::classic());
    char comma = 0;
    for (chart::Point& p : c)
        if (!(in >> p.x() >> comma >> p.y()) || comma != ',') return std::nullopt;
    return c;
}

SetupSettings settings_of(const SetupRecord& setup, const ChartShotRecord* shot) {
    SetupSettings s;
    const json kept = json::parse(setup.settings.empty() ? "{}" : setup.settings, nullptr, false);
    if (kept.is_object())
        for_each_setting(s, [&](const char* name, auto& member, Kept where, Refits) {
            if (where != Kept::with_setup || !kept.contains(name)) return;
            try {
                take(kept[name], member);
            } catch (const std::exception&) { // a newer Refero's: as if it were not set
            }
        });
    if (shot) {
        s.chart = shot->chart;
        s.corners = corners_from(shot->corners);
    }
    return s;
}

std::string text_of(const SetupSettings& settings) {
    json j = json::object();
    std::map<std::string, json> usual;
    for_each_setting(SetupSettings{},
                     [&](const char* name, const auto& member, Kept, Refits) { usual[name] = json_of(member); });
    for_each_setting(settings, [&](const char* name, const auto& member, Kept where, Refits) {
        if (json value = json_of(member); where == Kept::with_setup && value != usual[name]) j[name] = std::move(value);
    });
    return j.empty() ? std::string() : dump(j);
}

std::string fit_key(const SetupSettings& settings) {
    json j = json::object();
    for_each_setting(settings, [&](const char* name, const auto& member, Kept, Refits refits) {
        if (refits == Refits::yes) j[name] = json_of(member);
    });
    return dump(j);
}

bool is_key_of(const std::string& key, const SetupSettings& settings) {
    if (key.starts_with('{')) return key == fit_key(settings);
    return settings.values.empty() && !settings.panels && key == earlier_key(settings);
}

} // namespace refero::shoot
