#include "operations/handover/report.hpp"

#include <cmath>

#include "apply/apply.hpp"
#include "operations/correct/renderings.hpp"
#include "shoot/evidence.hpp"

namespace refero::operations {

namespace {

/// With the stretch, where the setup has several.
std::string title_in_time(const Chain& c) {
    const std::string stretch = c.stretch_id();
    return stretch.empty() ? c.title : c.title + ", " + stretch;
}

std::string html(const std::string& text) {
    std::string out;
    for (const char c : text)
        if (c == '&') out += "&amp;";
        else if (c == '<') out += "&lt;";
        else if (c == '>') out += "&gt;";
        else if (c == '"') out += "&quot;";
        else out += c;
    return out;
}

std::string swatch(const colour::Vec3& lab) {
    return formatted("<td style=\"background:#{:06x};width:36px\">&nbsp;</td>",
                     apply::display_code(colour::xyz_from_lab(lab)) & 0xffffff);
}

/// Camera, lens, mode with its sub-settings, light with its place: what the correction holds for.
std::vector<std::pair<std::string, std::string>> terms_of(const shoot::Shoot& shoot, const Chain& c) {
    std::vector<std::pair<std::string, std::string>> all;
    const auto add = [&](const char* name, const std::string& value) {
        if (!value.empty()) all.emplace_back(name, value);
    };
    add("Camera", shoot::name_in(shoot.cameras, c.row.camera));
    add("Lens", c.row.lens ? shoot::name_in(shoot.lenses, c.row.lens) : "any lens");
    if (const shoot::ModeRecord* m = shoot::record(shoot.modes, c.row.mode))
        add("Recording mode", m->name + (m->sub_settings.empty() ? "" : " (" + m->sub_settings + ")") +
                                  (m->encoding.empty() || m->encoding == "linear" ? "" : ", curve " + m->encoding));
    if (const shoot::LightRecord* l = shoot::record(shoot.lights, c.row.light))
        add("Light",
            l->name + (l->power.empty() ? "" : ", " + l->power) + (l->modifier.empty() ? "" : ", " + l->modifier));
    if (c.light) add("Measured light", formatted("{:.0f} K, Duv {:+.4f}", c.light->kelvin, c.light->duv));
    add("Chart shot", std::filesystem::path(c.chart_frame.path).filename().string());
    std::string taken = c.chart_frame.taken;
    std::replace(taken.begin(), taken.end(), 'T', ' ');
    add("Taken", taken);
    return all;
}

std::string goodness_of(const Chain& c) {
    if (!c.correction) return "There is no correction yet.";
    if (c.balance_only())
        return "Balance alone: greys are neutral; colours are as the file's own matrix, or the picture's primaries, "
               "make "
               "them.";
    const fit::Statistics& s = c.correction->cross_validated;
    return formatted("Model {}. On patches held out it is off by CIEDE2000 {:.2f} on average, {:.2f} at most; "
                     "half of observers begin to see 0.8.",
                     fit::name_of(c.correction->model), s.mean, s.max);
}

std::string values_of(const Chain& c) {
    if (!c.reference) return {};
    return c.nominal() ? "The chart's values are nominal: published or designed, not measured on the card in hand."
                       : "The chart's values are those of the card in hand.";
}

} // namespace

std::string note_of(const shoot::Shoot& shoot, const Chain& c, const std::vector<std::string>& files) {
    const std::string title = title_in_time(c);
    std::string text = title + "\n" + std::string(title.size(), '=') + "\n\nFiles\n";
    for (const std::string& f : files) text += "  " + f + "\n";
    text += "\nWhat they hold for\n";
    for (const auto& [name, value] : terms_of(shoot, c)) text += formatted("  {:<16} {}\n", name, value);
    if (c.balance) {
        text += "\nWhat they expect\n";
        text += formatted("  Camera RGB without a balance; its greys become neutral by gains {:.4f} 1 {:.4f}.\n",
                          c.balance->gains[0], c.balance->gains[2]);
        text += formatted("  The exposure of the chart shot; it is changed by {:+.2f} stops.\n",
                          std::log2(c.balance->exposure));
    }
    text += "\nHow good they are\n  " + goodness_of(c) + "\n";
    if (const std::string values = values_of(c); !values.empty()) text += "  " + values + "\n";
    if (c.correction && !c.correction->finish.empty())
        text += "  After the correction: " + look::in_words(c.correction->finish) + ".\n";
    if (c.correction && !c.correction->look.empty())
        text += "  The look: " + look::in_words(c.correction->look) + ".\n";
    for (const KeptRendering& r : renderings_of(shoot, c)) {
        if (!r.correction) continue;
        text += "  Rendering " + r.name + ": for " + fit::name_of(r.correction->intent);
        for (const std::string& part : {look::in_words(r.correction->finish), look::in_words(r.correction->look)})
            if (!part.empty()) text += "; " + part;
        text += (r.stale.empty() ? std::string() : "; stale: " + r.stale) + ".\n";
    }
    for (const shoot::Staleness& s : c.stale) text += "  Stale: " + s.why + ". " + s.remedy + ".\n";
    return text + "\nMost programs show a new profile or LUT only after they are started again.\n";
}

std::string report_html(const shoot::Shoot& shoot, const std::vector<Chain>& chains) {
    const shoot::JobSettingsRecord& brief = shoot.brief();
    std::string out = "<!DOCTYPE html>\n<html><head><meta charset=\"utf-8\"><title>" + html(brief.title) +
                      "</title>\n<style>body{font-family:Lato,sans-serif;font-size:10pt;color:#222;max-width:800px;"
                      "margin:2em auto}h1{font-size:17pt}h2{font-size:12pt;margin-top:1.6em}table{border-collapse:"
                      "collapse}td,th{padding:2px 10px 2px 0;text-align:left;vertical-align:top}th{font-weight:normal;"
                      "color:#666}</style></head><body>\n<h1>" +
                      html(brief.title) + "</h1>\n<p>" + html(brief.client) + (brief.client.empty() ? "" : ", ") +
                      html(brief.date) + "</p>\n";
    out += "<table><tr><th>Setup</th><th>State</th><th>Gate</th><th>Held out, mean</th></tr>\n";
    for (const Chain& c : chains)
        out += formatted("<tr><td>{}</td><td>{}</td><td>{}</td><td>{}</td></tr>\n", html(title_in_time(c)),
                         shoot::name_of(c.state), c.gate() ? html(inspect::name_of(*c.gate())) : "&ndash;",
                         c.correction && !c.balance_only() ? formatted("{:.2f}", c.correction->cross_validated.mean)
                                                           : std::string("&ndash;"));
    out += "</table>\n";
    for (const Chain& c : chains) {
        out += "<h2>" + html(title_in_time(c)) + "</h2>\n<table>\n";
        for (const auto& [name, value] : terms_of(shoot, c))
            out += "<tr><th>" + html(name) + "</th><td>" + html(value) + "</td></tr>\n";
        out += "</table>\n";
        for (const shoot::FindingRecord& f : c.findings)
            if (inspect::is_alarm(f.status))
                out += "<p>Gate: " + html(inspect::name_of(f.status)) + ", " + html(inspect::name_of(f.check)) + ". " +
                       html(f.advice) + ".</p>\n";
        out += "<p>" + html(goodness_of(c)) + " " + html(values_of(c)) + "</p>\n";
        for (const shoot::Staleness& s : c.stale) out += "<p>Stale: " + html(s.why) + ". " + html(s.remedy) + ".</p>\n";
        if (c.proof && c.correction && !c.balance_only()) {
            out += "<table><tr><th>Patch</th><th>Reference</th><th>Corrected</th><th>CIEDE2000</th></tr>\n";
            for (const prove::PatchProof& p : c.proof->patches)
                out += "<tr><td>" + html(p.id) + "</td>" + swatch(p.reference_lab) + swatch(p.corrected_lab) +
                       formatted("<td>{:.2f}</td></tr>\n", p.delta_e_2000);
            out += "</table>\n";
        }
        if (!c.handovers.empty()) {
            out += "<p>Handed over:</p>\n<table>\n";
            for (const shoot::HandoverRecord& h : c.handovers)
                out += "<tr><td>" + html(std::filesystem::path(h.file).filename().string()) + "</td><td>" +
                       html(h.message) + "</td></tr>\n";
            out += "</table>\n";
        }
    }
    return out + "<p>Made with Refero " + std::string(program_version()) + ", " + utc_now() + "</p>\n</body></html>\n";
}

} // namespace refero::operations
