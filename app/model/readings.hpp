// Chart shots that are not measured as they say now: read and measured, beside the window.
#pragma once

#include "model/pictures/pictures.hpp"

namespace refero::app {

class KitDocument;

class Readings : public QObject {
    Q_OBJECT

public:
    Readings(JobDocument& job, KitDocument& kit, Chains& chains, Pictures& pictures, Tasks& tasks, Notices& notices);
    /// Has a setup's chart shot measured if it wants to be, also after that failed or was cancelled.
    void want(Id setup);
    /// A light of the kit gets what a chart shot measured.
    void remember_light(Id chart_shot);

signals:
    /// What a setup's chart shot came to is in the job.
    void read(Id setup);

private:
    void follow();
    void start(const Chain& chain);
    void keep(Id setup, Id chart_shot, const std::string& made_from, const operations::Measured& measured, Id cause);

    JobDocument& job_;
    KitDocument& kit_;
    Chains& chains_;
    Pictures& pictures_;
    Tasks& tasks_;
    Notices& notices_;
    std::set<std::pair<Id, std::string>> given_up_; ///< chart shots, and what they were to be made from
};

} // namespace refero::app
