// Slow work beside the window: one thread pool, progress, cancel, results delivered to the window's thread.
#pragma once

#include <QObject>
#include <QThreadPool>
#include <QTimer>
#include <functional>
#include <memory>
#include <stop_token>
#include <vector>

#include "base/base.hpp"
#include "shoot/records.hpp"

namespace refero::app {

namespace fs = std::filesystem;
using shoot::Id;

/// What a piece of work does.
enum class Doing {
    other,
    making,
    reading,
    looking,
    fitting,
    matching,
    practising,
    proving,
    measuring,
    taking_in,
    watching,
    writing,
    searching
};

/// And to which setup: "busy" is asked by this and stored nowhere.
struct TaskKey {
    Doing doing = Doing::other;
    Id setup = 0; ///< 0: none in particular
    bool operator==(const TaskKey&) const = default;
};

/// How a piece of work ended; each has one end.
struct TaskEnd {
    enum class How { done, failed, cancelled };
    How how = How::done;
    QString problem; ///< of what failed
};

class Tasks : public QObject {
    Q_OBJECT

public:
    /// Work runs beside the window and gives back what the window's thread then does with the result.
    using Then = std::function<void()>;
    using Work = std::function<Then(std::stop_token, const Progress&)>;
    /// What the window's thread does at the end, after `Then`; without it a failure is told by `failed`.
    using Ended = std::function<void(const TaskEnd&)>;

    explicit Tasks(QObject* parent = nullptr);
    ~Tasks() override;

    void run(const TaskKey& key, const QString& title, Work work, Ended ended = {});
    /// The same for what nobody waits for: it is not counted and not shown, and its failure is not told.
    void run_quietly(const TaskKey& key, Work work, Ended ended = {});
    bool busy(Doing doing, Id setup = 0) const;
    void cancel_all();
    /// Cancels and waits until nothing runs. Results that were under way are dropped; each piece of work has its end
    /// all the same, as cancelled.
    void drain();
    /// The same where nobody is left to hear of it.
    void drop();
    /// Pieces of work that somebody waits for.
    int running() const { return static_cast<int>(active_.size()) - quiet_; }
    /// Title of the oldest running task and the share done of all, 0 to 1.
    QString title() const;
    double progress() const;

signals:
    void changed();
    /// What is done to a setup has begun or ended.
    void setup_touched(Id setup);
    void failed(const QString& message);

private:
    struct Active {
        TaskKey key;
        QString title; ///< empty: quiet
        std::stop_source stop;
        std::shared_ptr<std::atomic<double>> share;
        Ended ended;
    };
    void start(std::shared_ptr<Active> task, Work work);
    void finish(const std::shared_ptr<Active>& task, const Then& then, TaskEnd end);

    QThreadPool pool_;
    std::vector<std::shared_ptr<Active>> active_;
    int finished_in_batch_ = 0, quiet_ = 0;
};

} // namespace refero::app
