// Values of the card in hand: a table that somebody brings, checked before it counts.
#include <cmath>
#include <set>

#include "base/statistics.hpp"
#include "chart/measured.hpp"

namespace refero::chart {

namespace {

// CIEDE2000 between a card and the published values of its kind: batches of one maker differ by about 1 on average;
// from memory.
constexpr double another_chart = 8; ///< mean beyond which the values are of something else
constexpr double suspicious = 3;    ///< mean beyond which order and illuminant are looked at
constexpr double much_better = 0.5; ///< share of it that another order or illuminant must leave
constexpr double most_share = 1.3;  ///< values that nowhere exceed this are shares, not percent
constexpr double most_lightness = 100.5;

[[noreturn]] void refuse(const std::filesystem::path& file, const std::string& why, const std::string& remedy) {
    throw Error(ErrorKind::input, why, file, remedy);
}

std::string list(const std::vector<std::string>& ids) {
    std::string all;
    for (std::size_t i = 0; i < ids.size() && i < 6; ++i) all += (i ? ", " : "") + ids[i];
    return ids.size() > 6 ? all + formatted(" and {} more", ids.size() - 6) : all;
}

using Values = std::map<std::string, Vec3>;

double mean_difference(const Values& a, const Values& b) {
    double sum = 0;
    int n = 0;
    for (const auto& [id, xyz] : a)
        if (const auto other = b.find(id); other != b.end()) {
            sum += colour::delta_e_2000(colour::lab_from_xyz(xyz), colour::lab_from_xyz(other->second));
            ++n;
        }
    return n ? sum / n : 0;
}

/// The values with each patch's taken from the one that lies where `there` puts its middle.
std::optional<Values> relaid(const Definition& d, const Values& values, bool turn_x, bool turn_y) {
    Values all;
    for (const Patch& p : d.patches) {
        const double x = p.x_mm + p.w_mm / 2, y = p.y_mm + p.h_mm / 2;
        const double wanted_x = turn_x ? d.width_mm - x : x, wanted_y = turn_y ? d.height_mm - y : y;
        const auto at = std::find_if(d.patches.begin(), d.patches.end(), [&](const Patch& q) {
            return std::abs(q.x_mm + q.w_mm / 2 - wanted_x) < q.w_mm / 4 &&
                   std::abs(q.y_mm + q.h_mm / 2 - wanted_y) < q.h_mm / 4;
        });
        if (at == d.patches.end()) return std::nullopt;
        all[p.id] = values.at(at->id);
    }
    return all;
}

/// The values read down the columns where the chart goes along the rows.
Values by_columns(const Definition& d, const Values& values) {
    std::vector<const Patch*> down;
    for (const Patch& p : d.patches) down.push_back(&p);
    std::stable_sort(down.begin(), down.end(),
                     [](const Patch* a, const Patch* b) { return a->x_mm + a->w_mm / 2 < b->x_mm + b->w_mm / 4; });
    Values all;
    for (std::size_t i = 0; i < down.size(); ++i) all[down[i]->id] = values.at(d.patches[i].id);
    return all;
}

void check_order(const Definition& d, const Values& values, const Values& old, double mean,
                 const std::filesystem::path& file) {
    struct Way {
        std::optional<Values> values;
        const char* words;
    };
    const Way ways[] = {{relaid(d, values, true, false), "each row from the other side"},
                        {relaid(d, values, false, true), "the rows from the bottom"},
                        {relaid(d, values, true, true), "from the last patch to the first"},
                        {by_columns(d, values), "down the columns"}};
    for (const Way& way : ways)
        if (way.values && mean_difference(*way.values, old) < much_better * mean)
            refuse(file, std::string("the values look to be listed ") + way.words,
                   "Put them in the order of the patch ids, or name each row's patch");
}

void check_illuminant(const Series& series, const Values& values, const Values& old, double mean,
                      const Conditions& stated, const std::filesystem::path& file) {
    if (!series.spectrum.empty()) return; // they become values under what is stated
    using I = Conditions::Illuminant;
    constexpr std::pair<I, const char*> all[] = {
        {I::d50, "D50"}, {I::d55, "D55"}, {I::d65, "D65"}, {I::d75, "D75"}, {I::a, "A"}};
    for (const auto& [illuminant, name] : all) {
        if (illuminant == stated.illuminant) continue;
        const colour::Mat3 as_there =
            colour::adaptation(Conditions{illuminant, stated.observer}.white(), colour::white_d50) *
            colour::adaptation(colour::white_d50, stated.white());
        Values there;
        for (const auto& [id, xyz] : values) there[id] = as_there * xyz;
        if (mean_difference(there, old) < much_better * mean)
            refuse(file, std::string("the values look to be stated for illuminant ") + name,
                   std::string("Choose ") + name + " as their illuminant");
    }
}

void check_scale(const Values& values, const std::filesystem::path& file) {
    double lightest = 0;
    for (const auto& [id, xyz] : values) lightest = std::max(lightest, xyz[1]);
    if (lightest < most_share / 100)
        refuse(file, "the values look like shares of 1", "Give percent: Y is 100 for the perfect diffuser");
    if (lightest > most_lightness / 100)
        refuse(file, formatted("a patch is {:.0f} % as light as the perfect diffuser", 100 * lightest),
               "Give percent: Y is 100 for the perfect diffuser, L* 100");
}

} // namespace

Brought bring_values(const Definition& d, const Reference* old, const std::string& table,
                     const std::filesystem::path& file, const Conditions& conditions) {
    const Series series = parse_series(table, file, conditions);
    const Averaged averaged = average(d, {series});
    std::set<std::string> seen;
    for (const std::string& id : series.ids)
        if (!seen.insert(id).second) refuse(file, "patch " + id + " stands twice", "Keep one row for each patch");
    if (!series.named && series.ids.size() != d.patches.size())
        refuse(file, formatted("there are {} rows, and the chart has {} patches", series.ids.size(), d.patches.size()),
               "Give one row for each patch");
    if (!averaged.missing.empty())
        refuse(file, "there is no value for " + list(averaged.missing), "Give one row for each patch of " + d.id);
    const Values& values = averaged.reference.xyz;
    check_scale(values, file);
    Brought b;
    b.reference = averaged.reference;
    b.reference.nominal = false;
    if (!old) return b;
    const double mean = mean_difference(values, old->xyz);
    if (mean > suspicious) {
        check_order(d, values, old->xyz, mean, file);
        check_illuminant(series, values, old->xyz, mean, conditions, file);
    }
    if (mean > another_chart)
        refuse(file, formatted("the values are {:.0f} CIEDE2000 from those of {} on average", mean, d.id),
               "Check that they belong to this chart, their order and what they are stated for");
    std::vector<double> all;
    for (const auto& [id, xyz] : values)
        if (const auto was = old->xyz.find(id); was != old->xyz.end()) {
            b.changed.emplace_back(id,
                                   colour::delta_e_2000(colour::lab_from_xyz(was->second), colour::lab_from_xyz(xyz)));
            all.push_back(b.changed.back().second);
        }
    std::stable_sort(b.changed.begin(), b.changed.end(),
                     [](const auto& x, const auto& y) { return x.second > y.second; });
    b.mean = mean;
    if (!all.empty()) b.median = median(all);
    return b;
}

} // namespace refero::chart
