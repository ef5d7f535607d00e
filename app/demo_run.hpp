// The demo job: opened in a folder of its own, its frames made by the simulator, each setup brought on to where the
// demo's description wants it. It uses the desk as a person does.
#pragma once

#include "model/model.hpp"
#include "operations/demo/demo.hpp"

namespace refero::app {

class DemoRun : public QObject {
    Q_OBJECT

public:
    explicit DemoRun(Desk& desk);
    /// The demo job and its kit in `folder`, made beside the window; frames are made once, in `cache`, and copied from
    /// there. With an empty `cache` they are made where they belong.
    void open(const fs::path& description, const fs::path& folder, const fs::path& cache = {});

signals:
    /// The demo job is open; its frames are under way.
    void opened();

private:
    void make(const operations::DemoFrame& frame, const fs::path& cache);
    void step(Id setup);

    Desk& desk_;
    std::map<Id, operations::DemoGoal> goals_;
    fs::path folder_;
    fs::path own_kit_; ///< put aside while the demo has its own
};

} // namespace refero::app
