#include "model/model.hpp"

#include <QSettings>

#include "operations/correct/keeping.hpp"

namespace refero::app {

namespace {

constexpr const char* earlier_limits = "gate/limits"; ///< where the gate's limits were kept before they were the kit's

}

Desk::Desk()
    : job(notices),
      kit(notices),
      chains(job, tasks, notices),
      pictures(job, chains, tasks, notices),
      readings(job, kit, chains, pictures, tasks, notices),
      setups(job, kit, chains, pictures, tasks, notices),
      stretches(job, chains, notices),
      arrivals(job, chains, notices),
      cards(job, kit, chains, pictures, tasks, notices),
      watcher(job, tasks),
      frames(job, kit, chains, pictures, readings, watcher, tasks, notices),
      handovers(job, kit, chains, watcher, tasks, notices),
      batches(job, chains, handovers, watcher, tasks, notices),
      matches(job, chains, tasks, notices),
      renderings(job, kit, chains, tasks, notices),
      monitors(kit, notices),
      practice(kit, tasks) {
    QObject::connect(&tasks, &Tasks::failed, &notices, &Notices::told);
    // First while all of the job is there, so that what was done is kept; then what that has begun.
    QObject::connect(&job, &JobDocument::ending, &tasks, &Tasks::drain);
    QObject::connect(&job, &JobDocument::closing, &tasks, &Tasks::drain);
    QObject::connect(&pictures, &Pictures::changed, &chains, [this](Id setup) {
        if (chains.has(setup)) emit chains.setup_changed(setup);
    });
    // Renderings follow their setup; when the fit has ended.
    QObject::connect(&setups, &Setups::fitted, &renderings, &Renderings::refit, Qt::QueuedConnection);
    // A new job begins with the house's limits.
    QObject::connect(&job, &JobDocument::opened, &kit, [this] {
        const QString own = QSettings().value(earlier_limits).toString();
        if (!own.isEmpty() && operations::house_limits(kit.kit()).empty()) {
            kit.change(operations::set_limits(kit.kit(), own.toStdString()));
            QSettings().remove(earlier_limits);
        }
        const std::string limits = operations::house_limits(kit.kit());
        if (!limits.empty() && !job.for_viewing() && job.shoot().setups.empty() && job.shoot().frames.empty() &&
            job.shoot().brief().limits.empty())
            job.change(operations::set_limits(job.shoot(), limits));
    });
}

Desk::~Desk() { tasks.drop(); } // the views are gone

} // namespace refero::app
