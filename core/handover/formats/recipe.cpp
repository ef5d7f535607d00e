// The recipe: the correction in the steps and units of programs that are turned by hand.
#include <Eigen/LU>

#include "handover/internal/formats.hpp"
#include "match/match.hpp"

namespace refero::handover {

namespace {

match::Recipe recipe_for(const fit::Correction& c) {
    // Where it begins: balanced colour taken for BT.709, as a program shows it.
    std::map<std::string, colour::Vec3> recorded, balanced;
    for (const read::PatchReading& p : c.reading.patches) {
        if (!p.usable()) continue;
        const colour::Vec3 rgb(p.mean[0], p.mean[1], p.mean[2]);
        recorded[p.id] = c.balance.exposure * rgb;
        balanced[p.id] = c.balance(rgb);
    }
    chart::Definition chart; // as it was when the correction was fitted
    chart.id = c.reading.chart;
    for (const auto& [id, role] : c.roles) {
        chart::Patch& patch = chart.patches.emplace_back();
        patch.id = id;
        patch.role = role;
    }
    return match::recipe_of(recorded, balanced, match::rendering_of(c, c.reading),
                            chart.patches.empty() ? nullptr : &chart, c.balance, c.light);
}

} // namespace

Format recipe_format() {
    return {.id = "recipe",
            .title = "Recipe",
            .extension = ".txt",
            .what = "For programs that read none of these: balance, exposure, contrast, and hue by hue the saturation "
                    "and the hue shift to set by hand, with what is left after each step.",
            .next = "Turn the knobs in the order of the list; after each the file says what should be left.",
            .finish = true,
            .order = 7,
            .write = [](const fit::Correction&, const fit::Correction& c, const std::filesystem::path& file,
                        const Options& options, Written& w) {
                const match::Recipe r = recipe_for(c);
                const bool words = to_lower(file.extension().string()) == ".txt";
                write_whole(file, words ? options.name + "\n\n" + match::in_words(r) : match::to_json(r) + "\n");
                w.held = "recipe";
                if (!r.steps.empty())
                    w.message = formatted("; by hand {:.2f} CIEDE2000 are left to the correction after six hues",
                                          r.steps[r.steps.size() > 1 ? r.steps.size() - 2 : 0].residual);
            }};
}

} // namespace refero::handover
