// The stretches of a setup's time: which of them is looked at, and what a person decides about them.
#pragma once

#include "model/chains.hpp"

namespace refero::app {

class Stretches : public QObject {
    Q_OBJECT

public:
    Stretches(JobDocument& job, Chains& chains, Notices& notices) : job_(job), chains_(chains), notices_(notices) {}

    /// Looks at a stretch of a setup by its key; 0: at the one to act on next.
    void choose(Id setup, Id stretch) { chains_.choose(setup, stretch); }
    /// The one that is looked at becomes one with the one before it.
    void join(Id setup);
    /// Its newest chart shot begins a stretch of its own.
    void part(Id setup);
    void divide(Id setup, bool divided);
    /// Where the light changed too far between two chart shots, in words; empty where it did not.
    QString advice(Id setup) const;

private:
    JobDocument& job_;
    Chains& chains_;
    Notices& notices_;
};

} // namespace refero::app
