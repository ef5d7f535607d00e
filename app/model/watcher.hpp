// Watched folders: looked through beside the window, which never waits for a card or a network.
#pragma once

#include <QObject>
#include <QTimer>

#include "model/tasks.hpp"
#include "operations/capture/watch.hpp"

namespace refero::app {

class JobDocument;

class Watcher : public QObject {
    Q_OBJECT

public:
    Watcher(JobDocument& job, Tasks& tasks);
    void watch(const std::vector<fs::path>& folders);
    const std::vector<fs::path>& folders() const { return watch_.folders(); }
    /// A file that is on its way in, or that Refero writes, is not new; a file that did not come in after all is.
    void know(const fs::path& file) { watch_.known(file); }
    void forget(const fs::path& file) { watch_.forget(file); }
    /// It could not be read: it is found again when it changes.
    void await(const fs::path& file, const operations::FileStamp& as, bool arriving);
    bool in_folders(const fs::path& file) const { return watch_.in_folders(file); }

signals:
    void folders_changed();
    void found(const std::vector<fs::path>& files);
    void found_again(const std::vector<fs::path>& files); ///< those that were awaited

private:
    void look();

    JobDocument& job_;
    Tasks& tasks_;
    operations::FolderWatch watch_; ///< of the window's thread alone: a look works on a copy
    QTimer timer_;
};

} // namespace refero::app
