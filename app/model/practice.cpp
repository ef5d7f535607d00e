#include "model/practice.hpp"

#include <QDateTime>

namespace refero::app {

namespace {

/// As a camera would show it: balanced on the chart's greys where they can be read.
Rendition picture_of(const practice::Task& task, const operations::PracticeFrame& f, const std::stop_token& stop) {
    colour::Vec3 gains = apply::viewing_gains(f.frame);
    const bool by_eye = task.kind == practice::Kind::how_much;
    if (by_eye) { // a fixed look: what is to be seen is not taken out
        const colour::Vec3 daylight =
            simulate::camera_named("stills-a").response(colour::Spectrum::constant(1), colour::daylight(5600));
        const simulate::Camera& camera = task.shots.front().scene.camera;
        const colour::Vec3 white = task.about == "cast"
                                       ? camera.response(colour::Spectrum::constant(1), colour::daylight(5600))
                                       : camera.response(colour::Spectrum::constant(1), task.shots.front().scene.light);
        gains =
            colour::Vec3(white[1] / white[0], 1, white[1] / white[2]) * (daylight.maxCoeff() > 0 ? 1.6 / white[1] : 1);
    } else if (f.frame.as_shot) {
        const double brightest = gains.maxCoeff();
        gains = *f.frame.as_shot * std::min(brightest, 1.25);
    }
    return rendition_of(apply::uncorrected(f.frame, gains, "srgb", stop), f.frame);
}

std::shared_ptr<const ReadyTask> ready_of(operations::PracticeTask made, const std::stop_token& stop) {
    auto ready = std::make_shared<ReadyTask>();
    ready->made = std::move(made);
    for (const operations::PracticeFrame& f : ready->made.frames)
        ready->pictures.push_back(picture_of(ready->made.task, f, stop));
    return ready;
}

} // namespace

Practice::Practice(KitDocument& kit, Tasks& tasks)
    : kit_(kit),
      tasks_(tasks),
      seed_(static_cast<std::uint64_t>(QDateTime::currentSecsSinceEpoch())) {}

int Practice::level(practice::Kind kind) { return practice::level_of(kit_.kit().answers, kind); }

std::vector<practice::Record> Practice::records() { return practice::records(kit_.kit().answers); }

void Practice::ask(practice::Kind kind) {
    if (const auto at = ahead_.find(kind); at != ahead_.end() && at->second->made.task.level == level(kind)) {
        const auto task = at->second;
        ahead_.erase(at);
        emit ready(task);
        return prepare(kind, false); // the next one
    }
    wanted_ = kind;
    prepare(kind, true);
}

void Practice::prepare(practice::Kind kind, bool wanted) {
    const int its_level = level(kind);
    const std::string about = practice::next_theme(kit_.kit().answers, kind);
    const std::uint64_t seed = ++seed_;
    const auto work = [=, this](std::stop_token stop, const Progress&) -> Tasks::Then {
        const auto task = ready_of(operations::prepare(kind, its_level, seed, about, stop), stop);
        return [=, this] {
            if (!wanted) {
                ahead_[kind] = task;
                return;
            }
            if (wanted_ != kind) return;
            wanted_.reset();
            emit ready(task);
            if (kind != practice::Kind::light_it) prepare(kind, false);
        };
    };
    if (wanted) tasks_.run({Doing::practising}, tr("Making the frames of a task"), work);
    else tasks_.run_quietly({}, work);
}

void Practice::answer(const practice::Task& task, bool right) {
    shoot::Change c("Practice", practice::title_of(task.kind));
    c.add(shoot::AnswerRecord{
        .at = utc_now(), .task = shoot::name_of(task.kind), .about = task.about, .level = task.level, .passed = right});
    kit_.change(c);
}

// Arrangements come faster than frames are made: the newest waits, those between are left out.
void Practice::light(const simulate::Scene& scene, std::function<void(const Rendition&)> glance,
                     std::function<void(std::shared_ptr<const ReadyTask>)> show) {
    constexpr int glance_width = 480;
    tasks_.run_quietly({}, [=](std::stop_token stop, const Progress&) -> Tasks::Then {
        const frame::Frame f = operations::preview_of(scene, glance_width, stop);
        const colour::Vec3 gains = *f.as_shot * std::min(apply::viewing_gains(f).maxCoeff(), 1.25);
        Rendition r = rendition_of(apply::uncorrected(f, gains, "srgb", stop), f);
        r.full_width = scene.width; // it stands for the frame
        r.full_height = scene.height;
        return [=] { glance(r); };
    });
    if (making_) {
        next_light_ = [=, this] { light(scene, glance, show); };
        return;
    }
    making_ = true;
    tasks_.run_quietly(
        {Doing::practising},
        [=](std::stop_token stop, const Progress&) -> Tasks::Then {
            operations::PracticeTask made;
            made.task.kind = practice::Kind::light_it;
            made.task.shots.push_back({scene, {}});
            made.frames.push_back(operations::make_frame(scene, stop));
            const auto ready = ready_of(std::move(made), stop);
            return [=] { show(ready); };
        },
        [this](const TaskEnd&) {
            making_ = false;
            if (!next_light_) return;
            const auto next = std::exchange(next_light_, {});
            next();
        });
}

void Practice::rehearse(const operations::Thought& thought, std::function<void(const practice::Rehearsal&)> show) {
    tasks_.run({Doing::practising}, tr("Rehearsing"), [=](std::stop_token stop, const Progress&) -> Tasks::Then {
        const practice::Rehearsal r = operations::rehearse(thought, stop);
        return [=] { show(r); };
    });
}

} // namespace refero::app
