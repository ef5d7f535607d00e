#include "model/watcher.hpp"

#include <QFileInfo>
#include <QSettings>

#include "model/document.hpp"

namespace refero::app {

namespace {

constexpr int look_every_ms = 400;
constexpr std::size_t short_hash = 16;

/// Where the watched folders of a job are remembered: they are of this machine, not of the job.
QString settings_key(const fs::path& job) {
    return "watched/" + qt(sha256_of_text(job.string()).substr(0, short_hash));
}

} // namespace

Watcher::Watcher(JobDocument& job, Tasks& tasks) : job_(job), tasks_(tasks) {
    timer_.setInterval(look_every_ms);
    connect(&timer_, &QTimer::timeout, this, &Watcher::look);
    connect(&job, &JobDocument::closing, this, [this] {
        timer_.stop();
        watch_ = {};
    });
    connect(&job, &JobDocument::opened, this, [this] {
        for (const shoot::FrameRecord& f : job_.shoot().frames) {
            watch_.known(f.path);
            if (!f.problem.empty()) await(f.path, {f.size, f.changed_ns}, false);
        }
        for (const shoot::HandoverRecord& h : job_.shoot().handovers) watch_.known(h.file);
        std::vector<fs::path> folders;
        for (const QString& f : QSettings().value(settings_key(job_.file())).toStringList())
            if (QFileInfo(f).isDir()) folders.emplace_back(f.toStdString());
        if (!folders.empty()) watch(folders);
    });
}

void Watcher::watch(const std::vector<fs::path>& folders) {
    watch_.set_folders(folders);
    if (folders.empty() && !watch_.waits()) timer_.stop();
    else timer_.start();
    QStringList names;
    for (const fs::path& f : folders) names << qt(f.string());
    if (job_.is_open()) QSettings().setValue(settings_key(job_.file()), names);
    emit folders_changed();
}

void Watcher::await(const fs::path& file, const operations::FileStamp& as, bool arriving) {
    watch_.await(file, as, arriving);
    timer_.start();
}

void Watcher::look() {
    if (tasks_.busy(Doing::watching)) return;
    tasks_.run_quietly({Doing::watching, 0},
                       [this, copy = watch_](std::stop_token, const Progress&) mutable -> Tasks::Then {
                           const std::vector<fs::path> files = copy.look();
                           return [this, files, after = copy] {
                               if (watch_.folders() != after.folders()) return; // other folders meanwhile
                               watch_.remember(after);
                               std::vector<fs::path> fresh;
                               std::vector<fs::path> again;
                               for (const fs::path& file : files)
                                   (watch_.is_known(file) ? again : fresh).push_back(file);
                               for (const fs::path& file : fresh) watch_.known(file);
                               if (!fresh.empty()) emit found(fresh);
                               // Known ones are those that were awaited; some may have come in another way.
                               if (!again.empty()) emit found_again(again);
                               if (watch_.folders().empty() && !watch_.waits()) timer_.stop();
                           };
                       });
}

} // namespace refero::app
