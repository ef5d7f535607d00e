// The whole shoot developed: many frames through their corrections, with progress, pause and resume.
#pragma once

#include <QElapsedTimer>
#include <condition_variable>
#include <mutex>

#include "model/chains.hpp"
#include "operations/handover/plate.hpp"

namespace refero::app {

class Handovers;
class JobDocument;
class Notices;
class Watcher;

/// What is to be developed, and how.
struct BatchWish {
    std::vector<Id> setups;
    Id second = 0; ///< setup of the same camera under another light, for frames between both; 0: none
    operations::DevelopOptions develop;
    fs::path folder;
    std::string pattern = "{stem}";
    std::string rendering; ///< see operations::batch_of
    bool resume = true;    ///< leave out what was finished with the same correction and settings
};

class Batches : public QObject {
    Q_OBJECT

public:
    Batches(JobDocument& job, Chains& chains, Handovers& handovers, Watcher& watcher, Tasks& tasks, Notices& notices);

    /// How many frames the wish is for.
    int count(const BatchWish& wish) const;
    void develop(const BatchWish& wish);
    /// The frames of a setup that have a part in its effects set.
    std::vector<operations::PlateSource> plates_of(Id setup) const;
    void make_plates(Id setup, const operations::PlateOptions& options, const fs::path& folder);
    void pause(bool on);

    /// Of the batch under way, else of the last one.
    struct State {
        int frames = 0, done = 0, failed = 0, left_out = 0; ///< left out: finished before
        bool running = false, paused = false;
        double seconds_left = 0; ///< 0: cannot be told yet
        QStringList problems;    ///< of those that failed
        fs::path folder;
        std::vector<operations::LeftOut> not_developed; ///< frames of these setups, or of none, and why
    };
    const State& state() const { return state_; }

signals:
    void changed();

private:
    /// Shared with the work beside the window.
    struct Gate {
        std::mutex mutex;
        std::condition_variable_any opened;
        bool closed = false, first = true;
        QElapsedTimer told;
        std::function<void()> tell;
        std::vector<std::pair<Id, operations::BatchEnd>> arrived; ///< setup, and what became of the frame
    };
    /// Those that are not finished.
    void begin(const BatchWish& wish, std::vector<operations::BatchFrame> all, const std::vector<bool>& before);
    /// What has ended, kept for collect(); progress is told, and a pause waits here.
    static void take_down(Gate& gate, Id setup, const operations::BatchEnd& end, const std::stop_token& stop);
    std::vector<operations::LeftOut> not_developed(const BatchWish& wish) const;
    void start(int frames, int left_out, const fs::path& folder);
    void finish(const TaskEnd& end);
    void collect();

    JobDocument& job_;
    Chains& chains_;
    Handovers& handovers_;
    Watcher& watcher_;
    Tasks& tasks_;
    Notices& notices_;
    State state_;
    std::shared_ptr<Gate> gate_;
    bool job_ends_ = false;
    QElapsedTimer since_;
    int paused_frames_ = 0;
};

} // namespace refero::app
