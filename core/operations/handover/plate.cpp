#include "operations/handover/plate.hpp"

#include <cmath>
#include <mutex>
#include <set>

#include <nlohmann/json.hpp>

#include "prove/elsewhere.hpp"

namespace refero::operations {

namespace fs = std::filesystem;

namespace {

const char* folder_of(PlateRole role) {
    return std::array{"plate", "clean", "object", "chart"}[static_cast<int>(role)];
}

apply::Parts neutral_parts() {
    apply::Parts parts;
    parts.finish = parts.look = false;
    return parts;
}

constexpr int most_compared = 100'000; ///< pixels

/// The same frame by both ways.
PlateAgreement agreement_of(const BatchFrame& f, const fs::path& curve, const PlateOptions& o,
                            const std::stop_token& stop) {
    const frame::Frame plate = frame::read(f.frame.target, {}, stop);
    const apply::Picture picture =
        apply::corrected(read(f.frame.source, frame::Size::full, {}, stop), *f.correction, o.display, {}, stop, {}, {});
    const prove::Elsewhere through = prove::open_elsewhere(curve, {"linear", o.display, false}, {});
    const colour::RgbSpace& display = colour::rgb_space(o.display);
    const colour::Mat3 from_xyz = display.to_xyz_d50().inverse();
    const std::size_t pixels = plate.rgb.size() / 3, step = std::max<std::size_t>(1, pixels / most_compared);
    PlateAgreement a{.plate = f.frame.target};
    std::size_t count = 0;
    const auto code = [&](double light) { return 255 * std::clamp(colour::encode(display.transfer, light), 0.0, 1.0); };
    for (std::size_t i = 0; i < pixels; i += step, ++count) {
        const float* p = &plate.rgb[3 * i];
        const colour::Vec3 seen = from_xyz * through.rendering({p[0], p[1], p[2]});
        for (std::size_t c = 0; c < 3; ++c) {
            const double off =
                std::abs(code(seen[static_cast<Eigen::Index>(c)]) - code(static_cast<double>(picture.rgb[3 * i + c])));
            a.most = std::max(a.most, off);
            a.mean += off / 3;
        }
    }
    a.mean /= static_cast<double>(std::max<std::size_t>(1, count));
    return a;
}

std::string note_of(const PlateSet& set, const PlateResult& result, const PlateOptions& o) {
    const fit::Correction& c = *set.frames.front().correction;
    const frame::Metadata shot = c.sources.empty() ? frame::Metadata{} : c.sources.front().metadata;
    std::string text = "Effects set: " + handover::title_of(c) + "\n\n";
    for (const PlateRole role : {PlateRole::plate, PlateRole::clean, PlateRole::object, PlateRole::chart}) {
        const auto n = std::count(set.roles.begin(), set.roles.end(), role);
        if (n)
            text += formatted("{}/  {}, {} {}\n", folder_of(role), shoot::name_of(role), n, n == 1 ? "file" : "files");
    }
    text += formatted(
        "\nThe files are scene-linear OpenEXR in {}: twice the light is twice the number, 1.0 is a perfectly white\n"
        "surface in the light that the chart was in. Balance, exposure and colour are corrected; nothing is done for\n"
        "looks. Composite and render in this space, without a tone curve.\n",
        o.space);
    text += formatted("\n{}  from {} to {} codes: look at plates and renderings through it.\n",
                      set.display.filename().string(), o.space, o.display);
    const std::string finish = look::in_words(c.finish);
    text += finish.empty() && c.look.empty()
                ? "It holds no more than the display's own curve.\n"
                : formatted("It holds the finish ({}){}.\n", finish.empty() ? "none" : finish,
                            c.look.empty() ? std::string()
                                           : " and the look" + (c.look.name.empty() ? "" : " \"" + c.look.name + "\""));
    for (const PlateAgreement& a : result.agreement)
        text += formatted("Seen through it, {} is within {:.2f} codes of 255 of the corrected picture ({:.3f} in the "
                          "mean).\n",
                          a.plate.filename().string(), a.most, a.mean);
    text += "\nFor the renderer\n";
    if (c.light)
        text += formatted("Light on the set: {:.0f} K, Duv {:+.4f}. It is balanced out: a neutral lamp of the renderer "
                          "stands for it.\n",
                          c.light->kelvin, c.light->duv);
    else text += "Light on the set: not known from the files; it is balanced out: a neutral lamp stands for it.\n";
    text += formatted("Exposure: the correction multiplies by {:.4g} ({:+.2f} stops).\n", c.balance.exposure,
                      std::log2(c.balance.exposure));
    if (shot.exposure_s > 0 || shot.f_number > 0 || shot.iso > 0)
        text += formatted("Camera: {}{}{}{}.\n", shot.camera(),
                          shot.exposure_s > 0 ? formatted(", {:.6g} s", shot.exposure_s) : std::string(),
                          shot.f_number > 0 ? formatted(", f/{:g}", shot.f_number) : std::string(),
                          shot.iso > 0 ? formatted(", ISO {:g}", shot.iso) : std::string());
    if (!shot.lens.empty() || shot.focal_mm > 0)
        text += formatted("Lens: {}{}.\n", shot.lens.empty() ? "not named" : shot.lens,
                          shot.focal_mm > 0 ? formatted(", {:g} mm", shot.focal_mm) : std::string());
    text += formatted("Colour: CIEDE2000 {:.2f} in the mean on patches held out; values of the chart are {}.\n",
                      c.cross_validated.mean, c.reference.nominal ? "nominal" : "measured");
    return text;
}

} // namespace

std::vector<PlateSource> plate_sources(const shoot::Shoot& shoot, const Chain& chain) {
    std::vector<PlateSource> all;
    const auto add = [&](const shoot::FrameRecord& f, PlateRole role) {
        for (FrameSource& s : stills_of(shoot, f, chain.row.mode)) all.push_back({std::move(s), role});
    };
    const auto role_of = [](const std::string& name) { return shoot::named<PlateRole>(name); };
    if (chain.chart_frame.id)
        add(chain.chart_frame, chain.chart_frame.role.empty() ? PlateRole::chart : role_of(chain.chart_frame.role));
    for (const shoot::Id id : chain.frames)
        if (const shoot::FrameRecord* f = shoot::record(shoot.frames, id);
            f && id != chain.chart_frame.id && f->problem.empty() && !f->role.empty())
            add(*f, role_of(f->role));
    return all;
}

std::vector<fs::path> PlateSet::outputs() const {
    std::vector<fs::path> all{display, note};
    for (const BatchFrame& f : frames) all.push_back(f.frame.target);
    return all;
}

PlateSet plan_plates(const std::vector<PlateSource>& sources, std::shared_ptr<const fit::Correction> correction,
                     const fs::path& folder, const PlateOptions& o) {
    const bool is_linear = colour::rgb_space(o.space).transfer == colour::Transfer::linear;
    if (!is_linear)
        throw Error(ErrorKind::usage, o.space + " is not scene-linear", {}, "Choose acescg or linear-bt709");
    if (colour::rgb_space(o.display).transfer == colour::Transfer::linear)
        throw Error(ErrorKind::usage, o.display + " is no space of a display", {}, "Choose srgb, bt709 or display-p3");
    PlateSet set{{}, {}, folder / ("display-" + o.display + ".clf"), folder / "note.txt"};
    for (const PlateRole role : {PlateRole::plate, PlateRole::clean, PlateRole::object, PlateRole::chart}) {
        std::vector<FrameSource> own;
        for (const PlateSource& s : sources)
            if (s.role == role) own.push_back(s.source);
        for (Development& d : plan_targets(own, {"{stem}", correction->light_name, {}, o.space, true},
                                           apply::Format::exr, folder / folder_of(role))) {
            set.frames.push_back({std::move(d), correction});
            set.roles.push_back(role);
        }
    }
    if (std::find(set.roles.begin(), set.roles.end(), PlateRole::plate) == set.roles.end() &&
        std::find(set.roles.begin(), set.roles.end(), PlateRole::clean) == set.roles.end())
        throw Error(ErrorKind::usage, "there is no plate", {}, "Name the frame or clip that effects are put into");
    return set;
}

PlateResult write_plates(const PlateSet& set, const PlateOptions& o, const std::function<void(const BatchEnd&)>& ended,
                         std::stop_token stop) {
    std::error_code ec;
    std::vector<fs::path> made; // folders, those inside others first
    const bool new_folder = !fs::exists(set.note.parent_path(), ec);
    for (const BatchFrame& f : set.frames)
        if (fs::create_directories(f.frame.target.parent_path(), ec)) made.push_back(f.frame.target.parent_path());
    if (new_folder) made.push_back(set.note.parent_path());
    if (!fs::is_directory(set.note.parent_path(), ec))
        throw Error(ErrorKind::usage, "this folder cannot be made", set.note.parent_path(), "Choose another");
    PlateResult result;
    BatchOptions options{.develop = {.format = apply::Format::exr,
                                     .space = o.space,
                                     .depth = o.depth,
                                     .parts = neutral_parts(),
                                     .existing = o.existing},
                         .jobs = o.jobs};
    develop_all(
        set.frames, options,
        [&](const BatchEnd& end) {
            if (ended) ended(end);
            result.ends.push_back(end);
        },
        stop);
    std::sort(result.ends.begin(), result.ends.end(),
              [](const BatchEnd& a, const BatchEnd& b) { return a.frame < b.frame; });
    if (std::all_of(result.ends.begin(), result.ends.end(),
                    [](const BatchEnd& end) { return end.problem.has_value(); })) {
        for (const fs::path& folder : made) fs::remove(folder, ec); // empty ones only
        return result;                                              // there is nothing to look at
    }
    const auto correction = set.frames.front().correction;
    handover::write_display_curve(*correction, o.space, o.display, set.display);
    std::set<std::size_t> failed;
    for (const BatchEnd& end : result.ends)
        if (end.problem) failed.insert(end.frame);
    std::set<PlateRole> proved;
    for (std::size_t i = 0; i < set.frames.size(); ++i)
        if (!failed.contains(i) && proved.insert(set.roles[i]).second)
            result.agreement.push_back(agreement_of(set.frames[i], set.display, o, stop));
    write_whole(set.note, note_of(set, result, o), o.existing);
    return result;
}

} // namespace refero::operations
