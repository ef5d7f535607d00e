#include "model/tasks.hpp"

#include <algorithm>
#include <utility>

#include <sys/resource.h>
#include <unistd.h>

namespace refero::app {

Tasks::Tasks(QObject* parent) : QObject(parent) { pool_.setMaxThreadCount(std::max(2, QThread::idealThreadCount())); }

Tasks::~Tasks() { drop(); }

void Tasks::run(const TaskKey& key, const QString& title, Work work, Ended ended) {
    auto task = std::make_shared<Active>();
    task->key = key;
    task->title = title;
    task->ended = std::move(ended);
    start(std::move(task), std::move(work));
}

void Tasks::run_quietly(const TaskKey& key, Work work, Ended ended) {
    run(
        key, {}, std::move(work), ended ? std::move(ended) : [](const TaskEnd&) {});
}

void Tasks::start(std::shared_ptr<Active> task, Work work) {
    task->share = std::make_shared<std::atomic<double>>(0);
    active_.push_back(task);
    // What somebody waits for goes before what nobody does.
    const int priority = task->title.isEmpty() ? 0 : 1;
    if (task->title.isEmpty()) ++quiet_;
    else emit changed();
    if (task->key.setup) emit setup_touched(task->key.setup);
    const auto body = [this, task, work = std::move(work)] {
        // The window goes first: work, and the threads that it starts, run at a lower priority (Linux: a thread's own).
        setpriority(PRIO_PROCESS, static_cast<id_t>(gettid()), 10);
        Then then;
        TaskEnd end;
        try {
            throw_if_stopped(task->stop.get_token());
            then = work(task->stop.get_token(), [share = task->share](double v) { share->store(v); });
        } catch (const Error& error) {
            end = {error.kind() == ErrorKind::cancelled ? TaskEnd::How::cancelled : TaskEnd::How::failed,
                   QString::fromUtf8(error.what())};
        } catch (const std::bad_alloc&) {
            end = {TaskEnd::How::failed, tr("There is not enough memory for this. Close other programs.")};
        } catch (const std::exception& error) { end = {TaskEnd::How::failed, QString::fromUtf8(error.what())}; }
        QMetaObject::invokeMethod(
            this, [this, task, then, end] { finish(task, then, end); }, Qt::QueuedConnection);
    };
    pool_.start(body, priority);
}

void Tasks::finish(const std::shared_ptr<Active>& task, const Then& then, TaskEnd end) {
    const auto at = std::find(active_.begin(), active_.end(), task);
    if (at == active_.end()) return; // dropped
    active_.erase(at);
    const bool quiet = task->title.isEmpty();
    if (quiet) --quiet_;
    else finished_in_batch_ = running() ? finished_in_batch_ + 1 : 0;
    // A result that cannot be used is a failure like any other: it must not end the window.
    if (then) try {
            then();
        } catch (const std::exception& error) { end = {TaskEnd::How::failed, QString::fromUtf8(error.what())}; }
    if (task->ended) task->ended(end);
    else if (end.how == TaskEnd::How::failed) emit failed(end.problem);
    if (task->key.setup) emit setup_touched(task->key.setup);
    if (!quiet) emit changed();
}

bool Tasks::busy(Doing doing, Id setup) const {
    return std::any_of(active_.begin(), active_.end(), [&](const auto& task) {
        return task->key == TaskKey{doing, setup};
    });
}

void Tasks::cancel_all() {
    for (const auto& task : active_) task->stop.request_stop();
}

void Tasks::drop() {
    cancel_all();
    active_.clear();
    pool_.waitForDone();
}

void Tasks::drain() {
    cancel_all();
    pool_.waitForDone();
    const std::vector<std::shared_ptr<Active>> dropped = std::exchange(active_, {});
    quiet_ = 0;
    finished_in_batch_ = 0;
    for (const auto& task : dropped) {
        if (task->ended) task->ended({TaskEnd::How::cancelled, {}});
        if (task->key.setup) emit setup_touched(task->key.setup);
    }
    if (!dropped.empty()) emit changed();
}

QString Tasks::title() const {
    for (const auto& task : active_)
        if (!task->title.isEmpty()) return task->title;
    return {};
}

double Tasks::progress() const {
    double done = finished_in_batch_;
    for (const auto& task : active_)
        if (!task->title.isEmpty()) done += task->share->load();
    return running() ? done / (finished_in_batch_ + static_cast<double>(running())) : 1;
}

} // namespace refero::app
