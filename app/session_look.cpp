// What the session has judged and shown beside the correction in force: other renderings, versions, spots, other
// frames.
#include <QDateTime>

#include "session_parts.hpp"

namespace refero::app {

namespace {

/// Wide enough for the screen; what was made elsewhere takes longer a pixel.
constexpr int elsewhere_width = 1500;

prove::Rendering rendering_of(const Comparison& c, const frame::Frame& f, const balance::Balance& balance) {
    if (c.with == Comparison::With::elsewhere)
        return prove::open_elsewhere(c.other.file, c.other.usage, balance).rendering;
    if (!f.camera_from_xyz)
        throw Error(ErrorKind::input, "the file has no colour matrix", f.file, "Compare with something else");
    return prove::standard_rendering(*f.camera_from_xyz, balance);
}

} // namespace

void Session::preview(Id id, Id frame, const Comparison& with, std::function<void(Rendition, Rendition)> show) {
    const SetupState& s = at(id);
    const auto correction = s.correction;
    const auto chart_frame = frame == 0 ? s.frame : nullptr;
    const plan::Frame* found = frame ? frame_row(frame) : &s.chart_frame;
    if (!found || (frame == 0 && !chart_frame)) return show({}, {});
    const plan::Frame row = *found;
    const auto balance = correction ? std::optional(correction->balance) : s.balance;
    const std::string encoding = encoding_of(shoot(), s.row);
    std::shared_ptr<const fit::Correction> version;
    if (const plan::Correction* kept = plan::record(shoot().corrections, with.version);
        kept && with.with == Comparison::With::version)
        try {
            version = std::make_shared<const fit::Correction>(fit::from_json(kept->content, job_file()));
        } catch (const Error& e) { emit notice(QString::fromUtf8(e.what())); }
    tasks_.run(tr("Developing %1").arg(name_of_file(row.path)),
               [=](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                   const frame::Frame loaded =
                       chart_frame ? frame::Frame{} : read_pixels(row, frame::Size::measuring, encoding, stop);
                   const frame::Frame& f = chart_frame ? *chart_frame : loaded;
                   progress(0.4);
                   const auto strong = [&](const apply::Picture& p, const frame::Frame& of) {
                       return with.chroma == 1 ? rendition_of(p, of)
                                               : rendition_of(apply::exaggerated(p, with.chroma), of);
                   };
                   Rendition before;
                   if (with.with == Comparison::With::balance || !balance ||
                       (with.with == Comparison::With::version && !version)) {
                       const colour::Vec3 gains =
                           balance ? colour::Vec3(balance->exposure * balance->gains) : apply::viewing_gains(f);
                       before = strong(apply::uncorrected(f, gains, "srgb", stop), f);
                   } else if (version) {
                       before = strong(apply::corrected(f, *version, "srgb", {}, stop), f);
                   } else {
                       const frame::Frame small = apply::smaller(f, elsewhere_width);
                       before = strong(apply::rendered(small, rendering_of(with, f, *balance), "srgb", stop), small);
                   }
                   progress(0.7);
                   const Rendition after =
                       correction ? strong(apply::corrected(f, *correction, "srgb", {}, stop), f) : Rendition{};
                   return [show, before, after] { show(before, after); };
               });
}

void Session::pixels(Id id, Id frame, int most_width, std::function<void(std::shared_ptr<const frame::Frame>)> show) {
    const SetupState& s = at(id);
    const plan::Frame* found = frame ? frame_row(frame) : &s.chart_frame;
    if (!found || (frame == 0 && !s.chart_frame.id)) return show(nullptr);
    const plan::Frame row = *found;
    const auto chart_frame = frame == 0 ? s.frame : nullptr;
    const std::string encoding = encoding_of(shoot(), s.row);
    tasks_.run_quietly([=](std::stop_token stop, const Progress&) -> Tasks::Then {
        auto all = chart_frame
                       ? chart_frame
                       : std::make_shared<const frame::Frame>(read_pixels(row, frame::Size::measuring, encoding, stop));
        if (most_width) all = std::make_shared<const frame::Frame>(apply::smaller(*all, most_width));
        return [show, all] { show(all); };
    });
}

std::optional<std::pair<double, QString>> Session::grade(Id id, const std::string& spot) const {
    const SetupState& s = at(id);
    const auto seen = balance::spot_from(spot);
    if (!s.correction || s.balance_only() || !seen) return std::nullopt;
    // At a lightness of its own the exposure does not matter: what counts is its colour beside the chart's neutrals.
    const colour::Vec3 xyz = (*s.correction)(seen->camera_rgb);
    const colour::Vec3 lab = colour::lab_from_xyz(xyz * (0.5 / std::max(1e-6, xyz.y())));
    const double chroma = std::hypot(lab[1], lab[2]);
    return std::pair(chroma, tr("%1 off neutral (a* %2, b* %3)")
                                 .arg(chroma, 0, 'f', 1)
                                 .arg(QString::asprintf("%+.1f", lab[1]), QString::asprintf("%+.1f", lab[2])));
}

void Session::take_spot(Id id, Id frame, const chart::Point& at) {
    const SetupState* s = state(id);
    const plan::Frame* found = frame ? frame_row(frame) : s ? &s->chart_frame : nullptr;
    if (!found) return;
    const plan::Frame row = *found;
    const auto chart_frame = frame == 0 ? s->frame : nullptr;
    const std::string encoding = encoding_of(shoot(), s->row);
    tasks_.run(tr("Measuring a spot"), [=, this](std::stop_token stop, const Progress&) -> Tasks::Then {
        const frame::Frame loaded =
            chart_frame ? frame::Frame{} : read_pixels(row, frame::Size::measuring, encoding, stop);
        const std::string text =
            balance::text_of(balance::spot_at(chart_frame ? *chart_frame : loaded, at.x(), at.y()));
        return [=, this] {
            if (!has(id)) return;
            Settings settings = this->at(id).settings;
            settings.spots.push_back(text);
            change(id, settings, tr("A spot to balance on"));
            if (const auto g = grade(id, text)) emit notice(tr("By the correction this spot is %1.").arg(g->second));
        };
    });
}

void Session::keep_grade(Id id, const std::string& spot, Id card) {
    const auto g = grade(id, spot);
    const plan::Card* row = plan::record(kit().cards, card);
    const plan::Light* light = plan::record(shoot().lights, at(id).row.light);
    if (!g || !row) return;
    plan::Card graded = *row;
    const QString words = tr("%1 under %2").arg(g->second, light ? qt(light->name) : tr("an unnamed light"));
    graded.condition += (graded.condition.empty() ? "" : "; ") + words.toStdString();
    graded.compared = utc_now().substr(0, 10);
    change_kit(tr("Grade %1: %2").arg(qt(row->name), words), [&](job::Edit& e) {
        e.about(row->name);
        e.update(graded);
    });
    emit notice(tr("The kit keeps: %1 is %2. Grade it under other lights as well: a grey that holds under one may fail "
                   "under another.")
                    .arg(qt(row->name), words));
}

std::vector<Version> Session::versions(Id id) const {
    std::vector<Version> all;
    const SetupState& s = at(id);
    for (auto row = shoot().corrections.rbegin(); row != shoot().corrections.rend(); ++row) {
        if (row->setup != id) continue;
        Version v{row->id,
                  QDateTime::fromString(qt(row->made), Qt::ISODate).toLocalTime().toString("yyyy-MM-dd HH:mm"),
                  {},
                  0,
                  0};
        try {
            const fit::Correction c = fit::from_json(row->content, job_file());
            v.model = qt(fit::name_of(c.model));
            v.left_out = c.cross_validated.mean;
            if (s.shot && s.reference)
                v.here = prove::against(c, s.shot->reading, *s.reference, true).delta_e_2000.mean;
        } catch (const Error&) { // of another chart: no figure here
        }
        all.push_back(v);
    }
    return all;
}

void Session::bring_back(Id id, Id correction) {
    const plan::Correction* kept = plan::record(shoot().corrections, correction);
    if (!kept || kept->setup != id) return;
    // Its own row stays where it was; a copy of it is the newest.
    plan::Correction row = *kept;
    row.id = 0;
    fit::Correction c;
    try {
        c = fit::from_json(kept->content, job_file());
    } catch (const Error& e) { return emit notice(QString::fromUtf8(e.what())); }
    change(tr("Bring back a correction of %1").arg(title_of(id)), [&](job::Edit& e) {
        e.about(title_of(id).toStdString());
        const Id made = e.add(row);
        e.add(plan::Proof{.correction = made,
                          .made = c.made,
                          .mean = c.cross_validated.mean,
                          .median = c.cross_validated.median,
                          .p95 = c.cross_validated.p95,
                          .max = c.cross_validated.max,
                          .basis = "patches left out"});
    });
}

void Session::judge_others(Id id, std::function<void(std::vector<Judged>)> show) {
    const SetupState& s = at(id);
    if (!s.shot || !s.reference || !s.balance) return show({});
    tasks_.run_quietly([=, shot = s.shot, reference = s.reference, balance = *s.balance,
                        others = s.settings.others](std::stop_token stop, const Progress&) -> Tasks::Then {
        std::vector<Judged> all;
        const auto judge = [&](Judged j, const std::function<prove::Rendering()>& open) {
            throw_if_stopped(stop);
            try {
                const prove::Rendering rendering = open();
                const prove::Proof proof = prove::against(rendering, shot->reading, *reference, balance.white_patch);
                j.as_it_is = proof.delta_e_2000;
                double most = -1;
                for (const auto& p : proof.patches)
                    if (p.fitted && p.delta_e_2000 > most) {
                        most = p.delta_e_2000;
                        j.worst = p.id;
                    }
                const fit::Correction trim = prove::trim_of(rendering, shot->reading, *reference, &shot->definition);
                j.trimmed_left_out = trim.cross_validated;
            } catch (const Error& e) { j.problem = QString::fromUtf8(e.what()); }
            all.push_back(j);
        };
        if (const auto& matrix = shot->frame.camera_from_xyz)
            judge({tr("Raw file's own matrix"), tr("standard rendering"), {}, {}, {}, {}},
                  [&] { return prove::standard_rendering(*matrix, balance); });
        for (const prove::Named& n : others) {
            QString kind;
            Judged j{name_of_file(n.file), {}, {}, {}, {}, {}};
            judge(j, [&] {
                const prove::Elsewhere e = prove::open_elsewhere(n.file, n.usage, balance);
                kind = qt(e.kind);
                return e.rendering;
            });
            all.back().kind = kind;
        }
        return [show, all] { show(all); };
    });
}

void Session::export_trimmed(Id id, const prove::Named& other, const fs::path& file) {
    const SetupState& s = at(id);
    if (!s.shot || !s.reference || !s.balance) return;
    tasks_.run(tr("Writing %1").arg(name_of_file(file)),
               [=, this, shot = s.shot, reference = s.reference, balance = *s.balance](std::stop_token,
                                                                                       const Progress&) -> Tasks::Then {
                   const prove::Elsewhere e = prove::open_elsewhere(other.file, other.usage, balance);
                   const fit::Correction trim =
                       prove::trim_of(e.rendering, shot->reading, *reference, &shot->definition);
                   deliver::Options options;
                   options.input_encoding = other.usage.input_encoding;
                   options.space = other.usage.space;
                   options.name = other.file.stem().string() + ", trimmed";
                   deliver::write_cube(prove::trimmed(e.own, trim),
                                       "Trimmed to a chart shot: " + other.file.filename().string(), file, options);
                   return [=, this] {
                       exported(id, file, tr("trimmed LUT"),
                                tr("%1 with a small correction after it: CIEDE2000 %2 on patches left out")
                                    .arg(name_of_file(other.file))
                                    .arg(trim.cross_validated.mean, 0, 'f', 2));
                   };
               });
}

std::vector<const plan::ChartShot*> Session::shots_to_average(Id id) const {
    std::vector<const plan::ChartShot*> good;
    const SetupState& s = at(id);
    for (const plan::ChartShot& shot : shoot().chart_shots) {
        if (shot.setup != id || !shot.problem.empty() || !plan::refusal(shoot(), shot).empty()) continue;
        const auto reading = std::find_if(shoot().readings.begin(), shoot().readings.end(),
                                          [&](const plan::Reading& r) { return r.chart_shot == shot.id; });
        if (reading == shoot().readings.end()) continue;
        try { // of one chart only
            if (s.shot && job::measured_from_json(reading->content, {}).definition.id == s.shot->definition.id)
                good.push_back(&shot);
        } catch (const Error&) {}
    }
    return good;
}

int Session::good_shots(Id id) const { return static_cast<int>(shots_to_average(id).size()); }

void Session::measure_curve(Id id, const fs::path& lut) {
    const SetupState* s = state(id);
    const plan::Mode* mode = s ? plan::record(shoot().modes, s->row.mode) : nullptr;
    if (!mode || !s->reference) return;
    std::vector<std::pair<fs::path, double>> stills; // of files or clips, and where in these
    for (const plan::ChartShot& shot : shoot().chart_shots) {
        const plan::Setup* setup = plan::record(shoot().setups, shot.setup);
        const plan::Frame* frame = frame_row(shot.frame);
        if (setup && frame && setup->camera == s->row.camera && setup->mode == s->row.mode && frame->problem.empty())
            stills.emplace_back(frame->path, frame->position_s);
    }
    tasks_.run(tr("Measuring the curve of %1").arg(qt(mode->name)),
               [=, this, mode_id = mode->id, own = s->reference,
                chart = s->shot ? s->shot->definition.id : std::string()](std::stop_token stop,
                                                                          const Progress& progress) -> Tasks::Then {
                   std::vector<fit::CurveShot> shots;
                   std::optional<chart::Definition> definition;
                   for (const auto& [file, position_s] : stills) {
                       throw_if_stopped(stop);
                       job::ShotOptions options;
                       options.chart = chart;
                       options.position_s = position_s;
                       chart::Definition seen;
                       shots.push_back(job::code_shot(file, options, seen));
                       definition = seen;
                       progress(static_cast<double>(shots.size()) / static_cast<double>(stills.size()));
                   }
                   const fit::ToneCurve curve = fit::estimate_curve(shots, *own, definition ? &*definition : nullptr);
                   fit::save(curve, lut);
                   return [=, this] {
                       const plan::Mode* now = plan::record(shoot().modes, mode_id);
                       if (!now) return;
                       plan::Mode row = *now;
                       row.encoding = fs::absolute(lut).string();
                       change(tr("Measured curve of %1").arg(qt(row.name)), [&](job::Edit& e) { e.update(row); });
                       emit notice(tr("The curve of %1 was measured from %2 frames, uncertain to %3 stops from code %4 "
                                      "to %5. Nearest to %6, %7 stops off.")
                                       .arg(qt(row.name))
                                       .arg(stills.size())
                                       .arg(curve.error_stops, 0, 'f', 2)
                                       .arg(curve.first_code, 0, 'f', 2)
                                       .arg(curve.last_code, 0, 'f', 2)
                                       .arg(qt(curve.nearest))
                                       .arg(curve.nearest_stops, 0, 'f', 2));
                   };
               });
}

void Session::prove_on(Id id, const fs::path& file, std::function<void(std::shared_ptr<const prove::Proof>)> show) {
    const SetupState& s = at(id);
    const auto correction = s.correction;
    if (!correction) return;
    const std::string encoding = encoding_of(shoot(), s.row);
    const auto own = s.reference;
    tasks_.run(tr("Proving on %1").arg(name_of_file(file)),
               [=](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                   job::ShotOptions options;
                   if (!encoding.empty() && frame::kind_of(file) != frame::FileKind::raw)
                       options.encoding = frame::Encoding::named(encoding);
                   const job::MeasuredShot shot = job::take_shot(file, options, progress, stop);
                   // The setup's reference where it is the same chart, else the other chart's own.
                   const chart::Reference reference = own && shot.definition.id == correction->reading.chart
                                                          ? *own
                                                          : chart::reference_of(shot.definition);
                   std::string white = correction->balance.white_patch;
                   if (const read::PatchReading* p = shot.reading.find(white);
                       shot.definition.id != correction->reading.chart || !p || !p->pixels)
                       white = balance::choose_white(shot.reading, reference, &shot.definition);
                   const auto proof = std::make_shared<const prove::Proof>(prove::against(
                       [&](const colour::Vec3& rgb) { return (*correction)(rgb); }, shot.reading, reference, white));
                   return [show, proof] { show(proof); };
               });
}

} // namespace refero::app
