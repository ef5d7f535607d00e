#include "task.hpp"

#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>

namespace refero::app {

Tasks::Tasks(QObject* parent) : QObject(parent) { pool_.setMaxThreadCount(std::max(2, QThread::idealThreadCount())); }

Tasks::~Tasks() { drain(); }

void Tasks::run(const QString& title, Work work, Failed on_failure) {
    auto task = std::make_shared<Active>();
    task->title = title;
    task->share = std::make_shared<std::atomic<double>>(0);
    active_.push_back(task);
    if (title.isEmpty()) ++quiet_;
    else emit changed();
    // What somebody waits for goes before what nobody does.
    const int priority = title.isEmpty() ? 0 : 1;
    pool_.start(
        [this, task, work = std::move(work), on_failure = std::move(on_failure)] {
            // The window goes first: work, and the threads that it starts, run at a lower priority (Linux: a thread's
            // own).
            setpriority(PRIO_PROCESS, static_cast<id_t>(gettid()), 10);
            Then then;
            const auto fail = [&](const Error& error) {
                then = [this, error, on_failure] {
                    if (error.kind() == ErrorKind::cancelled) return;
                    if (on_failure) on_failure(error);
                    else emit failed(QString::fromUtf8(error.what()));
                };
            };
            try {
                throw_if_stopped(task->stop.get_token());
                then = work(task->stop.get_token(), [share = task->share](double v) { share->store(v); });
            } catch (const Error& error) { fail(error); } catch (const std::exception& error) {
                fail(Error(ErrorKind::internal, error.what()));
            }
            QMetaObject::invokeMethod(
                this, [this, task, then] { finish(task, then); }, Qt::QueuedConnection);
        },
        priority);
}

void Tasks::finish(const std::shared_ptr<Active>& task, const Then& then) {
    const auto at = std::find(active_.begin(), active_.end(), task);
    if (at == active_.end()) return; // dropped
    active_.erase(at);
    if (task->title.isEmpty()) {
        --quiet_;
        if (then) then();
        return;
    }
    finished_in_batch_ = running() ? finished_in_batch_ + 1 : 0;
    if (then) then();
    emit changed();
}

void Tasks::run_quietly(Work work) {
    run({}, std::move(work), [](const Error&) {});
}

void Tasks::cancel_all() {
    for (const auto& task : active_) task->stop.request_stop();
}

void Tasks::drain() {
    cancel_all();
    active_.clear();
    quiet_ = 0;
    pool_.waitForDone();
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
