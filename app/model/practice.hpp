// Practice: tasks prepared beside the window, answers kept in the kit.
#pragma once

#include <deque>

#include "model/document.hpp"
#include "model/pictures/rendition.hpp"
#include "model/tasks.hpp"
#include "operations/practice/practice.hpp"

namespace refero::app {

/// A task with its frames for the screen.
struct ReadyTask {
    operations::PracticeTask made;
    std::vector<Rendition> pictures;
};

class Practice : public QObject {
    Q_OBJECT

public:
    Practice(KitDocument& kit, Tasks& tasks);

    /// Asks for a task of a kind; `ready` follows, at once where one was prepared ahead.
    void ask(practice::Kind kind);
    bool preparing() const { return tasks_.busy(Doing::practising); }
    /// Keeps an answer in the kit.
    void answer(const practice::Task& task, bool right);
    int level(practice::Kind kind);
    std::vector<practice::Record> records();
    /// A set as it is arranged: a small picture at once, then its frame, judged; the newest one asked for.
    void light(const simulate::Scene& scene, std::function<void(const Rendition&)> glance,
               std::function<void(std::shared_ptr<const ReadyTask>)> show);
    void rehearse(const operations::Thought& thought, std::function<void(const practice::Rehearsal&)> show);

signals:
    void ready(std::shared_ptr<const ReadyTask> task);

private:
    void prepare(practice::Kind kind, bool wanted);

    KitDocument& kit_;
    Tasks& tasks_;
    std::map<practice::Kind, std::shared_ptr<const ReadyTask>> ahead_;
    std::optional<practice::Kind> wanted_;
    std::uint64_t seed_;
    bool making_ = false;
    std::function<void()> next_light_; ///< the newest that waits
};

} // namespace refero::app
