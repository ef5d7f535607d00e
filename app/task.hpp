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

namespace refero::app {

class Tasks : public QObject {
    Q_OBJECT

public:
    /// Work runs beside the window and gives back what the window's thread then does with the result.
    using Then = std::function<void()>;
    using Work = std::function<Then(std::stop_token, const Progress&)>;
    /// What the window's thread does with an error; cancelled work does not call it.
    using Failed = std::function<void(const Error&)>;

    explicit Tasks(QObject* parent = nullptr);
    ~Tasks() override;

    void run(const QString& title, Work work, Failed failed = {});
    /// The same for what nobody waits for: it is not counted and not shown.
    void run_quietly(Work work);
    void cancel_all();
    /// Cancels and waits until nothing runs; results that were under way are dropped.
    void drain();
    int running() const { return static_cast<int>(active_.size()) - quiet_; }
    /// Title of the oldest running task and the share done of all, 0 to 1.
    QString title() const;
    double progress() const;

signals:
    void changed();
    void failed(const QString& message);

private:
    struct Active {
        QString title; ///< empty: quiet
        std::stop_source stop;
        std::shared_ptr<std::atomic<double>> share;
    };
    void finish(const std::shared_ptr<Active>& task, const Then& then);

    QThreadPool pool_;
    std::vector<std::shared_ptr<Active>> active_;
    int finished_in_batch_ = 0, quiet_ = 0;
};

} // namespace refero::app
