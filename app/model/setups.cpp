#include "model/setups.hpp"

#include "model/document.hpp"
#include "model/pictures/kept_pictures.hpp"
#include "operations/capture/planning.hpp"
#include "operations/correct/keeping.hpp"

namespace refero::app {

Setups::Setups(JobDocument& job, KitDocument& kit, Chains& chains, Pictures& pictures, Tasks& tasks, Notices& notices)
    : job_(job),
      kit_(kit),
      chains_(chains),
      pictures_(pictures),
      tasks_(tasks),
      notices_(notices) {}

void Setups::change(Id setup, const Settings& settings, const QString& what) {
    if (!chains_.has(setup) || chains_.at(setup).settings == settings) return;
    job_.change(
        operations::change_settings(job_.shoot(), setup, chains_.at(setup).chart_shot, settings, what.toStdString()));
}

void Setups::place(Id setup, const std::string& chart, const chart::Corners& about, const QString& what) {
    const auto frame = pictures_.of(setup).frame;
    if (!chains_.has(setup) || !frame) return;
    tasks_.run({Doing::measuring, setup}, tr("Snapping the corners"),
               [=, this, before = chains_.at(setup).settings](std::stop_token, const Progress&) -> Tasks::Then {
                   Settings s = before;
                   s.chart = chart;
                   s.corners = find::snapped(chart::find_definition(chart), about, *frame);
                   return [=, this] {
                       // Moved on by hand meanwhile: that counts.
                       if (chains_.has(setup) && chains_.at(setup).settings == before) change(setup, s, what);
                   };
               });
}

void Setups::refuse(Id setup, const QString& why) {
    if (chains_.has(setup))
        job_.change(operations::refuse(job_.shoot(), chains_.at(setup).chart_shot, why.toStdString()));
}

void Setups::accept(Id setup) {
    if (chains_.has(setup)) job_.change(operations::accept(job_.shoot(), chains_.at(setup).chart_shot));
}

void Setups::fit(Id setup) {
    if (chains_.has(setup) && !tasks_.busy(Doing::fitting, setup)) fit(chains_.at(setup));
}

void Setups::fit(const Chain& chain) {
    const Id setup = chain.id;
    operations::FitRequest request;
    if (!notices_.guarded([&] { request = operations::fit_request(job_.shoot(), chain); })) return;
    const operations::FrameSource source = chain.source;
    const bool looked_at = chain.stretch == chains_.at(setup).stretch;
    const auto pixels = looked_at ? pictures_.of(setup).frame : nullptr;
    tasks_.run({Doing::fitting, setup}, tr("Fitting %1").arg(qt(request.title)),
               [=, this](std::stop_token stop, const Progress&) -> Tasks::Then {
                   const fit::Correction made = operations::fit(request, stop);
                   try {
                       const frame::Frame read =
                           pixels ? frame::Frame{} : operations::read(source, frame::Size::measuring, {}, stop);
                       const frame::Frame& p = pixels ? *pixels : read;
                       keep_picture(
                           corrected_key(source, fit::to_json(made)),
                           rendition_of(apply::corrected(p, made, "srgb", {}, stop), p).small(thumbnail_width));
                   } catch (const Error& e) { // the frame is away: the correction is good without its picture
                       if (e.kind() == ErrorKind::cancelled) throw;
                   }
                   return [=, this] {
                       if (!chains_.has(setup)) return;
                       if (job_.change(operations::keep(job_.shoot(), request, made))) emit fitted(setup);
                   };
               });
}

void Setups::fit_all() {
    for (const Id id : chains_.ids()) {
        if (tasks_.busy(Doing::fitting, id)) continue;
        for (const Chain& chain : chains_.stretches(id))
            if (chain.wants_fit()) fit(chain);
    }
}

void Setups::prove(Id setup) {
    if (chains_.has(setup)) notices_.guarded([&] { job_.change(operations::prove(chains_.at(setup))); });
}

void Setups::prove_on(Id setup, const fs::path& file, std::function<void(std::shared_ptr<const prove::Proof>)> show) {
    if (!chains_.has(setup) || !chains_.at(setup).correction) return;
    shoot::FrameRecord row{.path = file.string(), .raw = frame::kind_of(file) == frame::FileKind::raw};
    for (const shoot::FrameRecord& f : job_.shoot().frames)
        if (f.path == row.path) row = f;
    const Chain chain = chains_.at(setup);
    const operations::FrameSource source = operations::source_of(job_.shoot(), row, chain.row.mode);
    tasks_.run({Doing::proving, setup}, tr("Checking accuracy on %1").arg(name_of_file(file)),
               [=](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                   const auto proof =
                       std::make_shared<const prove::Proof>(operations::prove_on(chain, source, progress, stop));
                   return [show, proof] { show(proof); };
               });
}

void Setups::lend(Id from, Id to) { job_.change(operations::lend(job_.shoot(), from, to)); }

void Setups::bring_back(Id setup, Id correction) {
    notices_.guarded([&] { job_.change(operations::bring_back(job_.shoot(), setup, correction)); });
}

void Setups::versions(Id setup, std::function<void(std::vector<Version>)> show) {
    if (!chains_.has(setup)) return show({});
    std::vector<shoot::CorrectionRecord> rows;
    for (const shoot::CorrectionRecord& row : job_.shoot().corrections)
        if (row.setup == setup && !shoot::stands_beside(row.kind)) rows.push_back(row);
    tasks_.run_quietly({}, [=, chain = chains_.at(setup)](std::stop_token, const Progress&) -> Tasks::Then {
        const auto all = operations::versions(rows, chain);
        return [show, all] { show(all); };
    });
}

void Setups::judge_others(Id setup, std::function<void(std::vector<Judged>)> show) {
    if (!chains_.has(setup)) return show({});
    tasks_.run_quietly({}, [=, chain = chains_.at(setup)](std::stop_token stop, const Progress&) -> Tasks::Then {
        const auto all = operations::judge_others(chain, stop);
        return [show, all] { show(all); };
    });
}

void Setups::light_on_chart(Id setup, std::function<void(const inspect::Explained&)> show) {
    if (!chains_.has(setup) || !chains_.at(setup).shot || !chains_.at(setup).reference) return;
    tasks_.run_quietly({},
                       [=, shot = chains_.at(setup).shot,
                        reference = chains_.at(setup).reference](std::stop_token, const Progress&) -> Tasks::Then {
                           const auto light =
                               std::make_shared<const inspect::Explained>(operations::light_of(*shot, *reference));
                           return [show, light] { show(*light); };
                       });
}

int Setups::good_shots(Id setup) const {
    return static_cast<int>(operations::good_shots(job_.shoot(), chains_.at(setup)).size());
}

void Setups::measure_curve(Id setup, const fs::path& lut) {
    if (!chains_.has(setup)) return;
    operations::CurveRequest request;
    if (!notices_.guarded([&] { request = operations::curve_request(job_.shoot(), chains_.at(setup)); })) return;
    const QString mode = qt(shoot::name_in(job_.shoot().modes, request.mode));
    tasks_.run({Doing::measuring, setup}, tr("Measuring the curve of %1").arg(mode),
               [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                   const fit::ToneCurve curve = operations::measure_curve(request, progress, stop);
                   fit::save(curve, lut);
                   return [=, this] {
                       const shoot::ModeRecord* now = shoot::record(job_.shoot().modes, request.mode);
                       if (!now) return;
                       shoot::ModeRecord row = *now;
                       row.encoding = fs::absolute(lut).string();
                       job_.change(shoot::put("Measured curve of " + row.name, row));
                       notices_.tell(
                           tr("The curve of %1 was measured from %2 frames, uncertain to %3 stops from code %4 "
                              "to %5. Nearest to %6, %7 stops off.")
                               .arg(qt(row.name))
                               .arg(request.stills.size())
                               .arg(curve.error_stops, 0, 'f', 2)
                               .arg(curve.first_code, 0, 'f', 2)
                               .arg(curve.last_code, 0, 'f', 2)
                               .arg(qt(curve.nearest))
                               .arg(curve.nearest_stops, 0, 'f', 2));
                   };
               });
}

void Setups::take_spot(Id setup, Id frame, const chart::Point& at) {
    if (!chains_.has(setup)) return;
    const Chain& c = chains_.at(setup);
    const shoot::FrameRecord* row = frame ? job_.frame(frame) : &c.chart_frame;
    if (!row) return;
    const auto chart_frame = frame == 0 ? pictures_.of(setup).frame : nullptr;
    const operations::FrameSource source = operations::source_of(job_.shoot(), *row, c.row.mode);
    tasks_.run({Doing::measuring, setup}, tr("Measuring a spot"),
               [=, this](std::stop_token stop, const Progress&) -> Tasks::Then {
                   const frame::Frame loaded =
                       chart_frame ? frame::Frame{} : operations::read(source, frame::Size::measuring, {}, stop);
                   const std::string text =
                       balance::text_of(balance::spot_at(chart_frame ? *chart_frame : loaded, at.x(), at.y()));
                   return [=, this] {
                       if (!chains_.has(setup)) return;
                       Settings settings = chains_.at(setup).settings;
                       settings.spots.push_back(text);
                       change(setup, settings, tr("A spot to balance on"));
                       if (const auto g = grade(setup, text))
                           notices_.tell(tr("By the correction this spot is %1.").arg(g->second));
                   };
               });
}

std::optional<std::pair<double, QString>> Setups::grade(Id setup, const std::string& spot) const {
    const auto g = operations::grade(chains_.at(setup), spot);
    if (!g) return std::nullopt;
    return std::pair(g->chroma(), tr("%1 off neutral (a* %2, b* %3)")
                                      .arg(g->chroma(), 0, 'f', 1)
                                      .arg(QString::asprintf("%+.1f", g->a), QString::asprintf("%+.1f", g->b)));
}

void Setups::keep_grade(Id setup, const std::string& spot, Id card) {
    const auto g = grade(setup, spot);
    const shoot::CardRecord* row = shoot::record(kit_.kit().cards, card);
    if (!g || !row) return;
    const std::string light = chains_.at(setup).light_name;
    const QString name = qt(row->name),
                  words = tr("%1 under %2").arg(g->second, light.empty() ? tr("an unnamed light") : qt(light));
    kit_.change(operations::keep_grade(*row, words.toStdString()));
    notices_.tell(
        tr("The kit keeps: %1 is %2. Grade it under other lights as well: a grey that holds under one may fail "
           "under another.")
            .arg(name, words));
}

const shoot::FallbackRecord* Setups::fallback_for(Id setup) {
    return operations::fallback_for(job_.shoot(), kit_.kit(), setup);
}

void Setups::take_fallback(Id setup) {
    const shoot::FallbackRecord* f = fallback_for(setup);
    if (!f) return;
    const QString made = qt(f->made).left(10);
    if (job_.change(operations::take_fallback(job_.shoot(), *f, setup)))
        notices_.tell(tr("%1 has the kit's fallback of %2 now. It stands in until the chart can be shot.")
                          .arg(chains_.title_of(setup), made));
}

void Setups::keep_fallback(Id setup) {
    if (!chains_.has(setup)) return;
    const operations::Kept kept = operations::keep_fallback(job_.shoot(), kit_.kit(), chains_.at(setup));
    kit_.change(kept.kit);
    job_.change(kept.job);
}

void Setups::keep_in_kit() {
    const shoot::Change rows = operations::keep_in_kit(job_.shoot(), kit_.kit());
    const auto kept = rows.steps.size();
    kit_.change(rows);
    notices_.tell(kept ? tr("The kit has %1 more: cameras, lights and charts of this job.").arg(kept)
                       : tr("The kit has all of this job's cameras, lights and charts already."));
}

void Setups::set_limits(const std::string& limits) {
    kit_.change(operations::set_limits(kit_.kit(), limits));
    if (job_.is_open()) job_.change(operations::set_limits(job_.shoot(), limits));
}

} // namespace refero::app
