// What a user decides about a setup's correction: declared once, here. Storage, comparison and staleness follow.
#pragma once

#include <filesystem>
#include <optional>

#include "chart/geometry.hpp"
#include "fit/fit.hpp"
#include "prove/elsewhere.hpp"
#include "shoot/records.hpp"

namespace refero::shoot {

struct SetupSettings {
    std::string chart;                     ///< of the chart shot: id; empty: any installed chart
    std::optional<chart::Corners> corners; ///< of the chart shot: by hand, needs `chart`; none: found
    std::string white;                     ///< patch to balance on; empty: chosen
    std::optional<fit::Model> model;       ///< none: by cross-validation
    fit::Intent intent = fit::Intent::even;
    std::filesystem::path reference;            ///< CGATS; empty: the card's, else the chart's own
    std::string values;                         ///< of the card in hand, CGATS text; empty: the chart's own
    fit::Weights weights;                       ///< of patches or roles
    bool curves = false;                        ///< bring the greys' channels together
    bool average = false;                       ///< all good chart shots together, else the latest
    bool panels = false;                        ///< hues of other charts in the frame join the fit
    std::vector<std::filesystem::path> samples; ///< readings and reference values of samples; empty or two files
    std::vector<std::string> spots;   ///< things thought neutral to balance on, as balance::text_of writes them
    std::vector<prove::Named> others; ///< corrections made elsewhere, to be judged beside one's own
    look::Adjustments finish;         ///< after the correction
    look::Look look;                  ///< after the finish
    bool operator==(const SetupSettings&) const = default;
};

/// Where a setting is kept, and whether a correction that was made with another one is stale.
enum class Kept { with_setup, with_chart_shot };
enum class Refits { yes, no };

/// Calls f(name, member, kept, refits) for every setting.
template<class S, class F>
void for_each_setting(S&& s, F&& f) {
    f("chart", s.chart, Kept::with_chart_shot, Refits::yes);
    f("corners", s.corners, Kept::with_chart_shot, Refits::yes);
    f("white", s.white, Kept::with_setup, Refits::yes);
    f("model", s.model, Kept::with_setup, Refits::yes);
    f("intent", s.intent, Kept::with_setup, Refits::yes);
    f("reference", s.reference, Kept::with_setup, Refits::yes);
    f("values", s.values, Kept::with_setup, Refits::yes);
    f("weights", s.weights, Kept::with_setup, Refits::yes);
    f("curves", s.curves, Kept::with_setup, Refits::yes);
    f("average", s.average, Kept::with_setup, Refits::yes);
    f("panels", s.panels, Kept::with_setup, Refits::yes);
    f("samples", s.samples, Kept::with_setup, Refits::yes);
    f("spots", s.spots, Kept::with_setup, Refits::no);
    f("others", s.others, Kept::with_setup, Refits::no);
    f("stops", s.finish.stops, Kept::with_setup, Refits::no);
    f("warmer_mired", s.finish.warmer_mired, Kept::with_setup, Refits::no);
    f("greener", s.finish.greener, Kept::with_setup, Refits::no);
    f("light_kept", s.finish.light_kept, Kept::with_setup, Refits::no);
    f("look", s.look, Kept::with_setup, Refits::no);
}

/// Of a setup and its chart shot, which may be null. What cannot be read (a newer Refero's model) is as if not set.
SetupSettings settings_of(const SetupRecord& setup, const ChartShotRecord* shot);
/// The setup's part as it is kept with it: JSON, only what differs from the usual. docs/formats.md.
std::string text_of(const SetupSettings& settings);
/// The settings that a correction depends on; kept with it to know when they have changed.
std::string fit_key(const SetupSettings& settings);
/// True if a correction's key says these settings, in this or an earlier version's form.
bool is_key_of(const std::string& key, const SetupSettings& settings);

/// "x,y x,y x,y x,y" and back.
std::string text_of(const std::optional<chart::Corners>& corners);
std::optional<chart::Corners> corners_from(const std::string& text);

} // namespace refero::shoot
