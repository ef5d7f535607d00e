// Renderings of a setup side by side, and the look as their last stage.
#pragma once

#include "model/chains.hpp"
#include "operations/correct/look.hpp"
#include "operations/correct/renderings.hpp"

namespace refero::app {

class JobDocument;
class KitDocument;
class Notices;

class Renderings : public QObject {
    Q_OBJECT

public:
    Renderings(JobDocument& job, KitDocument& kit, Chains& chains, Tasks& tasks, Notices& notices);

    std::vector<operations::KeptRendering> kept(Id setup) const;
    std::vector<operations::InForce> in_force(Id setup) const;
    /// The correction in force under a name; one of this name gives way.
    void keep(Id setup, const QString& name);
    void rename(Id row, const QString& name);
    void remove(Id row);
    /// A rendering becomes the setup's own correction.
    void work_on(Id setup, Id row);
    /// Those that no longer hold, from the reading in force; one after the other.
    void refit(Id setup);

    /// Looks of the kit for the job's client, and those for anybody.
    std::vector<operations::LookOfKit> looks();
    void keep_look(const look::Look& look, const QString& name);
    /// A LUT, a CDL or a look that Refero kept.
    void bring_look(const fs::path& file, std::function<void(const look::Look&)> use);
    /// What a look does to the setup's patches, ramps and neutrals.
    operations::LookSeen seen(Id setup, const look::Look& look) const;
    std::vector<operations::LookStep> steps(Id setup, const operations::LookSeen& seen) const;

private:
    JobDocument& job_;
    KitDocument& kit_;
    Chains& chains_;
    Tasks& tasks_;
    Notices& notices_;
};

} // namespace refero::app
