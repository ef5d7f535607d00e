#include "model/readings.hpp"

#include "model/document.hpp"
#include "model/pictures/kept_pictures.hpp"
#include "operations/correct/keeping.hpp"

namespace refero::app {

Readings::Readings(JobDocument& job, KitDocument& kit, Chains& chains, Pictures& pictures, Tasks& tasks,
                   Notices& notices)
    : job_(job),
      kit_(kit),
      chains_(chains),
      pictures_(pictures),
      tasks_(tasks),
      notices_(notices) {
    connect(&chains, &Chains::followed, this, &Readings::follow);
    connect(&job, &JobDocument::closing, this, [this] { given_up_.clear(); });
}

void Readings::follow() {
    for (const Id id : chains_.ids()) {
        for (const Chain& c : chains_.stretches(id)) {
            const shoot::ChartShotRecord* shot = shoot::record(job_.shoot().chart_shots, c.chart_shot);
            if (!c.wants_reading() || !shot ||
                given_up_.contains({shot->id, operations::made_from(job_.shoot(), *shot)}))
                continue;
            start(c); // one at a time
            break;
        }
    }
}

void Readings::want(Id setup) {
    if (!chains_.has(setup)) return;
    const Id shot = chains_.at(setup).chart_shot;
    std::erase_if(given_up_, [&](const auto& entry) { return entry.first == shot; });
    chains_.set_obstacle(shot, {});
    if (chains_.at(setup).wants_reading()) start(chains_.at(setup));
}

void Readings::start(const Chain& c) {
    const Id setup = c.id;
    if (tasks_.busy(Doing::reading, setup)) return; // what it finds is asked again at its end
    const shoot::ChartShotRecord* row = shoot::record(job_.shoot().chart_shots, c.chart_shot);
    if (!row || !c.chart_frame.id) return;
    const operations::MeasureRequest request = operations::request_for(job_.shoot(), *row);
    const Id shot = row->id;
    const std::string made_from = operations::made_from(job_.shoot(), *row);
    const bool looked_at = chains_.at(setup).chart_shot == c.chart_shot;
    const auto frame = looked_at ? pictures_.of(setup).frame : nullptr;
    const Id cause = job_.step();
    tasks_.run(
        {Doing::reading, setup}, tr("Reading %1").arg(name_of_file(request.source.file)),
        [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
            const operations::Measured m = operations::measure(request, frame, progress, stop);
            const Rendition picture =
                frame ? Rendition{} : uncorrected_rendition(*m.frame, picture_key(request.source), stop);
            return [=, this] {
                if (!picture.empty()) pictures_.bring(setup, request.source, m.frame, picture);
                keep(setup, shot, made_from, m, cause);
            };
        },
        [=, this](const TaskEnd& end) {
            if (end.how == TaskEnd::How::done) return;
            given_up_.insert({shot, made_from}); // until it is asked for again
            if (end.how != TaskEnd::How::failed) return;
            chains_.set_obstacle(shot, end.problem.toStdString());
            notices_.tell(end.problem);
        });
}

void Readings::keep(Id setup, Id chart_shot, const std::string& made_from, const operations::Measured& measured,
                    Id cause) {
    const shoot::ChartShotRecord* row = shoot::record(job_.shoot().chart_shots, chart_shot);
    if (!row) return;
    if (operations::made_from(job_.shoot(), *row) != made_from) { // moved on meanwhile
        QMetaObject::invokeMethod(this, &Readings::follow, Qt::QueuedConnection);
        return;
    }
    const QString name = name_of_file(chains_.has(setup) ? chains_.at(setup).chart_frame.path : std::string());
    if (!job_.change(operations::keep(job_.shoot(), chart_shot, measured), false, cause)) {
        given_up_.insert({chart_shot, made_from});
        return;
    }
    if (measured.shot) {
        remember_light(chart_shot);
    } else { // another chart shot may be in force, and would hide it
        notices_.tell(name + ": " + qt(measured.problem));
    }
    emit read(setup);
}

void Readings::remember_light(Id chart_shot) {
    kit_.change(operations::remember_light(job_.shoot(), kit_.kit(), chart_shot));
}

} // namespace refero::app
